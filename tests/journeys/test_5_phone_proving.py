"""In the house, on the phone, one-handed: a probe by the code on its label, and a valve held to run."""

import re
import time
from contextlib import closing

import pytest
from playwright.sync_api import expect

pytestmark = pytest.mark.journey
PHONE = (390, 844)


@pytest.fixture(scope="module")
def probe_on_label(stack):
    """A stand-in node with one probe in bed 5, polled each second; the probe's number and its channel."""
    with closing(stack.client()) as client:
        site = client.get("/api/session/").json()["sites"][0]["id"]
        client.post(f"/api/sites/{site}/demo/clock/", json={"rate": 1})
        beds = [b for h in client.get(f"/api/sites/{site}/layout/").json()["houses"] for b in h["beds"]]
        bed = next(b["id"] for b in beds if b["form"]["name"] == "5")
        body = {
            "name": "Phone 1",
            "kind": "modbus_rtu",
            "standin": True,
            "poll_s": 1,
            "sensors": [{"kind": "capacitive", "bed": bed}],
        }
        made = client.post(f"/api/sites/{site}/nodes/new/", json=body).json()
        node = next(n for n in client.get(f"/api/sites/{site}/nodes/").json() if n["id"] == made["id"])
        yield node["channels"][0]["probe"], made["channels"][0]
        client.post(f"/api/nodes/{made['id']}/retire/")


def test_the_code_opens_the_probe_and_it_is_proven_by_thumb(open_page, probe_on_label):
    probe, _ = probe_on_label
    page = open_page(f"/probe/{probe}", size=PHONE)
    expect(page.get_by_role("heading", name=re.compile("Probe 5"))).to_be_visible()
    page.get_by_role("button", name="Prove it").tap()
    page.get_by_role("button", name="Begin the test").tap()
    hands = page.get_by_role("group", name="Stand-in: the sensor is")
    for place, wait in (("in air", 20), ("in wet medium", 20), ("in air", 20)):
        hands.get_by_role("button", name=place).first.tap()
        page.wait_for_timeout(wait * 1000)
        button = page.locator(".proof-acts .primary")
        expect(button).to_be_enabled(timeout=30_000)
        box = button.bounding_box()
        assert box["height"] >= 44 and box["width"] >= 300  # a wet thumb finds it
        button.tap()
        page.wait_for_timeout(400)
    expect(page.locator(".proof .lead")).to_contain_text("passed", timeout=20_000)
    assert page.evaluate("document.documentElement.scrollWidth <= window.innerWidth")


def test_a_valve_runs_while_held_and_stops_when_let_go(open_page, stack):
    with closing(stack.client()) as client:
        site = client.get("/api/session/").json()["sites"][0]["id"]
        client.post(f"/api/sites/{site}/demo/clock/", json={"rate": 1})
        beds = {b["name"]: b for b in client.get(f"/api/sites/{site}/watch/").json()["beds"]}
        client.post(f"/api/beds/{beds['6']['id']}/stop/")
        client.post(f"/api/beds/{beds['5']['id']}/stop/")
        deadline = time.monotonic() + 60
        while time.monotonic() < deadline and any(
            client.get(f"/api/sites/{site}/watch/").json()["beds"][i]["running_s"] for i in (4, 5)
        ):
            time.sleep(1)
        nodes = client.get(f"/api/sites/{site}/nodes/").json()
        device = next(a["id"] for n in nodes for a in n["actuators"] if a["bed"] == beds["6"]["id"])
    page = open_page(f"/fit?part=prove&device={device}", size=PHONE)
    page.get_by_role("button", name="Begin the test").tap()
    hold = page.get_by_role("button", name=re.compile("Hold to run"))
    hold.scroll_into_view_if_needed()
    box = hold.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    expect(page.get_by_role("button", name="Running while you hold")).to_be_visible()
    page.wait_for_timeout(14_000)
    page.mouse.up()
    expect(page.locator(".findings")).to_contain_text("✓ runs", timeout=30_000)
    expect(page.locator(".findings")).to_contain_text("✓ stops", timeout=40_000)
    page.get_by_role("button", name="Keep the result").tap()
    expect(page.get_by_role("status")).to_contain_text("Passed")
    with closing(stack.client()) as client:
        client.post(f"/api/beds/{beds['6']['id']}/resume/")
        client.post(f"/api/beds/{beds['5']['id']}/resume/")


def test_nothing_runs_after_the_page_is_closed(open_page, stack):
    with closing(stack.client()) as client:
        site = client.get("/api/session/").json()["sites"][0]["id"]
        beds = {b["name"]: b for b in client.get(f"/api/sites/{site}/watch/").json()["beds"]}
        client.post(f"/api/beds/{beds['6']['id']}/stop/")
        nodes = client.get(f"/api/sites/{site}/nodes/").json()
        device = next(a["id"] for n in nodes for a in n["actuators"] if a["bed"] == beds["6"]["id"])
        page = open_page(f"/fit?part=prove&device={device}")
        page.get_by_role("button", name="Begin the test").click()
        box = page.get_by_role("button", name=re.compile("Hold to run")).bounding_box()
        page.mouse.move(box["x"] + 30, box["y"] + 30)
        page.mouse.down()
        page.wait_for_timeout(3_000)
        page.context.close()  # the network, the phone and the person are gone in one moment
        proof = client.post(f"/api/actuators/{device}/proof/").json()
        deadline, left = time.monotonic() + 15, 99.0
        while left > 0 and time.monotonic() < deadline:
            left = client.get(f"/api/actuator-proofs/{proof['id']}/").json()["left_s"]
            assert left <= 3.5
            time.sleep(0.5)
        assert left == 0
        client.post(f"/api/actuator-proofs/{proof['id']}/finish/", json={})
        client.post(f"/api/beds/{beds['6']['id']}/resume/")
