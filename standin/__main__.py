"""python -m standin history --out DIR | python -m standin serve."""

from __future__ import annotations

import argparse
import asyncio
from pathlib import Path


def main() -> None:
    parser = argparse.ArgumentParser(prog="standin")
    commands = parser.add_subparsers(dest="command", required=True)
    history = commands.add_parser("history", help="write the demo holding's history")
    history.add_argument("--out", type=Path, required=True)
    serve = commands.add_parser("serve", help="run the simulated nodes")
    serve.add_argument("--port-base", type=int, required=True)
    serve.add_argument("--state", type=Path, required=True, help="where the simulated world is kept between starts")
    serve.add_argument("--start-from", type=Path, required=True, help="history.json to begin from")
    serve.add_argument("--server", required=True, help="address of the server, for the demo clock and the bench")
    alone = commands.add_parser("alone", help="run only the stand-in nodes that people add")
    alone.add_argument("--server", required=True)
    args = parser.parse_args()
    if args.command == "alone":
        from .serve import run_alone

        asyncio.run(run_alone(args.server))
    elif args.command == "history":
        from .history import write_history
        from .holding import Holding

        write_history(Holding(), args.out)
    else:
        from .serve import run

        asyncio.run(run(args.port_base, args.state, args.start_from, args.server))


if __name__ == "__main__":
    main()
