"""Calibrate on the real interface: a weighed series, standards, two points on the phone, a batch, a trial, and trust."""

import re
from contextlib import closing

import pytest
from playwright.sync_api import expect

pytestmark = pytest.mark.journey
PHONE = (390, 844)


@pytest.fixture(scope="module")
def fitted(stack):
    """A stand-in node with three rods and a feed conductivity cell beside the demo; the clock at 60x, so that steady comes soon."""
    with closing(stack.client()) as client:
        site = client.get("/api/session/").json()["sites"][0]["id"]
        client.post(f"/api/sites/{site}/demo/clock/", json={"rate": 60})
        beds = {b["name"]: b["id"] for b in client.get(f"/api/sites/{site}/watch/").json()["beds"]}
        rods = [{"kind": "capacitive", "bed": beds[n], "depth_cm": 5, "across_cm": 3} for n in ("3", "5", "6")]
        form = {
            "name": "Bench node",
            "kind": "modbus_tcp",
            "standin": True,
            "poll_s": 1,
            "sensors": [*rods, {"kind": "feed_ec"}],
        }
        made = client.post(f"/api/sites/{site}/nodes/new/", json=form)
        assert made.status_code == 201, made.text
        rows = client.get(f"/api/sites/{site}/calibrate/").json()
        mine = {r["id"]: r for r in rows if r["id"] in made.json()["channels"]}
        raw = [c for c, r in sorted(mine.items()) if r["quantity"] == "raw"]
        return {
            "site": site,
            "raw": raw,
            "ec": next(c for c, r in mine.items() if r["quantity"] == "feed_ec"),
            "names": mine,
        }


def capture(scope, page):
    button = scope.get_by_role("button", name="Capture")
    expect(button).to_be_enabled(timeout=60_000)
    button.click()


def test_a_weighed_series_is_fitted_chosen_and_published_with_its_certificate(fitted, open_page):
    page = open_page(f"/calibrate?target=channel-{fitted['raw'][0]}")
    page.get_by_label("Method of calibration").select_option("weighed")
    hands = page.get_by_role("group", name="Stand-in: put it")
    hands.get_by_role("button", name="in the pot, 0 of 5 cans").click()
    expect(hands.get_by_role("button", name="in the pot, 0 of 5 cans")).to_have_attribute("aria-pressed", "true")
    expect(hands.get_by_role("button", name="back in its place")).to_be_enabled()
    page.get_by_role("button", name="take the stand-in's pot").click()
    expect(page.get_by_label("Pot, probe and cable")).to_have_value("340")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_text(re.compile("^Pot 340 g, dry mix"))).to_be_visible()
    card = page.get_by_role("region", name="Point 1: A weighed point")
    for cans in (0, 3, 5):
        hands.get_by_role("button", name=f"in the pot, {cans} of 5 cans").click()
        expect(hands.get_by_role("button", name=f"in the pot, {cans} of 5 cans")).to_have_attribute(
            "aria-pressed", "true"
        )
        expect(card.get_by_role("button", name="Capture")).to_be_disabled()
        expect(card.get_by_role("button", name="Capture")).to_be_enabled(timeout=60_000)
        card.get_by_role("button", name="read the scale").click()
        expect(card.get_by_label("Mass on the scale in g")).not_to_have_value("")
        card.get_by_role("button", name="Capture").click()
        expect(card.get_by_label("Mass on the scale in g")).to_have_value("")
    expect(page.get_by_role("table", name="Curves tried")).to_contain_text("linear")
    expect(page.get_by_role("region", name="What the points give")).to_contain_text("left-out point")
    page.get_by_role("button", name="Publish version 1").click()
    expect(page.get_by_role("region", name="Published")).to_contain_text("% v/v")
    page.get_by_role("button", name="certificate").click()
    expect(page.get_by_role("heading", name=re.compile("Calibration certificate"))).to_be_visible()
    expect(page.get_by_role("table", name="Points").get_by_role("row")).to_have_count(4)
    expect(page.locator(".certificate")).to_contain_text("In force")


def test_a_cell_is_corrected_by_two_standards_at_their_temperature(fitted, open_page):
    page = open_page(f"/calibrate?target=channel-{fitted['ec']}")
    hands = page.get_by_role("group", name="Stand-in: put it")
    card = page.get_by_role("region", name="Point 1: In a standard")
    for name, code in (("KCl 0.01 mol/L", "kcl_001"), ("KCl 0.1 mol/L", "kcl_01")):
        hands.get_by_role("button", name=f"in {name}").click()
        expect(card.get_by_role("button", name="Capture")).to_be_disabled()
        card.get_by_label("Standard", exact=True).select_option(code)
        card.get_by_label("Temperature of the standard in °C").fill("4" if code == "kcl_001" else "20")
        capture(card, page)
        if code == "kcl_001":
            expect(card.get_by_role("alert")).to_contain_text("5 to 30")
            card.get_by_label("Temperature of the standard in °C").fill("20")
            capture(card, page)
        expect(card.locator(".captured")).to_have_count(1 if code == "kcl_001" else 2)
    expect(page.get_by_role("region", name="What the points give")).to_contain_text("The cell counts 1.06")
    page.get_by_role("button", name="Publish version 1").click()
    expect(page.get_by_role("region", name="Published")).to_contain_text("mS/cm")


def test_two_points_on_the_phone_with_one_hand(fitted, open_page):
    page = open_page(f"/calibrate?target=channel-{fitted['raw'][1]}", size=PHONE)
    hands = page.get_by_role("group", name="Stand-in: put it")
    for place, name in (
        ("in dry mix", "Point 1: Dry mix"),
        ("in soaked and drained mix", "Point 2: Soaked and drained"),
    ):
        hands.get_by_role("button", name=place).tap()
        card = page.get_by_role("region", name=name)
        button = card.get_by_role("button", name="Capture")
        expect(button).to_be_disabled()
        expect(button).to_be_enabled(timeout=60_000)
        box = button.bounding_box()
        assert box["height"] >= 48 and box["width"] > 250 and box["x"] + box["width"] <= 390
        button.tap()
        expect(card.locator(".captured")).to_have_count(1)
    page.get_by_role("button", name="Publish version 1").tap()
    expect(page.get_by_role("region", name="Published")).to_contain_text("% v/v")
    wide = page.evaluate(
        '[...document.querySelectorAll("body *")].filter(e => e.getBoundingClientRect().right > 391 && !e.closest(".reed-row, .parts")).map(e => e.outerHTML.slice(0, 90))'
    )
    assert wide == [] and page.evaluate("document.documentElement.scrollWidth") <= 390


def test_a_batch_is_captured_and_published_together(fitted, open_page):
    page = open_page("/calibrate?part=batch")
    chosen = page.get_by_role("group", name="Probes")
    for row in (fitted["names"][c] for c in fitted["raw"][1:]):
        chosen.get_by_role("checkbox", name=re.compile(re.escape(row["name"] + ","))).check()
    hands = page.get_by_role("group", name="Stand-in: put them")
    for place, title, done in (("in dry mix", "Dry mix", 0), ("in soaked and drained mix", "Soaked and drained", 0)):
        hands.get_by_role("button", name=place).click()
        region = page.get_by_role("region", name=title)
        expect(region.get_by_role("button", name="Capture the 0 steady")).to_be_visible(timeout=30_000)
        expect(region.get_by_role("button", name="Capture the 2 steady")).to_be_enabled(timeout=60_000)
        region.get_by_role("button", name="Capture the 2 steady").click()
        expect(page.get_by_role("table")).to_contain_text("captured")
        assert done == 0
    page.get_by_role("button", name="Publish the 2 that are ready").click()
    expect(page.get_by_role("table")).to_contain_text("version 2 published")
    expect(page.get_by_role("table")).to_contain_text("version 1 published")


def test_a_trial_gives_a_verdict_and_its_offset_is_adopted(fitted, stack, open_page):
    page = open_page("/calibrate?part=trial")
    page.get_by_role("button", name="Compare them").click()
    result = page.get_by_role("region", name="What the trial shows")
    expect(result.locator(".verdict")).to_contain_text("The first reads")
    expect(result.get_by_role("img", name=re.compile("Difference by hour of day"))).to_be_visible()
    expect(result).to_contain_text("Steps both have")
    result.get_by_role("button", name=re.compile("^Adopt the offset")).click()
    expect(result.get_by_role("status").first).to_contain_text("is in force from now")


def test_a_channel_says_whether_it_can_be_trusted(fitted, open_page):
    page = open_page("/calibrate?part=trust")
    page.get_by_role("button", name="Judge every sensor now").click()
    expect(page.get_by_role("status")).to_contain_text("channels judged", timeout=90_000)
    page.get_by_role("button", name=re.compile("probe 4A, raw count")).click()
    trust = page.get_by_role("region", name="Trust in probe 4A")
    expect(trust).to_contain_text("Judged")
    trust.get_by_text("Say it yourself, for 24 hours").click()
    trust.get_by_label("Reason").fill("rinsed and put back")
    trust.get_by_role("button", name="Set it for 24 hours").click()
    expect(trust.locator("h2 .trust-mark")).to_contain_text("not to be used")
    expect(trust.get_by_text("Set by hand: take it back")).to_be_visible()
    trust.get_by_role("button", name="Back to its own record").click()
    expect(trust.locator("h2 .trust-mark")).not_to_contain_text("set by")
