"""Lay out and Fit on the real interface: each part carries one task of the work through."""

import re
from contextlib import closing

import pytest
from playwright.sync_api import expect

pytestmark = pytest.mark.journey
PHONE = (390, 844)


def numbers_of(stack):
    """Site, and beds by name."""
    with closing(stack.client()) as client:
        site = client.get("/api/session/").json()["sites"][0]["id"]
        houses = client.get(f"/api/sites/{site}/layout/").json()["houses"]
        return site, {b["form"]["name"]: b["id"] for h in houses for b in h["beds"]}


def test_the_plan_chooses_a_bed_and_the_row_is_moved_by_keyboard(stack, open_page):
    _, beds = numbers_of(stack)
    page = open_page("/layout")
    page.get_by_role("button", name=re.compile("^Bed 3, pointed pepper|^Bed 3, ")).first.press("Enter")
    expect(page).to_have_url(re.compile(f"/layout/{beds['3']}$"))
    expect(page.locator(".reed-button[aria-current]")).to_contain_text("3")
    rows = page.get_by_role("table").first.get_by_role("row")
    page.get_by_role("button", name="Move bed 2 up").press("Enter")
    expect(rows.nth(1)).to_contain_text("2 snack")
    expect(page.get_by_role("button", name="Move bed 1 up")).to_be_enabled()
    page.get_by_role("button", name="Move bed 1 up").press("Enter")
    expect(rows.nth(1)).to_contain_text("1 snack")
    rows.nth(2).drag_to(rows.nth(1))
    expect(rows.nth(1)).to_contain_text("2 snack")
    rows.nth(2).drag_to(rows.nth(1))
    expect(rows.nth(1)).to_contain_text("1 snack")


def test_a_bed_is_copied_many_are_added_and_one_is_retired(stack, open_page):
    page = open_page("/layout")
    south = page.get_by_role("region", name="House South")
    south.get_by_role("button", name="Add many alike").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("How many").fill("2")
    dialog.get_by_label("Numbered from").fill("40")
    dialog.get_by_role("button", name="Add 2 beds").click()
    expect(south.get_by_role("row", name=re.compile("^41 "))).to_be_visible()
    for name in ("40", "41"):
        expect(page.get_by_role("dialog")).to_have_count(0)
        south.get_by_role("button", name=f"Retire bed {name}").click()
        expect(south.get_by_role("alert")).to_contain_text("its record stays")
        south.get_by_role("button", name="retire it").click()
        expect(south.get_by_role("row", name=re.compile(f"^{name} "))).to_have_count(0)
    expect(page.locator(".reed-button")).to_have_count(6)


def test_the_waters_way_is_drawn_and_says_what_runs_together(stack, open_page):
    page = open_page("/layout?part=water")
    expect(page.locator(".lead").first).to_contain_text(re.compile("North pump feeds its beds in 2 groups"))
    expect(page.get_by_role("img", name=re.compile("From source to drain: Rain basin"))).to_have_count(2)
    expect(page.get_by_role("img", name=re.compile("One round")).first).to_be_visible()
    page.get_by_role("button", name=re.compile("flow of North pump")).click()
    panel = page.get_by_role("dialog")
    expect(panel).to_contain_text("Q = qr sqrt((H0 - H)/(H0 - Hr))")
    expect(panel).to_contain_text("head asked of it")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Change Day tank").click()
    page.get_by_label("Warning level").fill("100")
    page.get_by_role("button", name="Keep the tank").click()
    expect(page.get_by_role("dialog")).to_contain_text("above the empty level of 240 L")


def test_cups_are_pasted_judged_and_kept(stack, open_page):
    _, beds = numbers_of(stack)
    page = open_page(f"/layout/{beds['4']}?part=drippers")
    page.get_by_label("Cups in bed order").fill("70 69 71 30 70 72 68 70 0 71 70 69")
    result = page.get_by_role("region", name="What the cups say")
    expect(result).to_contain_text("Swap 4, 9")
    expect(result).to_contain_text("(unacceptable)")
    expect(page.get_by_role("img", name=re.compile("12 cups in bed order. Dripper 4: swap"))).to_be_visible()
    page.get_by_role("button", name=re.compile("Keep this test")).click()
    expect(page.get_by_role("status")).to_contain_text("from now on")
    expect(page.get_by_role("table").last).to_contain_text("12")


def test_a_payback_assumption_moves_the_range(stack, open_page):
    page = open_page("/layout?part=payback")
    lead = page.locator(".lead")
    before = lead.inner_text()
    page.get_by_label("share saved, likely").fill("22")
    page.get_by_label("share saved, likely").blur()
    expect(lead).not_to_have_text(before)
    page.get_by_label("share saved, low").fill("60")
    page.get_by_label("share saved, low").blur()
    expect(page.get_by_role("alert")).to_contain_text("between its low")


def test_an_owner_asks_a_grower_in(stack, open_page, browser):
    page = open_page("/layout?part=people")
    page.get_by_role("radio", name=re.compile("viewer")).check()
    page.get_by_role("button", name="Make a link for a viewer").click()
    link = page.locator(".link-once").inner_text()
    context = browser.new_context(viewport={"width": PHONE[0], "height": PHONE[1]})
    guest = context.new_page()
    guest.goto(link)
    expect(guest.get_by_text("You are asked in to Heron Quay Glass as viewer")).to_be_visible()
    guest.get_by_label("Your name", exact=True).fill("Mara")
    guest.get_by_label("Name to sign in with").fill("mara")
    guest.get_by_label("Password").fill("short")
    guest.get_by_role("button", name="Join").click()
    expect(guest.get_by_role("alert").first).to_contain_text("at least 8 characters")
    guest.get_by_label("Password").fill("a-long-password")
    guest.get_by_role("button", name="Join").click()
    expect(guest.get_by_role("heading", name="Heron Quay Glass, now")).to_be_visible()
    guest.goto(link)
    expect(guest.get_by_role("alert")).to_contain_text("works once")
    context.close()


def test_a_device_beyond_its_contact_is_told_with_the_figures(stack, open_page):
    page = open_page("/layout?part=electrics")
    page.get_by_role("button", name=re.compile("plate: North pump")).click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Contact rating").fill("5")
    dialog.get_by_role("button", name="Keep the sheet").click()
    device = page.get_by_role("region", name="North pump", exact=True)
    expect(device).to_contain_text("it would weld shut")
    expect(page.locator(".lead")).to_contain_text("North pump: not so")


def test_the_chooser_answers_the_sentence(stack, open_page):
    page = open_page("/fit/1?part=choose")
    page.get_by_label("What you want to know").select_option("nutrients")
    first = page.locator(".choices li").filter(has=page.get_by_role("heading", name="N-P-K bus probe"))
    expect(first).to_contain_text("It infers what it shows instead of measuring it")
    page.get_by_label("Wanted tolerance in points").fill("1")
    expect(page.get_by_role("region", name="How many probes")).to_contain_text(
        "probes make the mean of bed 1 certain to 1 points"
    )


def test_a_probe_is_dragged_and_plastic_is_refused(stack, open_page):
    _, beds = numbers_of(stack)
    page = open_page(f"/fit/{beds['3']}?part=place")
    expect(page.locator(".lead")).to_contain_text("A fair place")
    handle = page.get_by_role("slider", name="Probe")
    handle.focus()
    for _ in range(5):
        page.keyboard.press("ArrowDown")
    expect(page.locator(".lead")).to_contain_text("below the floor")
    expect(page.get_by_role("button", name=re.compile("stands here now"))).to_be_disabled()
    box = page.locator(".place-drawing").bounding_box()
    grip = handle.bounding_box()
    page.mouse.move(grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.62, box["y"] + box["height"] * 0.52, steps=6)
    page.mouse.up()
    expect(page.locator(".lead")).to_contain_text("A fair place")
    page.get_by_role("button", name=re.compile("stands here now")).click()
    expect(page.get_by_role("status")).to_contain_text("Kept")


def test_bytes_go_out_and_come_back_and_a_register_becomes_a_channel(stack, open_page):
    page = open_page("/fit/1?part=bus")
    expect(page.locator(".frame-table").first).to_contain_text("first register")
    page.get_by_role("button", name="Send it").click()
    expect(page.locator(".frame-table").nth(1)).to_contain_text("byte count")
    decode = page.get_by_role("region", name="Decode and keep")
    decode.get_by_label("Quantity").select_option("permittivity")
    decode.get_by_label("Scale").fill("0.01")
    decode.get_by_role("button", name="Make it a channel").click()
    expect(decode.get_by_role("status")).to_contain_text("It is a channel of")
    page.get_by_label("Bytes as hexadecimal digits").fill("01 83 02 C0 F1")
    expect(page.get_by_role("region", name="Take bytes apart")).to_contain_text("counts from 0 or from 1")


def test_the_sheet_prints_one_page_in_black_and_white(stack, open_page):
    page = open_page("/fit?part=sheet")
    page.get_by_role("article", name=re.compile("Wiring sheet")).wait_for()
    page.locator(".wiring img").first.wait_for()
    page.wait_for_function("[...document.querySelectorAll('.wiring img')].every(i => i.complete && i.naturalWidth > 0)")
    page.emulate_media(media="print")
    expect(page.locator(".reed-row")).to_be_hidden()
    expect(page.get_by_text("keep the electronics above this line")).to_be_visible()
    assert page.pdf(format="A4").startswith(b"%PDF")


def test_a_fault_set_on_a_standin_is_seen_by_everyone(stack, open_page):
    site, beds = numbers_of(stack)
    with closing(stack.client()) as client:
        client.post(f"/api/sites/{site}/demo/clock/", json={"rate": 1})
        body = {
            "name": "Faulty 1",
            "kind": "modbus_rtu",
            "standin": True,
            "poll_s": 1,
            "sensors": [{"kind": "capacitive", "bed": beds["1"]}],
        }
        made = client.post(f"/api/sites/{site}/nodes/new/", json=body).json()
    page = open_page(f"/fit/{beds['1']}")
    node = page.get_by_role("region", name="Node Faulty 1")
    expect(node.get_by_role("cell", name=re.compile("counts$"))).to_be_visible(timeout=30_000)
    node.get_by_text("set faults on this stand-in").click()
    node.get_by_role("button", name="bad checksum").click()
    expect(node.get_by_role("alert")).to_contain_text("stopped answering", timeout=40_000)
    expect(node.get_by_text("silent, last heard")).to_be_visible(timeout=60_000)
    page.get_by_role("link", name="Watch").click()
    page.goto(stack.address + "/watch")
    expect(page.locator(".lead")).to_contain_text("Node Faulty 1 is silent")
    with closing(stack.client()) as client:
        assert client.post(f"/api/nodes/{made['id']}/retire/").status_code == 204
