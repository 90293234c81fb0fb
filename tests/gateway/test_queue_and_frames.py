import sqlite3

import pytest

from gateway.bus import spans, width
from gateway.queue import ReadingQueue
from reedcore.links.modbus import Encoding, WordOrder, value_from_registers
from standin.registers import words_of


def test_readings_wait_on_disk_until_they_are_confirmed(tmp_path):
    path = tmp_path / "queue.sqlite"
    queue = ReadingQueue(path)
    queue.add([(1, "2026-06-18T09:00:00+00:00", 5.0), (2, "2026-06-18T09:00:00+00:00", 6.0)])
    queue.add([(1, "2026-06-18T09:00:05+00:00", 7.0)])
    # Another process opening the file sees what add() has returned from: nothing is kept in memory only.
    assert sqlite3.connect(path).execute("SELECT COUNT(*) FROM waiting").fetchone() == (3,)
    again = ReadingQueue(path)
    first = again.oldest(2)
    assert [w.raw for w in first] == [5.0, 6.0]
    again.forget(first)
    assert [w.as_json() for w in again.oldest(10)] == [{"channel": 1, "time": "2026-06-18T09:00:05+00:00", "raw": 7.0}]
    again.forget([])
    assert len(again) == 1


def value_of(words, kind, scale, offset):
    return value_from_registers(words, Encoding(kind), WordOrder.ABCD, scale, offset)


@pytest.mark.parametrize(
    "value,kind,scale",
    [
        (31806, "uint16", 1.0),
        (-12.34, "int16", 0.01),
        (24.85, "int16", 0.01),
        (2497.3, "uint32", 0.1),
        (123456.7, "uint32", 0.1),
    ],
)
def test_registers_there_and_back(value, kind, scale):
    words = words_of(value, kind, scale)
    assert len(words) == width(kind)
    assert value_of(words, kind, scale, 0.0) == pytest.approx(value, abs=scale / 2)


def test_values_beyond_a_register_stay_at_its_rail():
    assert words_of(1e9, "uint16", 1.0) == [65535] and words_of(-5, "uint16", 1.0) == [0]
    assert value_of(words_of(-1e9, "int16", 1.0), "int16", 1.0, 0.0) == -32768
    assert value_of([0xFFFF, 0xFFFE], "int32", 1.0, 0.0) == -2


def test_near_registers_are_read_together_and_far_ones_apart():
    near = [
        {"register": r, "register_type": t} for r, t in ((0, "uint16"), (4, "uint32"), (14, "uint16"), (100, "uint16"))
    ]
    assert spans(near) == [(0, 15), (100, 1)]
    assert all(count <= 120 for _, count in spans([{"register": r, "register_type": "uint16"} for r in range(400)]))
