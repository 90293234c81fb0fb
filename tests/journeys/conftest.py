"""The whole product on ports and a database of its own, and a real browser in front of it."""

import asyncio
import contextlib
import os
import shutil
import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import expect, sync_playwright

from gateway.bus import ActuatorStatus, NodeBus
from launcher.postgres import Cluster
from launcher.shell import ROOT, VAR, free_port
from launcher.start import Options, Running

# A busy machine may take longer to draw; what never comes still fails.
expect.set_options(timeout=20_000)
PERSON = ("demo", "heron-quay")
VIEWER = ("demo-viewer", "heron-quay")


class Stack:
    """A running product in a folder of its own, that can be stopped, started again and hurt."""

    def __init__(self, folder: Path, demo: bool = True) -> None:
        self.folder, self.port, self.demo = folder, free_port(), demo
        self.running: Running | None = None

    def up(self) -> None:
        kept = os.environ.pop("DATABASE_URL", None)
        try:
            self.running = Running(Options(self.port, False, self.demo, self.folder))
            self.running.up()
        finally:
            if kept:
                os.environ["DATABASE_URL"] = kept
        threading.Thread(target=self.running.watch, daemon=True).start()

    def down(self) -> None:
        if self.running:
            self.running.down()

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    @property
    def cluster(self) -> Cluster:
        assert self.running and self.running.cluster
        return self.running.cluster

    def client(self, person=PERSON) -> httpx.Client:
        client = httpx.Client(base_url=self.address, timeout=20, trust_env=False)
        answer = client.post("/api/session/sign-in/", json={"username": person[0], "password": person[1]})
        answer.raise_for_status()
        client.headers["X-CSRFToken"] = client.cookies["csrftoken"]
        return client

    def process(self, word: str) -> int:
        """Process id of one of ours whose command line holds a word: a grandchild of honcho, never anyone else's."""
        assert self.running and self.running.honcho
        for pid in descendants(self.running.honcho.pid):
            with contextlib.suppress(OSError):
                line = Path(f"/proc/{pid}/cmdline").read_bytes().replace(b"\0", b" ").decode()
                if word in line and "keep.py" not in line:
                    return pid
        raise LookupError(word)

    def valve(self, offset: int = 0, status_register: int = 300) -> ActuatorStatus:
        """What a stand-in's actuator last ran and how long it still runs, asked at the node itself."""
        line = next(line for line in (self.folder / "Procfile").read_text().splitlines() if line.startswith("standin"))
        port = int(line.split("--port-base ")[1].split()[0]) + offset

        async def ask() -> ActuatorStatus:
            bus = NodeBus("127.0.0.1", port, 1)
            try:
                return await bus.status(status_register)
            finally:
                bus.close()

        # Playwright's own loop runs in this thread, so the question gets a thread of its own.
        with ThreadPoolExecutor(max_workers=1) as pool:
            return pool.submit(lambda: asyncio.run(ask())).result()


def descendants(pid: int) -> list[int]:
    found: list[int] = []
    with contextlib.suppress(OSError):
        for child in Path(f"/proc/{pid}/task/{pid}/children").read_text().split():
            found += [int(child), *descendants(int(child))]
    return found


@pytest.fixture(scope="session")
def stack():
    folder = Path(os.environ.get("REED_TEST_FOLDER", str(VAR / f"journey-{os.getpid()}"))) / "stack"
    made = Stack(folder)
    made.up()
    yield made
    made.down()
    made.cluster.remove()
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="module")
def empty_stack():
    """The product as a new grower starts it: no demo, nobody there yet."""
    folder = Path(os.environ.get("REED_TEST_FOLDER", str(VAR / f"journey-{os.getpid()}"))) / "empty"
    made = Stack(folder, demo=False)
    made.up()
    yield made
    made.down()
    made.cluster.remove()
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="module")
def browser():
    """Closed after each module: while it is open, Playwright's event loop runs in this thread."""
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(
            executable_path=shutil.which("chromium") or "/usr/bin/chromium",
            args=[
                "--no-sandbox",
                "--disable-gpu",
                "--disable-quic",
                "--no-first-run",
                "--disable-background-networking",
                "--disable-component-update",
                "--disable-sync",
            ],
        )
        yield chromium
        chromium.close()


@pytest.fixture
def open_page(browser, stack):
    """A signed-in page at a path. Errors of the page's scripts fail the test."""
    contexts, problems = [], []

    def make(path="/", size=(1280, 800), person=PERSON, sign_in=True):
        context = browser.new_context(viewport={"width": size[0], "height": size[1]}, has_touch=size[0] < 500)
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(20_000)
        page.on("pageerror", lambda error: problems.append(str(error)))
        page.goto(stack.address + path)
        if sign_in:
            page.get_by_label("Name").fill(person[0])
            page.get_by_label("Password").fill(person[1])
            page.get_by_role("button", name="Sign in").click()
            page.locator(".sheet h1").wait_for()
        return page

    yield make
    for context in contexts:
        context.close()
    assert problems == []


AXE = ROOT / "web/node_modules/axe-core/axe.min.js"
