"""Running commands, saying what happens, and failing with what to do."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
VAR = ROOT / "var"
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
WEB = ROOT / "web"


class StepFailed(Exception):
    """A step that did not work: which, why, and what to do."""

    def __init__(self, step: str, why: str, mend: str) -> None:
        self.step, self.why, self.mend = step, why, mend
        super().__init__(f"{step} failed.\n  Why: {why.strip()[-1500:]}\n  What to do: {mend}")


def say(text: str) -> None:
    print(f"reed: {text}", flush=True)


def run(step: str, command: list[str], mend: str, env: dict[str, str] | None = None, cwd: Path | None = None) -> str:
    """Run a command to its end; its output, or StepFailed with the end of what it said."""
    try:
        done = subprocess.run(
            command, cwd=cwd or ROOT, env=env, text=True, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, check=False
        )
    except OSError as error:
        raise StepFailed(step, str(error), mend) from None
    if done.returncode != 0:
        raise StepFailed(step, done.stdout or f"{command[0]} ended with {done.returncode}", mend)
    return done.stdout


def is_root() -> bool:
    return os.geteuid() == 0


def have(command: str) -> bool:
    return shutil.which(command) is not None


def install_debian(step: str, packages: list[str]) -> None:
    """Install Debian packages; not root: the exact command to run."""
    command = ["apt-get", "install", "-y", "--no-install-recommends", *packages]
    by_hand = "run: " + ("" if is_root() else "sudo ") + " ".join(command)
    if not is_root():
        raise StepFailed(step, f"{', '.join(packages)} not installed, and installing needs root", by_hand)
    if not have("apt-get"):
        raise StepFailed(step, "this is not a Debian machine", f"install by hand: {', '.join(packages)}")
    say(f"installing {', '.join(packages)} from Debian")
    env = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    run(step, ["apt-get", "update"], "check that Debian's package servers can be reached", env)
    run(step, command, by_hand, env)


def free_port(wanted: int | None = None) -> int:
    """A loopback port that is free now; the wanted one if it is."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", wanted or 0))
        except OSError:
            if wanted is None:
                raise
            return free_port()
        return int(probe.getsockname()[1])


def free_port_row(count: int, start: int | None = None) -> int:
    """The first of `count` free loopback ports in a row, at or after `start`."""
    for base in range(start or 15000 + os.getpid() % 4000, 30000, count):
        if all(free_port(base + i) == base + i for i in range(count)):
            return base
    raise StepFailed("finding free ports", "no free row of ports", "end programs that hold many ports")


def fail(error: StepFailed) -> int:
    print(f"\nreed: {error}", file=sys.stderr, flush=True)
    return 1
