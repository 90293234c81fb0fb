"""A PostgreSQL cluster of our own: on loopback, run by an unprivileged account, stopped cleanly and last."""

from __future__ import annotations

import hashlib
import os
import pwd
import shutil
import signal
import subprocess
import time
from pathlib import Path

from .shell import ROOT, StepFailed, free_port, install_debian, is_root, run, say

ACCOUNT = "postgres"
SETTINGS = {
    "listen_addresses": "127.0.0.1",
    "max_connections": "60",
    "shared_buffers": "96MB",
    "timezone": "UTC",
    "log_min_messages": "warning",
    "max_wal_size": "512MB",
}


def binaries() -> Path | None:
    """Folder of the newest installed PostgreSQL 15 or later."""
    found = [
        p for p in Path("/usr/lib/postgresql").glob("*/bin") if (p / "initdb").exists() and int(p.parent.name) >= 15
    ]
    return max(found, key=lambda p: int(p.parent.name)) if found else None


def require_binaries() -> Path:
    found = binaries()
    if found is None:
        install_debian("installing PostgreSQL", ["postgresql"])
        found = binaries()
    if found is None:
        raise StepFailed("installing PostgreSQL", "no initdb below /usr/lib/postgresql", "apt-get install postgresql")
    return found


class Cluster:
    """One data directory with its server."""

    def __init__(self, folder: Path, settings: dict[str, str] | None = None) -> None:
        self.bin = require_binaries()
        self.folder = _reachable(folder)
        self.data = self.folder / "data"
        # A socket path over 107 bytes is fatal, and a checkout can lie deep.
        self.sockets = Path("/tmp") / f"reed-{hashlib.sha256(str(self.folder).encode()).hexdigest()[:12]}"
        self.settings = {**SETTINGS, **(settings or {})}
        self.port = 0

    @property
    def url(self) -> str:
        return f"postgres://reed@127.0.0.1:{self.port}/reed"

    def start(self) -> str:
        """Start, making the cluster first when there is none; the database address."""
        fresh = not (self.data / "PG_VERSION").exists()
        if fresh:
            self._make()
        self._own(self.sockets)
        self._stop_leftover()
        self.port = self._port()
        settings = {**self.settings, "port": str(self.port), "unix_socket_directories": str(self.sockets)}
        options = " ".join(f"-c {k}='{v}'" for k, v in settings.items())
        log = self.folder / "server.log"
        self._run(
            "starting PostgreSQL",
            [str(self.bin / "pg_ctl"), "-D", str(self.data), "-l", str(log), "-w", "-t", "60", "-o", options, "start"],
            f"look at the end of {log.name} in the database folder",
        )
        if fresh:
            self._run(
                "creating the database",
                [str(self.bin / "createdb"), "-h", "127.0.0.1", "-p", str(self.port), "-U", "reed", "reed"],
                "run ./reed start --fresh",
            )
        return self.url

    def alive(self) -> bool:
        """Is the server process there?"""
        pidfile = self.data / "postmaster.pid"
        try:
            return _alive(int(pidfile.read_text().splitlines()[0]))
        except (OSError, IndexError, ValueError):
            return False

    def stop(self) -> None:
        """Stop cleanly: connections are ended, everything is written."""
        if self.alive():
            self._run(
                "stopping PostgreSQL",
                [str(self.bin / "pg_ctl"), "-D", str(self.data), "-m", "fast", "-w", "-t", "60", "stop"],
                "look at server.log in the database folder",
            )

    def remove(self) -> None:
        self.stop()
        shutil.rmtree(self.folder, ignore_errors=True)
        shutil.rmtree(self.sockets, ignore_errors=True)

    def _make(self) -> None:
        say("making a PostgreSQL cluster")
        if self.data.exists() and any(self.data.iterdir()):
            shutil.rmtree(self.data)
        self._own(self.folder)
        self._own(self.data)
        self._run(
            "making the PostgreSQL cluster",
            [
                str(self.bin / "initdb"),
                "-D",
                str(self.data),
                "-U",
                "reed",
                "-A",
                "trust",
                "-E",
                "UTF8",
                "--locale=C.UTF-8",
                "--no-instructions",
            ],
            "check that the folder is writable",
        )

    def _port(self) -> int:
        if self.port:
            return self.port  # our processes know this one: after a crash it is taken again
        kept = self.folder / "port"
        port = free_port(int(kept.read_text()) if kept.exists() else None)
        kept.write_text(str(port))
        return port

    def _stop_leftover(self) -> None:
        """A server left behind by a killed launcher holds the data directory: stop that one, and only that one."""
        pidfile = self.data / "postmaster.pid"
        if not pidfile.exists():
            return
        lines = pidfile.read_text().splitlines()
        if len(lines) > 1 and Path(lines[1]) == self.data and _alive(int(lines[0])):
            say("stopping a PostgreSQL server left over from an earlier run")
            self.stop()

    def _own(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        if is_root():
            shutil.chown(folder, ACCOUNT, ACCOUNT)
        folder.chmod(0o700 if folder == self.data else 0o755)

    def _run(self, step: str, command: list[str], mend: str) -> str:
        if is_root():
            command = ["runuser", "-u", ACCOUNT, "--", *command]
        if "pg_ctl" in " ".join(command) and command[-1] == "start":
            # The server keeps its launcher's pipes open, so nothing may be piped here.
            done = subprocess.run(
                command,
                cwd="/",
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                check=False,
                start_new_session=True,
            )
            if done.returncode != 0:
                log = self.folder / "server.log"
                why = log.read_text(errors="replace")[-800:] if log.exists() else f"pg_ctl ended with {done.returncode}"
                raise StepFailed(step, why, mend)
            return ""
        return run(step, command, mend, cwd=Path("/"))


def _alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True


def _reachable(folder: Path) -> Path:
    """The folder, or one below /var/lib where the unprivileged account cannot pass a parent of it."""
    folder = folder.resolve()
    if not is_root() or _can_pass(folder.parent):
        return folder
    other = Path("/var/lib/tall-reed") / hashlib.sha256(str(ROOT).encode()).hexdigest()[:12] / folder.name
    other.parent.mkdir(parents=True, exist_ok=True)
    say(f"the account {ACCOUNT} cannot reach this folder, so the database is kept below /var/lib/tall-reed")
    return other


def _can_pass(folder: Path) -> bool:
    try:
        pwd.getpwnam(ACCOUNT)
    except KeyError:
        return False
    existing = next(p for p in (folder, *folder.parents) if p.exists())
    return (
        subprocess.run(["runuser", "-u", ACCOUNT, "--", "test", "-x", str(existing)], cwd="/", check=False).returncode
        == 0
    )


def wait_gone(process: subprocess.Popen[bytes], seconds: float) -> None:
    """Ask a process of ours to end; after `seconds` end it."""
    if process.poll() is not None:
        return
    process.send_signal(signal.SIGTERM)
    deadline = time.monotonic() + seconds
    while process.poll() is None and time.monotonic() < deadline:
        time.sleep(0.05)
    if process.poll() is None:
        process.kill()
        process.wait()
