"""python launcher/keep.py NAME COMMAND...: run a process and start it again when it dies, until told to stop."""

from __future__ import annotations

import ctypes
import signal
import subprocess
import sys
import time
from types import FrameType

PR_SET_PDEATHSIG = 1
LONGEST_WAIT_S = 4.0
STEADY_S = 20.0


def _die_with_parent() -> None:
    # If the keeper itself is killed, its process must not live on unwatched. Linux only; elsewhere it is let be.
    try:
        ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGTERM)
    except (OSError, AttributeError):
        return


class Keeper:
    def __init__(self, name: str, command: list[str]) -> None:
        self.name, self.command = name, command
        self.child: subprocess.Popen[bytes] | None = None
        self.stopping = False

    def stop(self, _signal: int, _frame: FrameType | None) -> None:
        self.stopping = True
        if self.child is not None and self.child.poll() is None:
            self.child.terminate()

    def run(self) -> int:
        wait = 0.3
        while not self.stopping:
            began = time.monotonic()
            self.child = subprocess.Popen(self.command, preexec_fn=_die_with_parent)
            code = self.child.wait()
            if self.stopping:
                break
            if time.monotonic() - began > STEADY_S:
                wait = 0.3
            print(f"{self.name} ended with {code}; starting it again in {wait:.1f} s", flush=True)
            time.sleep(wait)
            wait = min(2 * wait, LONGEST_WAIT_S)
        return 0


def main(argv: list[str]) -> int:
    keeper = Keeper(argv[0], argv[1:])
    signal.signal(signal.SIGTERM, keeper.stop)
    signal.signal(signal.SIGINT, keeper.stop)
    return keeper.run()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
