"""python -m gateway --server http://127.0.0.1:8000 --folder var/gateway; the token comes from GATEWAY_TOKEN."""

from __future__ import annotations

import argparse
import asyncio
import logging
import os
from pathlib import Path

from .run import serve


def main() -> None:
    parser = argparse.ArgumentParser(prog="gateway")
    parser.add_argument("--server", required=True)
    parser.add_argument("--folder", type=Path, required=True)
    args = parser.parse_args()
    logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s %(message)s")
    logging.getLogger("pymodbus").setLevel(logging.CRITICAL)
    asyncio.run(serve(args.server, os.environ.get("GATEWAY_TOKEN", ""), args.folder))


if __name__ == "__main__":
    main()
