"""Water: the three schools written and published, tried, compared and replayed; by hand, stopped, cleared; planned, ruled, practised."""

import re
from contextlib import closing

import pytest
from playwright.sync_api import expect

pytestmark = pytest.mark.journey
PHONE = (390, 844)
SCHOOLS = [
    ("by the light sum", "the light since the last pulse has come to", "light since the pulse"),
    ("by the clock", "the clock shows", None),
    ("by the probe", "the water content falls below the low", None),
]


def test_each_school_is_written_tried_and_published(stack, open_page):
    page = open_page("/water/5")
    page.get_by_role("heading", name="Bed 5, how it is watered").wait_for()
    for name, sentence, track in SCHOOLS:
        page.get_by_role("button", name=name, exact=True).click()
        expect(page.locator(".school-note")).to_contain_text("It fails")
        expect(page.locator(".sentence")).to_contain_text(sentence)
        expect(page.locator(".try")).to_contain_text("pulses")
        if track:
            expect(page.locator(".trigger-tracks")).to_contain_text(track)
        page.get_by_role("button", name=re.compile("Publish version")).click()
        expect(page.get_by_role("status")).to_contain_text("is published")
    page.get_by_text("versions, who and when").click()
    expect(page.locator(".versions")).to_contain_text("Ines")


def test_a_contradiction_is_told_at_its_word_with_what_would_work(stack, open_page):
    page = open_page("/water/3")
    page.get_by_label("High in % v/v").fill("95")
    told = page.locator(".sentence").get_by_role("alert")
    expect(told).to_contain_text("High")
    told.get_by_role("button", name=re.compile("^Take")).first.click()
    expect(page.get_by_label("High in % v/v")).not_to_have_value("95.0")
    page.get_by_role("button", name="limits, lost readings, drain and rain").click()
    page.get_by_role("button", name="steer it").click()
    expect(page.locator(".sentence")).to_contain_text("moves the next day’s")
    page.get_by_role("button", name="towards fruit").click()
    expect(page.locator(".lean-list")).to_contain_text("larger pulses let the bed fall further")
    page.get_by_role("button", name="Take these into the draft").click()
    expect(page.get_by_text("it leans towards fruit now")).to_be_visible()
    page.get_by_role("button", name=re.compile("Back to version")).click()


def test_a_trigger_is_added_by_keyboard_alone(stack, open_page):
    page = open_page("/water/2")
    page.get_by_label("Add a trigger").focus()
    page.keyboard.type("time since")
    page.keyboard.press("Enter")
    added = page.get_by_label("time since the last pulse", exact=True)
    added.focus()
    page.keyboard.press("ArrowUp")
    expect(added).to_have_value("61")
    expect(page.get_by_label("Any or all of them")).to_be_visible()
    expect(page.locator(".trigger-tracks")).to_contain_text("time since the pulse")


def test_programmes_are_compared_and_a_day_replayed(stack, open_page):
    page = open_page("/water/3?part=compare")
    table = page.get_by_role("table", name="Programmes compared")
    expect(table).to_contain_text("by the clock", timeout=30_000)
    expect(page.locator(".lead")).to_contain_text("keeps the bed longest in its band")
    page.get_by_role("button", name="Draw by the clock").click()
    expect(page.get_by_role("slider", name="by the clock of bed 3")).to_be_visible()
    page.get_by_role("button", name="Replay", exact=True).click()
    expect(page.get_by_text("That is close enough to lean on")).to_be_visible(timeout=30_000)
    expect(page.get_by_role("slider", name="Replay of bed 3")).to_be_visible()


def test_by_hand_on_a_phone_each_with_its_end(stack, open_page):
    page = open_page("/water/1?part=hand", PHONE)
    page.get_by_label("Dose in mL per plant").fill("90")
    page.get_by_role("button", name="Give 90 mL").click()
    expect(page.get_by_role("dialog")).to_contain_text("close by themselves")
    page.get_by_role("button", name="Give it").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    with closing(stack.client()) as client:
        pulses = client.get("/api/beds/1/ribbon/").json()["pulses"]
    assert pulses[-1]["ml"] == 90
    page.get_by_role("button", name="Pause it").click()
    page.get_by_role("dialog").get_by_role("button", name="Pause it").click()
    expect(page.get_by_role("status")).to_contain_text("It is paused until")
    page.get_by_role("button", name="End the pause").click()
    expect(page.get_by_role("status")).to_contain_text("Its programme acts")
    page.get_by_label("What you are going to do").fill("clean the filter")
    page.get_by_role("button", name="Lock it in my name").click()
    page.get_by_role("dialog").get_by_role("button", name="Lock it").click()
    expect(page.get_by_role("status")).to_contain_text("has locked it: clean the filter")
    page.get_by_role("button", name="Take the lock off").click()
    expect(page.get_by_role("status")).to_contain_text("Its programme acts")


def test_a_house_is_stopped_and_goes_on(stack, open_page):
    page = open_page("/water/1?part=hand")
    page.get_by_role("button", name=re.compile("Stop a house|Stop…")).first.click()
    page.get_by_role("button", name="Stop House North").click()
    expect(page.get_by_role("dialog")).to_contain_text("House North is stopped")
    page.get_by_role("button", name="Resume House North").click()
    expect(page.get_by_role("dialog")).to_contain_text("goes on")


def test_a_missed_target_is_read_looked_at_and_cleared(stack, open_page):
    page = open_page("/watch/4")
    expect(page.locator(".sheet .lead")).to_contain_text(re.compile("fault|target", re.I))
    page.get_by_role("button", name="Clear the fault").click()
    expect(page.get_by_role("dialog")).to_contain_text("blocked drippers")
    page.get_by_role("button", name="I have looked, clear it").click()
    expect(page.get_by_role("button", name="Clear the fault")).to_have_count(0)
    ribbon = page.get_by_role("slider", name=re.compile("Day ribbon"))
    ribbon.focus()
    page.keyboard.press("Shift+ArrowLeft")
    page.keyboard.press("Enter")
    expect(page.locator(".why-then")).to_contain_text(re.compile("Held|Withheld|given|Stopped"))


def test_a_day_without_water_is_planned_and_a_device_ruled_and_run_by_hand(stack, open_page):
    page = open_page("/water?part=plan")
    page.get_by_role("button", name="Plan a day without water").click()
    page.get_by_label("First day").fill("2026-06-30")
    page.get_by_label("Title").fill("filters out")
    page.get_by_role("button", name="Put it into the plan").click()
    expect(page.locator(".probe-list")).to_contain_text("filters out")
    page.get_by_role("button", name="Other devices").click()
    heater = page.get_by_role("region", name="Pipe heater")
    heater.get_by_label("Day set point").fill("30")
    heater.get_by_role("button", name="Publish this rule").click()
    expect(heater.get_by_role("alert")).to_contain_text("run against each other")
    heater.get_by_label("Day set point").fill("19")
    heater.get_by_role("button", name="Publish this rule").click()
    expect(heater.get_by_role("button", name="Publish this rule")).to_have_count(0)
    heater.get_by_role("button", name="On by hand").click()
    expect(page.get_by_role("dialog")).to_contain_text("its rule acts again by itself")
    page.get_by_role("button", name="Put it on").click()
    expect(heater).to_contain_text("put it so, until")
    heater.get_by_role("button", name="Back to its rule").click()
    expect(heater.get_by_role("button", name="On by hand")).to_be_visible()


def test_practice_on_a_phone(stack, open_page):
    page = open_page("/water?part=practice", PHONE)
    page.get_by_role("button", name="Begin").first.click()
    page.get_by_role("button", name=re.compile("catch cups")).click()
    expect(page.locator(".looks")).to_contain_text("expected, mean")
    page.get_by_label("What it is").select_option("blocked")
    page.get_by_label("What to do").select_option("clean")
    page.get_by_role("button", name="That is my answer").click()
    expect(page.get_by_role("status")).to_contain_text("of 100")
    expect(page.get_by_text("What the record would have told.")).to_be_visible()
