"""From an empty installation to a proven first sensor, as docs/first-sensor.md counts the steps."""

import re
import time
from contextlib import closing

import httpx
import pytest
from playwright.sync_api import expect

from launcher.start import manage

pytestmark = pytest.mark.journey
PRACTISED_HAND_S = 300


def fill(page, label, value):
    page.get_by_label(label, exact=True).fill(value)


def test_from_nothing_to_a_proven_sensor(empty_stack, browser):
    token = manage(empty_stack.running.env, "first_link").strip().splitlines()[-1]
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    page = context.new_page()
    page.set_default_timeout(20_000)
    problems = []
    page.on("pageerror", lambda error: problems.append(str(error)))
    began = time.monotonic()

    # 1: the link; the first owner and the holding.
    page.goto(f"{empty_stack.address}/welcome/{token}")
    for label, value in (
        ("Your name", "Ada"),
        ("Name to sign in with", "ada"),
        ("Password", "a-long-password"),
        ("Name of the holding", "New Quay"),
        ("Latitude, degrees north", "53.1"),
        ("Longitude, degrees east", "0.2"),
    ):
        fill(page, label, value)
    page.get_by_label("Height above the sea, m").click()
    expect(page.get_by_label("Time zone")).to_have_value("Europe/London")
    page.get_by_role("button", name="Begin").click()
    expect(page.get_by_role("heading", name="New Quay, laid out")).to_be_visible()
    expect(page.locator(".demo-bar")).to_have_count(0)
    steps = page.get_by_role("list", name="First steps")
    expect(steps.locator(".next")).to_contain_text("Add the first house")

    # 2: a house and a bed.
    page.get_by_role("button", name="Add a house").click()
    fill(page, "Name", "House One")
    page.get_by_role("dialog").get_by_role("button", name="Add the house").click()
    page.get_by_role("button", name="Add a bed to House One").click()
    page.get_by_role("dialog").get_by_label("Crop").fill("pepper")
    expect(page.get_by_role("dialog")).to_contain_text("substrate per plant")
    page.get_by_role("dialog").get_by_role("button", name="Add the bed").click()
    expect(page.get_by_role("row", name=re.compile("^1 pepper"))).to_be_visible()

    # 3: where the water comes from: source, tank, pump; what follows is said.
    steps.get_by_role("button", name="go there").first.click()
    page.get_by_role("button", name="Add a water source").click()
    fill(page, "Name", "Basin")
    page.get_by_role("button", name="Keep the source").click()
    page.get_by_role("button", name="Add a tank").click()
    page.get_by_role("button", name="Keep the tank").click()
    page.get_by_role("button", name="Add a pump").click()
    page.get_by_role("button", name="Keep the pump").click()
    expect(page.get_by_text("Pump feeds its bed").first).to_be_visible()

    # 4: a stand-in node with one probe.
    page.get_by_role("link", name="Fit").click()
    page.get_by_role("button", name="Add a node").click()
    fill(page, "Asked every", "1")
    page.get_by_role("button", name="Add the stand-in node").click()

    # 5: the guided test: in air, in wet medium, in air again.
    expect(page.get_by_role("heading", name="Prove raw count of bed 1, probe 1A")).to_be_visible()
    page.get_by_role("button", name="Begin the test").click()
    hands = page.get_by_role("group", name="Stand-in: the sensor is")
    for place, wait, go_on in (
        ("in air", 20_000, "It is in wet medium now"),
        ("in wet medium", 20_000, "It is in air again now"),
        ("in air", 20_000, "Judge and keep"),
    ):
        hands.get_by_role("button", name=place).first.click()
        page.wait_for_timeout(wait)
        if go_on != "Judge and keep":
            expect(page.get_by_role("button", name=go_on)).to_be_enabled(timeout=30_000)
            page.get_by_role("button", name=go_on).click()
    expect(page.get_by_role("button", name="Judge and keep")).to_be_enabled(timeout=30_000)
    page.get_by_role("button", name="Judge and keep").click()
    expect(page.locator(".proof .lead")).to_contain_text("passed")
    assert time.monotonic() - began < PRACTISED_HAND_S
    expect(page.locator(".checks")).to_contain_text("It reacts: raw falls as water rises")
    assert problems == []
    context.close()

    # The link has ended, and the record is there.
    with closing(httpx.Client(base_url=empty_stack.address, trust_env=False)) as client:
        assert client.get(f"/api/welcome/{token}/").status_code == 422
        answer = client.post("/api/session/sign-in/", json={"username": "ada", "password": "a-long-password"})
        site = answer.json()["sites"][0]["id"]
        node = next(n for n in client.get(f"/api/sites/{site}/nodes/").json() if n["is_standin"])
        assert node["channels"][0]["proof"]["outcome"] == "pass" and node["silent"] is False
