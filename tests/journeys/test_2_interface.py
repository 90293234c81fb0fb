"""Phone, keyboard, two people at one form, an ended session, a viewer; and accessibility of each view."""

import json
import re

import pytest
from playwright.sync_api import expect

from .conftest import AXE, PERSON, VIEWER

pytestmark = pytest.mark.journey
PHONE = (390, 844)


def overflow(page):
    return page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")


def test_phone_watch_and_capture_fit_one_hand(stack, open_page):
    page = open_page("/watch", PHONE)
    assert overflow(page) <= 0
    page.get_by_role("button", name=re.compile("^Bed 3")).first.click()
    expect(page.get_by_role("heading", name=re.compile("Bed 3"))).to_be_visible()
    expect(page.get_by_role("slider", name=re.compile("Day ribbon"))).to_be_visible()
    assert overflow(page) <= 0
    page.get_by_role("button", name="Give one dose").click()
    expect(page.get_by_role("dialog")).to_contain_text("close by themselves")
    page.get_by_role("button", name="Leave it").click()
    page.get_by_role("link", name="Calibrate").click()
    capture = page.get_by_role("button", name="Capture", exact=True)
    expect(capture).to_be_visible()
    assert overflow(page) <= 0
    assert capture.bounding_box()["height"] >= 44
    for target in page.locator(".path a, .reed-button, .bench-control button").all():
        box = target.bounding_box()
        assert box["height"] >= 44 and box["width"] >= 44, target.inner_text()


def test_keyboard_alone_carries_a_change_through(stack, open_page):
    page = open_page(sign_in=False)
    keys = page.keyboard
    page.locator("#username").wait_for()
    keys.press("Tab")
    keys.type(PERSON[0])
    keys.press("Tab")
    keys.type(PERSON[1])
    keys.press("Enter")
    page.locator(".sheet h1").wait_for()
    keys.press("]")
    expect(page.get_by_role("heading", name="Bed 1, snack cucumber")).to_be_visible()
    keys.press("5")
    expect(page.get_by_role("heading", name="Bed 1, how it is watered")).to_be_visible()
    for _ in range(60):
        keys.press("Tab")
        if page.evaluate("document.activeElement.getAttribute('aria-label') || ''").startswith("Soak"):
            break
    soak = page.get_by_label("Soak in minutes")
    expect(soak).to_be_focused()
    start = int(soak.input_value())
    keys.press("ArrowUp")
    expect(soak).to_have_value(str(start + 1))
    for _ in range(40):
        keys.press("Tab")
        if page.evaluate("document.activeElement.textContent").startswith("Publish version"):
            break
    keys.press("Enter")
    expect(page.get_by_role("status")).to_contain_text("is published")
    page.locator("body").click(position={"x": 5, "y": 400})
    keys.press("6")
    ribbon = page.get_by_role("slider", name=re.compile("Day ribbon"))
    ribbon.focus()
    told = ribbon.get_attribute("aria-valuetext")
    keys.press("Shift+ArrowLeft")
    expect(ribbon).not_to_have_attribute("aria-valuetext", told)
    page.locator("body").click(position={"x": 5, "y": 400})
    keys.press("n")
    expect(page.get_by_label("Note", exact=True)).to_be_focused()
    keys.type("Written by key")
    keys.press("Tab")
    keys.press("Enter")
    expect(page.get_by_role("complementary")).to_contain_text("Written by key")
    page.locator("body").click(position={"x": 5, "y": 400})
    keys.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("bed before, bed after")
    keys.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)


def test_a_bad_threshold_is_told_at_the_sentence_and_nothing_is_lost(stack, open_page):
    page = open_page("/water/3")
    page.get_by_label(re.compile("^Low in")).fill("79")
    expect(page.get_by_role("alert")).to_contain_text("below the high")
    page.get_by_role("button", name=re.compile("Publish version")).click()
    expect(page.get_by_role("alert").first).to_contain_text("Low")
    expect(page.get_by_label(re.compile("^Low in"))).to_have_value("79.0")
    page.get_by_label(re.compile("^Dose in")).fill("4")
    expect(page.get_by_role("alert").first).to_contain_text("line takes to fill")


def test_two_people_at_one_form_and_nothing_is_lost(stack, open_page):
    first, second = open_page("/layout"), open_page("/layout")
    for page in (first, second):
        page.get_by_role("button", name="Change bed 5").click()
        page.get_by_role("dialog").get_by_label("Plants in the bed").wait_for()
    first.get_by_role("dialog").get_by_label("Plants in the bed").fill("260")
    first.get_by_role("button", name="Save the bed").click()
    expect(first.get_by_role("dialog")).to_have_count(0)
    second.get_by_role("dialog").get_by_label("Plants in the bed").fill("250")
    second.get_by_role("button", name="Save the bed").click()
    expect(second.get_by_role("dialog").get_by_role("alert").first).to_contain_text(
        "Ines saved this while you were editing"
    )
    expect(second.get_by_role("dialog").get_by_label("Plants in the bed")).to_have_value("250")


def test_bad_dimensions_are_told_at_the_field(stack, open_page):
    page = open_page("/layout")
    page.get_by_role("button", name="Add a bed to House North").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Width at the top").fill("900")
    expect(dialog).to_contain_text("expected 3 to 200 cm")
    dialog.get_by_label("Width at the top").fill("20")
    expect(dialog.locator(".follows")).to_contain_text("5.00")


def test_an_ended_session_asks_again_and_keeps_the_edit(stack, open_page):
    page = open_page("/water/1")
    page.get_by_label(re.compile("^Dose in")).fill("175")
    page.context.clear_cookies(name="sessionid")
    expect(page.get_by_text("what you were editing is still here")).to_be_visible(timeout=30_000)
    page.get_by_label("Name").fill(PERSON[0])
    page.get_by_label("Password").fill(PERSON[1])
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_text("what you were editing is still here")).to_have_count(0)
    expect(page.get_by_label(re.compile("^Dose in"))).to_have_value("175")


def test_a_viewer_sees_everything_and_changes_nothing(stack, open_page):
    page = open_page("/watch/1", person=VIEWER)
    expect(page.get_by_role("button", name="Give one dose")).to_have_count(0)
    page.goto(stack.address + "/water/1")
    expect(page.get_by_label(re.compile("^Low in"))).to_be_disabled()
    expect(page.get_by_role("button", name=re.compile("Publish"))).to_have_count(0)


VIEWS = ["/watch", "/watch/3", "/calibrate", "/calibrate/6", "/water", "/water/3", "/layout", "/fit"]
PARTS = [
    *(f"/layout/3?part={p}" for p in ("media", "water", "drippers", "electrics", "payback", "people")),
    *(f"/fit/3?part={p}" for p in ("choose", "place", "prove", "bus", "sheet")),
    *(f"/water/3?part={p}" for p in ("compare", "replay", "hand", "plan", "line", "devices", "practice")),
    "/fit?part=prove&channel=1",
    "/fit?part=prove&device=1",
    "/probe/1",
]


def axe_over(stack, page, paths):
    """What axe finds on each path, those without findings left out."""
    found = {}
    for path in paths:
        page.goto(stack.address + path)
        page.locator(".sheet h1").wait_for()
        page.wait_for_timeout(700)
        found[path] = findings(page)
    return {path: f for path, f in found.items() if f}


@pytest.mark.parametrize("size", [(1280, 800), PHONE], ids=["desk", "phone"])
def test_axe_finds_nothing(stack, open_page, size):
    assert axe_over(stack, open_page("/watch", size), VIEWS) == {}


def test_axe_finds_nothing_in_any_part_of_lay_out_and_fit(stack, open_page):
    assert axe_over(stack, open_page("/layout"), PARTS) == {}


def test_axe_finds_nothing_on_sign_in_and_forms(stack, open_page):
    page = open_page(sign_in=False)
    page.locator("#username").wait_for()
    assert findings(page) == []
    page = open_page("/layout")
    page.get_by_role("button", name="Add a bed to House North").click()
    page.get_by_role("dialog").locator(".follows").wait_for()
    page.wait_for_timeout(500)
    assert findings(page) == []


def findings(page):
    page.add_script_tag(path=str(AXE))
    result = page.evaluate(
        "async () => JSON.stringify((await axe.run(document, {resultTypes: ['violations']})).violations)"
    )
    return [f"{v['id']}: {n['target']} {n['failureSummary'][:200]}" for v in json.loads(result) for n in v["nodes"]]
