"""Readings waiting on disk until the server has confirmed them."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Waiting:
    row: int
    channel: int
    time: str
    raw: float

    def as_json(self) -> dict[str, object]:
        return {"channel": self.channel, "time": self.time, "raw": self.raw}


class ReadingQueue:
    """A small SQLite file. Written through before `add` returns, so that a kill loses nothing."""

    def __init__(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        self._db = sqlite3.connect(path, isolation_level=None)
        self._db.execute("PRAGMA journal_mode=WAL")
        self._db.execute("PRAGMA synchronous=NORMAL")
        self._db.execute(
            "CREATE TABLE IF NOT EXISTS waiting (row INTEGER PRIMARY KEY, channel INTEGER, time TEXT, raw REAL)"
        )

    def add(self, readings: list[tuple[int, str, float]]) -> None:
        """Keep readings (channel, ISO time, raw)."""
        self._db.execute("BEGIN")
        self._db.executemany("INSERT INTO waiting (channel, time, raw) VALUES (?, ?, ?)", readings)
        self._db.execute("COMMIT")

    def oldest(self, most: int) -> list[Waiting]:
        """The oldest waiting readings."""
        rows = self._db.execute("SELECT row, channel, time, raw FROM waiting ORDER BY row LIMIT ?", (most,))
        return [Waiting(*r) for r in rows]

    def forget(self, sent: list[Waiting]) -> None:
        """Drop readings that the server has confirmed."""
        if sent:
            self._db.execute("DELETE FROM waiting WHERE row <= ? AND row >= ?", (sent[-1].row, sent[0].row))

    def __len__(self) -> int:
        return int(self._db.execute("SELECT COUNT(*) FROM waiting").fetchone()[0])

    def close(self) -> None:
        self._db.close()
