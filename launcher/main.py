"""The commands of ./reed."""

from __future__ import annotations

import argparse
import os
import subprocess

from .install import environment
from .shell import PYTHON, ROOT, VAR, StepFailed, fail


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="reed", description="Tall Reed: install, run, test, measure.")
    commands = parser.add_subparsers(dest="command", required=True)
    start = commands.add_parser("start", help="install what is missing and run everything")
    start.add_argument("--port", type=int, help="port of the interface on loopback (8000 if free)")
    start.add_argument("--fresh", action="store_true", help="forget the database and begin anew")
    start.add_argument("--no-demo", action="store_true", help="without the demo holding")
    test = commands.add_parser("test", help="install what is missing and pass the tests")
    test.add_argument("--fast", action="store_true", help="without the browser journeys")
    test.add_argument("pytest", nargs="*", help="arguments for pytest, after --")
    commands.add_parser("bench", help="measure against the budgets")
    commands.add_parser("shots", help="refresh docs/screenshots from the demo")
    commands.add_parser("doctor", help="check every requirement and name the mend")
    manage = commands.add_parser("manage", help="Django's command line on the database of reed start")
    manage.add_argument("args", nargs=argparse.REMAINDER)
    return parser


def main(argv: list[str]) -> int:
    args = _parser().parse_args(argv)
    try:
        return _dispatch(args)
    except StepFailed as error:
        return fail(error)


def _dispatch(args: argparse.Namespace) -> int:
    if args.command == "start":
        from .start import Options, start

        return start(Options(args.port, args.fresh, not args.no_demo))
    if args.command == "test":
        from .testing import test

        return test(args.fast, args.pytest)
    if args.command in ("bench", "shots"):
        from .measuring import bench, shots

        return bench() if args.command == "bench" else shots()
    if args.command == "doctor":
        from .doctor import doctor

        return doctor()
    return _manage(args.args)


def _manage(args: list[str]) -> int:
    from .start import keys

    url = os.environ.get("DATABASE_URL") or _running_url()
    env = environment(url, **keys(VAR))
    return subprocess.call([str(PYTHON), str(ROOT / "server" / "manage.py"), *args], env=env)


def _running_url() -> str:
    port = VAR / "postgres" / "port"
    if not port.exists():
        raise StepFailed(
            "finding the database", "no cluster below var/", "run ./reed start first, and leave it running"
        )
    return f"postgres://reed@127.0.0.1:{port.read_text()}/reed"
