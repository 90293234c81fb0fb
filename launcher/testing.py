"""./reed test: lint, types, contracts, then every test against a cluster of its own, beside a running start."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import time
from pathlib import Path

from .install import built_interface, chromium, environment, node_packages, python_environment
from .postgres import Cluster
from .shell import ROOT, VAR, VENV, WEB, StepFailed, run, say

PLUGINS = ["-p", "pytest_django.plugin", "-p", "_hypothesis_pytestplugin", "-p", "xdist.plugin"]
SIDE_BY_SIDE = ["-n", "2", "--dist", "loadgroup"]
"""The journeys on one worker, everything else on the other and, when the journeys are through, on both."""
CLOSING = re.compile(r"=+ .*(passed|failed|error|no tests ran).* in .*=+\s*$")
"""pytest's closing line; warnings at exit may come after it."""
CHECKS: list[tuple[str, list[str], Path]] = [
    ("ruff", [str(VENV / "bin" / "ruff"), "check", "--output-format=concise", "."], ROOT),
    ("ruff format", [str(VENV / "bin" / "ruff"), "format", "--check", "."], ROOT),
    ("mypy", [str(VENV / "bin" / "mypy")], ROOT),
    ("import contracts", [str(VENV / "bin" / "lint-imports")], ROOT),
    ("interface lint", ["npm", "run", "--silent", "lint"], WEB),
    ("interface types", ["npm", "run", "--silent", "typecheck"], WEB),
]


def test(fast: bool, more: list[str]) -> int:
    """0 when everything passes. pytest's closing line is printed last."""
    began = time.monotonic()
    python_environment(dev=True)
    node_packages()
    built_interface()
    if not fast:
        chromium()
    env = environment("postgres://reed@127.0.0.1:1/none")
    for name, command, folder in CHECKS:
        run(name, command, f"mend what it names, or run: {' '.join(Path(c).name for c in command)}", env, folder)
        say(f"{name}: clean")
    say(_share())
    folder = VAR / f"test-{os.getpid()}"
    cluster = Cluster(folder / "postgres", {"fsync": "off", "synchronous_commit": "off", "full_page_writes": "off"})
    try:
        url = cluster.start()
        code, last = _pytest(url, fast, more, folder)
    finally:
        cluster.remove()
    say(f"checks and tests took {time.monotonic() - began:.0f} s")
    print(last, flush=True)
    return code


def _pytest(url: str, fast: bool, more: list[str], folder: Path) -> tuple[int, str]:
    """Run pytest, passing its lines on; its exit code and its closing line."""
    env = environment(
        url, PYTEST_DISABLE_PLUGIN_AUTOLOAD="1", DJANGO_ALLOW_ASYNC_UNSAFE="true", REED_TEST_FOLDER=str(folder)
    )
    chosen = more or (["tests", "--ignore=tests/journeys"] if fast else ["tests"])
    command = [
        sys.executable if not VENV.exists() else str(VENV / "bin" / "python"),
        "-m",
        "pytest",
        *PLUGINS,
        "-p",
        "no:cacheprovider",
        *([] if more else SIDE_BY_SIDE),
        *chosen,
    ]
    with subprocess.Popen(
        command, cwd=ROOT, env=env, text=True, stdout=subprocess.PIPE, stderr=subprocess.STDOUT
    ) as process:
        assert process.stdout is not None
        last = ""
        for line in process.stdout:
            print(line, end="", flush=True)
            last = line.strip() if CLOSING.match(line) else last
    if process.returncode not in (0, 1):
        raise StepFailed("pytest", last, "see the lines above")
    return process.returncode, last


def code_lines(files: list[Path]) -> int:
    """Lines that are neither blank nor comments."""
    count = 0
    for path in files:
        for line in path.read_text(errors="replace").splitlines():
            text = line.strip()
            count += bool(text) and not text.startswith(("#", "//"))
    return count


def _share() -> str:
    tracked = subprocess.run(["git", "ls-files"], cwd=ROOT, text=True, capture_output=True, check=False).stdout.split()
    kinds = (".py", ".ts", ".tsx", ".css")
    files = [
        ROOT / f
        for f in tracked
        if (f.endswith(kinds) or f == "reed") and "/migrations/" not in f and not f.endswith("schema.d.ts")
    ]
    files = [f for f in files if f.exists()]
    tests = [f for f in files if "tests" in f.relative_to(ROOT).parts]
    whole, part = code_lines(files), code_lines(tests)
    return f"tests are {100 * part / max(1, whole):.0f} % of {whole} lines of code"
