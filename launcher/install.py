"""What is installed into the project: the Python environment and the built interface."""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import sys
from pathlib import Path

from .shell import PYTHON, ROOT, VENV, WEB, StepFailed, have, install_debian, run, say


def _digest(paths: list[Path]) -> str:
    total = hashlib.sha256()
    for path in sorted(paths):
        total.update(str(path.relative_to(ROOT)).encode())
        total.update(path.read_bytes())
    return total.hexdigest()


def python_environment(dev: bool) -> None:
    """A virtual environment with exactly what the lock file names, by hash. `dev` adds what the tests need."""
    lock = ROOT / "requirements" / ("dev.lock" if dev else "base.lock")
    mark = VENV / f".installed-{lock.stem}"
    digest = _digest([lock])
    if mark.exists() and mark.read_text() == digest and PYTHON.exists():
        return
    if not PYTHON.exists():
        _make_venv()
    say(f"installing Python packages of requirements/{lock.name}")
    run(
        "installing Python packages",
        [
            str(PYTHON),
            "-m",
            "pip",
            "install",
            "--quiet",
            "--disable-pip-version-check",
            "--require-hashes",
            "-r",
            str(lock),
        ],
        "check that the Python package index can be reached, then run again",
    )
    mark.write_text(digest)


def _make_venv() -> None:
    make = [sys.executable, "-m", "venv", str(VENV)]
    if subprocess.run([sys.executable, "-c", "import ensurepip"], capture_output=True, check=False).returncode != 0:
        install_debian("making the Python environment", ["python3-venv"])
    shutil.rmtree(VENV, ignore_errors=True)
    run("making the Python environment", make, "apt-get install python3-venv")


def node_packages() -> None:
    """npm ci, when the lock file is newer than what is installed."""
    if not have("npm"):
        raise StepFailed("installing the interface's packages", "npm is not installed", "install Node.js 20 with npm")
    mark = WEB / "node_modules" / ".installed"
    digest = _digest([WEB / "package-lock.json"])
    if mark.exists() and mark.read_text() == digest:
        return
    say("installing the interface's packages (npm ci)")
    run(
        "npm ci",
        ["npm", "ci", "--no-audit", "--no-fund"],
        "check that the npm registry can be reached, then run again",
        cwd=WEB,
    )
    mark.write_text(digest)


def web_sources() -> list[Path]:
    found = [p for p in (WEB / "src").rglob("*") if p.is_file()]
    return [*found, WEB / "index.html", WEB / "package-lock.json", WEB / "vite.config.ts", WEB / "tsconfig.json"]


def built_interface() -> None:
    """The interface, built when its sources have changed since."""
    mark = WEB / "dist" / ".built-from"
    digest = _digest(web_sources())
    if mark.exists() and mark.read_text() == digest:
        return
    node_packages()
    say("building the interface")
    run(
        "building the interface",
        ["npm", "run", "build"],
        "see the message above; npm run build in web/ shows it alone",
        cwd=WEB,
    )
    mark.write_text(digest)


def chromium() -> str:
    """Debian's Chromium for the tests in a real browser."""
    if not have("chromium"):
        install_debian("installing Chromium", ["chromium"])
    return shutil.which("chromium") or "/usr/bin/chromium"


def environment(database_url: str, **more: str) -> dict[str, str]:
    """Environment of our own processes."""
    path = os.pathsep.join([str(ROOT), str(ROOT / "core"), str(ROOT / "server")])
    return {
        **os.environ,
        "PYTHONPATH": path,
        "DJANGO_SETTINGS_MODULE": "config.settings",
        "DATABASE_URL": database_url,
        "PYTHONUNBUFFERED": "1",
        **more,
    }
