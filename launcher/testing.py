"""./reed test: lint, types, contracts, then every test against a cluster of its own, beside a running start."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import threading
import time
from pathlib import Path
from typing import IO

from .install import built_interface, chromium, environment, node_packages, python_environment
from .postgres import Cluster
from .shell import ROOT, VAR, VENV, WEB, StepFailed, run, say

PLUGINS = ["-p", "pytest_django.plugin", "-p", "_hypothesis_pytestplugin"]
JOURNEYS = "tests/journeys"
COUNTS = re.compile(r"(\d+) (failed|passed|skipped|deselected|xfailed|xpassed|errors?|warnings?)")
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
    """Run pytest, passing its lines on; its exit code and its closing line.

    The journeys mostly wait for a browser, so some of them run beside the other tests: two chains of runs side by side, each in a pytest of its own with a product of its own; the closing lines are added up in pytest's own words.
    """
    if more or fast:
        return _follow(_start(url, more or ["tests", f"--ignore={JOURNEYS}"], folder / "tests"))
    began = time.monotonic()
    folder.mkdir(parents=True, exist_ok=True)
    journeys = sorted(str(p.relative_to(ROOT)) for p in (ROOT / JOURNEYS).glob("test_*.py"))
    with Beside(url, [journeys[:3], journeys[5:8]], folder) as beside:
        results = [
            _follow(_start(url, ["tests", f"--ignore={JOURNEYS}"], folder / "tests")),
            _follow(_start(url, [*journeys[3:5], *journeys[8:]], folder / "journeys-too")),
        ]
    results += beside.results
    return max(code for code, _ in results), added_up([closing for _, closing in results], time.monotonic() - began)


class Beside:
    """Pytest runs one after the other, their lines kept in files while other runs are followed, and passed on at the end."""

    def __init__(self, url: str, groups: list[list[str]], folder: Path) -> None:
        self.jobs = [(chosen, folder / f"beside-{i}") for i, chosen in enumerate(groups)]
        self.url = url
        self.results: list[tuple[int, str]] = []
        self.thread = threading.Thread(target=self._run)

    def _run(self) -> None:
        for chosen, folder in self.jobs:
            with folder.with_suffix(".log").open("w") as kept:
                _start(self.url, chosen, folder, kept).wait()

    def __enter__(self) -> Beside:
        self.thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self.thread.join()
        for _, folder in self.jobs:
            lines = folder.with_suffix(".log").read_text().splitlines()
            print("\n".join(lines), flush=True)
            closing = next((line.strip() for line in reversed(lines) if CLOSING.match(line)), "")
            if not closing:
                raise StepFailed("the journeys", "pytest ended without its closing line", "see the lines above")
            failed = any(word in closing for word in ("failed", "error"))
            self.results.append((int(failed), closing))


def added_up(closings: list[str], seconds: float) -> str:
    """Closing lines of several pytest runs as one, in pytest's words and order."""
    totals: dict[str, int] = {}
    for closing in closings:
        for count, word in COUNTS.findall(closing):
            kind = word.rstrip("s") if word in ("errors", "warnings") else word
            totals[kind] = totals.get(kind, 0) + int(count)
    order = ("failed", "passed", "skipped", "deselected", "xfailed", "xpassed", "warning", "error")
    words = {k: k + ("s" if k in ("warning", "error") and totals.get(k, 0) != 1 else "") for k in order}
    told = ", ".join(f"{totals[k]} {words[k]}" for k in order if k in totals)
    return f" {told} in {seconds:.2f}s ".center(80, "=")


def _start(url: str, chosen: list[str], folder: Path, out: IO[str] | None = None) -> subprocess.Popen[str]:
    env = environment(
        url, PYTEST_DISABLE_PLUGIN_AUTOLOAD="1", DJANGO_ALLOW_ASYNC_UNSAFE="true", REED_TEST_FOLDER=str(folder)
    )
    python = sys.executable if not VENV.exists() else str(VENV / "bin" / "python")
    command = [python, "-m", "pytest", *PLUGINS, "-p", "no:cacheprovider", *chosen]
    return subprocess.Popen(
        command, cwd=ROOT, env=env, text=True, stdout=out or subprocess.PIPE, stderr=subprocess.STDOUT
    )


def _follow(process: subprocess.Popen[str]) -> tuple[int, str]:
    """Pass a run's lines on; its exit code and its closing line."""
    assert process.stdout is not None
    last = ""
    for line in process.stdout:
        print(line, end="", flush=True)
        last = line.strip() if CLOSING.match(line) else last
    process.wait()
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
