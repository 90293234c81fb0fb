"""docs/screenshots anew from a fresh demo: python -m tests.bench.shots, by ./reed shots."""

import os
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from tests.journeys.conftest import PERSON, Stack

ROOT = Path(__file__).resolve().parent.parent.parent
DESK, PHONE = (1280, 800), (390, 844)
VIEWS: list[tuple[str, str, tuple[int, int]]] = [
    ("watch-house", "/watch", DESK),
    ("watch-bed", "/watch/3", DESK),
    ("calibrate", "/calibrate/6", DESK),
    ("water", "/water/3", DESK),
    ("water-compare", "/water/3?part=compare", DESK),
    ("lay-out", "/layout/3", DESK),
    ("substrate", "/layout/3?part=media", DESK),
    ("waters-way", "/layout/3?part=water", DESK),
    ("side-by-side", "/calibrate?part=trial", DESK),
    ("trust", "/calibrate/1?part=trust", DESK),
    ("fit", "/fit", DESK),
    ("choose", "/fit/3?part=choose", DESK),
    ("place", "/fit/3?part=place", DESK),
    ("bus-bench", "/fit/3?part=bus", DESK),
    ("wiring-sheet", "/fit/3?part=sheet", DESK),
    ("phone-watch", "/watch", PHONE),
    ("phone-bed", "/watch/3", PHONE),
    ("phone-calibrate", "/calibrate/6", PHONE),
    ("phone-prove", "/fit?part=prove&channel=1", PHONE),
]


def take(page: Page, stack: Stack, name: str, path: str) -> None:
    page.goto(stack.address + path)
    page.get_by_label("Name").fill(PERSON[0])
    page.get_by_label("Password").fill(PERSON[1])
    page.get_by_role("button", name="Sign in").click()
    page.locator(".sheet h1").wait_for()
    page.wait_for_timeout(6000 if "compare" in path else 2500)
    page.screenshot(path=str(ROOT / "docs" / "screenshots" / f"{name}.png"))


def main() -> None:
    stack = Stack(Path(os.environ["REED_TEST_FOLDER"]) / "stack")
    (ROOT / "docs" / "screenshots").mkdir(parents=True, exist_ok=True)
    try:
        stack.up()
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(
                executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu"]
            )
            for name, path, (width, height) in VIEWS:
                page = browser.new_page(viewport={"width": width, "height": height})
                take(page, stack, name, path)
                page.close()
                print(f"docs/screenshots/{name}.png")
            browser.close()
    finally:
        stack.down()
        stack.cluster.remove()


if __name__ == "__main__":
    main()
