"""./reed start: install what is missing, prepare the database, run everything until told to stop."""

from __future__ import annotations

import contextlib
import json
import os
import secrets
import shutil
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
from dataclasses import dataclass
from pathlib import Path

from .install import built_interface, environment, python_environment
from .postgres import Cluster, wait_gone
from .shell import PYTHON, ROOT, VAR, StepFailed, free_port, free_port_row, run, say

DEFAULT_PORT = 8000
STANDIN_NODES = 4
STANDIN_EXTRA = 24
"""Ports for stand-in nodes that people add."""


@dataclass
class Options:
    port: int | None
    fresh: bool
    demo: bool
    folder: Path = VAR


def keys(folder: Path) -> dict[str, str]:
    """The secret key and the gateway's token, made once and kept readable by their owner only."""
    path = folder / "keys.json"
    if not path.exists():
        folder.mkdir(parents=True, exist_ok=True)
        made = {"SECRET_KEY": secrets.token_urlsafe(48), "GATEWAY_TOKEN": secrets.token_urlsafe(32)}
        descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(descriptor, "w") as file:
            json.dump(made, file)
    return dict(json.loads(path.read_text()))


def manage(env: dict[str, str], *args: str, step: str = "", mend: str = "run ./reed doctor") -> str:
    return run(step or f"manage.py {args[0]}", [str(PYTHON), str(ROOT / "server" / "manage.py"), *args], mend, env)


def procfile(port: int, demo: bool, node_base: int, folder: Path) -> str:
    """The processes for honcho, each kept running. exec, so that a signal reaches the keeper itself."""
    server = f"http://127.0.0.1:{port}"
    web = (
        f"{PYTHON} -m uvicorn config.asgi:application --host 127.0.0.1 --port {port} --log-level warning "
        "--timeout-graceful-shutdown 2 --no-access-log --lifespan off"
    )
    processes = {
        "web": web,
        "worker": f"{PYTHON} {ROOT / 'server' / 'manage.py'} worker",
        "gateway": f"{PYTHON} -m gateway --server {server} --folder {folder / 'gateway'}",
    }
    if demo:
        processes["standin"] = (
            f"{PYTHON} -m standin serve --port-base {node_base} --state {folder / 'standin' / 'state.json'} "
            f"--start-from {folder / 'demo' / 'history.json'} --server {server}"
        )
    else:
        processes["standin"] = f"{PYTHON} -m standin alone --server {server}"
    keep = f"exec {sys.executable} {ROOT / 'launcher' / 'keep.py'}"
    return "".join(f"{name}: {keep} {name} {command}\n" for name, command in processes.items())


def prepare_demo(env: dict[str, str], folder: Path, node_base: int) -> None:
    """Make the history once, load it once; afterwards only wake the clock."""
    history = folder / "demo"
    if not (history / "history.json").exists():
        say("making fourteen days of history for the demo holding")
        run(
            "making the demo's history",
            [str(PYTHON), "-m", "standin", "history", "--out", str(history)],
            "run ./reed start --fresh",
            env,
        )
    said = manage(
        env,
        "demo",
        "--history",
        str(history),
        "--port-base",
        str(node_base),
        step="loading the demo",
        mend="run ./reed start --fresh to begin anew",
    )
    if "loaded" in said:
        # A new history in the database goes with a new world: an older one would not fit it.
        with contextlib.suppress(FileNotFoundError):
            (folder / "standin" / "state.json").unlink()


def _answers(port: int) -> bool:
    """Whether the server says who is not signed in: a small answer that goes through everything it needs."""
    opener = urllib.request.build_opener(urllib.request.ProxyHandler({}))
    try:
        opener.open(f"http://127.0.0.1:{port}/api/session/", timeout=5).close()
    except urllib.error.HTTPError as error:
        return error.code < 500
    except (urllib.error.URLError, OSError):
        return False
    return True


def await_answer(port: int, process: subprocess.Popen[bytes], seconds: float = 120) -> None:
    """Wait until the web process answers."""
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        if process.poll() is not None:
            raise StepFailed("starting the processes", "they ended again, see above", "run ./reed doctor")
        if _answers(port):
            return
        time.sleep(0.15)
    raise StepFailed("starting the processes", f"no answer on port {port} within {seconds:.0f} s", "run ./reed doctor")


class Running:
    """Everything that `start` has started, and how to end it: processes first, PostgreSQL last."""

    def __init__(self, options: Options) -> None:
        self.options = options
        self.cluster: Cluster | None = None
        self.honcho: subprocess.Popen[bytes] | None = None
        self.port = 0
        self.env: dict[str, str] = {}

    def up(self) -> None:
        folder = self.options.folder
        if self.options.fresh:
            self._forget()
        url = os.environ.get("DATABASE_URL", "")
        if not url:
            self.cluster = Cluster(folder / "postgres")
            url = self.cluster.start()
        self.port = free_port(self.options.port or DEFAULT_PORT)
        if self.options.port and self.port != self.options.port:
            raise StepFailed("taking the port", f"port {self.options.port} is in use", "choose another one with --port")
        kept = keys(folder)
        extra_base = free_port_row(STANDIN_EXTRA)
        self.env = environment(
            url,
            DATABASE_POOL="true",
            STANDIN_PORT_BASE=str(extra_base),
            UPLOADS=str(folder / "uploads"),
            **kept,
        )
        manage(self.env, "migrate", "--verbosity", "0", step="migrating the database")
        node_base = free_port_row(STANDIN_NODES, extra_base + STANDIN_EXTRA)
        if self.options.demo:
            prepare_demo(self.env, folder, node_base)
        path = folder / "Procfile"
        path.write_text(procfile(self.port, self.options.demo, node_base, folder))
        self.honcho = subprocess.Popen(
            [str(PYTHON), "-m", "honcho", "-f", str(path), "-d", str(ROOT), "start"],
            env=self.env,
            start_new_session=True,
        )
        await_answer(self.port, self.honcho)

    def _forget(self) -> None:
        say("beginning anew: the database, the demo's history and the kept world are removed")
        if not os.environ.get("DATABASE_URL"):
            Cluster(self.options.folder / "postgres").remove()
        else:
            env = environment(os.environ["DATABASE_URL"])
            manage(env, "flush", "--no-input", step="emptying the database of DATABASE_URL")
        for name in ("demo", "standin", "gateway", "ports.json"):
            shutil.rmtree(self.options.folder / name, ignore_errors=True)

    def watch(self) -> None:
        """Until honcho ends: see that PostgreSQL runs, and start it again when it was killed."""
        assert self.honcho is not None
        while self.honcho.poll() is None:
            if self.cluster is not None and not self.cluster.alive():
                say("PostgreSQL is gone; starting it again")
                try:
                    self.cluster.start()
                except StepFailed as error:
                    say(f"{error}")
            time.sleep(0.5)

    def down(self) -> None:
        if self.honcho is not None:
            wait_gone(self.honcho, 12)
        if self.cluster is not None and self.cluster.port:
            self.cluster.stop()


def install() -> None:
    python_environment(dev=False)
    built_interface()


def start(options: Options) -> int:
    """Run until Ctrl-C or TERM."""
    began = time.monotonic()
    running = Running(options)

    def stop_now(_signal: int, _frame: object) -> None:
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, stop_now)
    try:
        install()
        running.up()
        _greet(running, time.monotonic() - began)
        running.watch()
        say("the process manager ended by itself; stopping the rest")
        return 1
    except KeyboardInterrupt:
        say("stopping")
        return 0
    finally:
        # A second Ctrl-C must not leave PostgreSQL behind.
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        signal.signal(signal.SIGTERM, signal.SIG_IGN)
        running.down()
        sys.stdout.flush()


def _greet(running: Running, seconds: float) -> None:
    say(f"ready after {seconds:.1f} s at http://127.0.0.1:{running.port}/")
    if running.options.demo:
        definition = json.loads((ROOT / "data" / "heron_quay_glass.json").read_text())
        person = definition["people"][0]
        say(f"sign in as {person['username']} with password {person['password']}. The demo runs on its own clock.")
    else:
        token = manage(running.env, "first_link", step="making the first owner's link").strip()
        if token:
            say(
                "no demo and nobody here yet. The first owner sets name and password on this link, good once, for 7 days:"
            )
            say(f"http://127.0.0.1:{running.port}/welcome/{token.splitlines()[-1]}")
        else:
            say("no demo: sign in with your own name and password")
    say("Ctrl-C stops everything")
