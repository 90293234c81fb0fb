"""Readings from CSV, line by line, so that a file of any size streams through; each refusal names its line."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime

from ..errors import OutOfRange
from .senml import Refusal

NAMES = {
    "time": "time",
    "timestamp": "time",
    "date": "time",
    "datetime": "time",
    "channel": "channel",
    "name": "channel",
    "sensor": "channel",
    "value": "value",
    "raw": "value",
    "reading": "value",
}
"""Foreign column names to ours."""
MAX_LINE = 2000


@dataclass(frozen=True)
class CsvReading:
    """A line as it was read: its number in the file, channel name or number as text, aware time, value."""

    line: int
    channel: str
    time: datetime
    value: float


def delimiter_of(head: str) -> str:
    """The delimiter of a header line: the one of , ; tab that stands in it most often."""
    return max(",;\t", key=head.count)


def columns_of(head: str, delimiter: str) -> dict[str, int]:
    """Place of time, channel and value in a header line. Raises OutOfRange naming the column that is missing."""
    cells = next(csv.reader([head.lstrip("\ufeff")], delimiter=delimiter), [])
    found: dict[str, int] = {}
    for i, cell in enumerate(cells):
        ours = NAMES.get(cell.strip().lower())
        if ours and ours not in found:
            found[ours] = i
    for wanted in ("time", "channel", "value"):
        if wanted not in found:
            raise OutOfRange("line 1", head.strip()[:60], f"a header with time, channel and value; {wanted} is missing")
    return found


def parse_csv(lines: Iterable[str]) -> Iterator[CsvReading | Refusal]:
    """Readings and refusals of a CSV, one for each line after the header, in order.

    Parameters
    ----------
    lines : text lines; the first is a header naming time, channel and value. A repeated header is passed over.

    Yields
    ------
    CsvReading, or Refusal with the number of the line. Numbers may have a decimal comma where the delimiter is not one.

    Raises
    ------
    OutOfRange : no header that can be used.
    """
    rows = iter(lines)
    head = next(rows, "")
    if len(head) > MAX_LINE:
        raise OutOfRange("line 1", head[:40], f"a header of at most {MAX_LINE} characters")
    delimiter = delimiter_of(head)
    columns = columns_of(head, delimiter)
    for number, line in enumerate(rows, start=2):
        if not line.strip() or line.strip() == head.strip():
            continue
        try:
            yield _reading(number, line, delimiter, columns)
        except OutOfRange as error:
            yield Refusal(number, error.field, str(error.value)[:80], error.expectation)


def _reading(number: int, line: str, delimiter: str, columns: dict[str, int]) -> CsvReading:
    if len(line) > MAX_LINE:
        raise OutOfRange("line", line[:40], f"at most {MAX_LINE} characters")
    try:
        cells = next(csv.reader(io.StringIO(line), delimiter=delimiter, strict=True), [])
    except csv.Error as error:
        raise OutOfRange("line", line.strip()[:60], f"CSV: {error}") from None
    if len(cells) <= max(columns.values()):
        raise OutOfRange("line", line.strip()[:60], f"at least {max(columns.values()) + 1} columns")
    channel = cells[columns["channel"]].strip()
    if not channel:
        raise OutOfRange("channel", "", "a channel")
    return CsvReading(
        number, channel, _time(cells[columns["time"]].strip()), _value(cells[columns["value"]].strip(), delimiter)
    )


def _time(text: str) -> datetime:
    try:
        time = datetime.fromisoformat(text)
    except ValueError:
        raise OutOfRange("time", text, "a time such as 2026-06-18T06:30:00+00:00") from None
    if time.tzinfo is None:
        raise OutOfRange("time", text, "a time with its offset from UTC")
    return time


def _value(text: str, delimiter: str) -> float:
    if delimiter != "," and "," in text and "." not in text:
        text = text.replace(",", ".")
    try:
        value = float(text)
    except ValueError:
        raise OutOfRange("value", text, "a number") from None
    if not math.isfinite(value):
        raise OutOfRange("value", text, "a finite number")
    return value
