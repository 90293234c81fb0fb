"""./reed doctor: every requirement, whether it holds, and the mend."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Callable

from .postgres import binaries
from .shell import PYTHON, ROOT, VAR, WEB, have, is_root

SUDO = "" if is_root() else "sudo "
Check = tuple[str, Callable[[], str | None], str]


def _python() -> str | None:
    return sys.version.split()[0] if sys.version_info >= (3, 11) else None


def _node() -> str | None:
    if not have("node"):
        return None
    version = subprocess.run(["node", "--version"], capture_output=True, text=True, check=False).stdout.strip()
    return version if version[1:].split(".")[0].isdigit() and int(version[1:].split(".")[0]) >= 20 else None


def _venv() -> str | None:
    able = subprocess.run([sys.executable, "-c", "import ensurepip"], capture_output=True, check=False).returncode == 0
    return "made" if PYTHON.exists() else "can be made" if able else None


def _postgres() -> str | None:
    found = binaries()
    return found.parent.name if found else None


def _var() -> str | None:
    folder = VAR if VAR.exists() else ROOT
    return "writable" if os.access(folder, os.W_OK) else None


def _disk() -> str | None:
    free = shutil.disk_usage(ROOT).free / 1e9
    return f"{free:.0f} GB free" if free > 3 else None


def _interface() -> str | None:
    return (
        "built"
        if (WEB / "dist" / "index.html").exists()
        else "not built yet, ./reed start builds it"
        if have("npm")
        else None
    )


CHECKS: list[Check] = [
    ("Python 3.11 or newer", _python, f"{SUDO}apt-get install python3"),
    ("Python environments", _venv, f"{SUDO}apt-get install python3-venv"),
    ("Node.js 20 or newer", _node, "install Node.js 20 with npm"),
    ("npm", lambda: "found" if have("npm") else None, "install Node.js 20 with npm"),
    (
        "PostgreSQL 15 or newer",
        lambda: "DATABASE_URL is set" if os.environ.get("DATABASE_URL") else _postgres(),
        f"{SUDO}apt-get install postgresql",
    ),
    (
        "runuser, to run PostgreSQL unprivileged",
        lambda: "found" if have("runuser") or not is_root() else None,
        "apt-get install util-linux",
    ),
    ("Chromium, for the tests", lambda: shutil.which("chromium"), f"{SUDO}apt-get install chromium"),
    ("the folder var/", _var, "make the checkout writable for this account"),
    ("disk", _disk, "free at least 3 GB"),
    ("the interface", _interface, "install Node.js 20 with npm"),
]


def doctor() -> int:
    """Print each requirement; 1 when one does not hold."""
    wrong = 0
    for name, check, mend in CHECKS:
        found = check()
        wrong += found is None
        print(f"{'ok  ' if found else 'MISSING'} {name}: {found or 'mend: ' + mend}")
    print(
        "everything is here"
        if not wrong
        else f"{wrong} to mend; ./reed start and ./reed test install what Debian and the registries have"
    )
    return 1 if wrong else 0
