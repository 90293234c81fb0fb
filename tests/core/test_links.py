"""Parsers of what comes over a wire: check values, there and back, and nothing that comes in makes them crash."""

import json
import math
from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from reedcore.errors import Inconsistent, OutOfRange, ReedError
from reedcore.links.analogue import (
    Switch,
    millivolts_from_counts,
    pulses_between,
    value_from_loop,
    value_from_millivolts,
)
from reedcore.links.csvlines import CsvReading, parse_csv
from reedcore.links.modbus import (
    Encoding,
    Framing,
    WordOrder,
    crc16,
    explain,
    framed,
    read_request,
    registers_from_value,
    registers_of,
    value_from_registers,
    with_crc,
)
from reedcore.links.sdi12 import parse_identity, parse_notice, parse_values, sdi12_crc
from reedcore.links.senml import Refusal, parse_senml

HEAD = "time,channel,value"


@pytest.mark.parametrize(
    ("device", "function", "address", "count", "frame"),
    [(1, 3, 0, 3, "01 03 00 00 00 03 05 cb"), (0x0B, 4, 0x12, 2, "0b 04 00 12 00 02 d1 64")],
)
def test_requests_have_the_published_checksum(device, function, address, count, frame):
    assert read_request(device, function, address, count).hex(" ") == frame
    assert crc16(bytes.fromhex(frame)) == 0  # a frame with its checksum sums to zero


def test_an_answer_is_taken_apart_field_by_field():
    frame = explain(with_crc(bytes.fromhex("01 03 04 00 64 FF F6")), answer=True)
    assert frame.problem == "" and frame.words == (100, 65526)
    assert [f.name for f in frame.fields] == [
        "device",
        "function",
        "byte count",
        "register 0",
        "register 1",
        "checksum",
    ]
    assert b"".join(f.raw for f in frame.fields) == with_crc(bytes.fromhex("01 03 04 00 64 FF F6"))


@pytest.mark.parametrize(
    ("frame", "says"),
    [
        (b"", "Nothing came back"),
        (b"\x01\x03", "at least 4"),
        (bytes.fromhex("01 03 02 00 64 00 00"), "checksum is wrong"),
        (with_crc(bytes.fromhex("01 83 02")), "exception 2"),
        (with_crc(bytes.fromhex("01 83")), "exception 0"),
        (with_crc(bytes.fromhex("01 03 04 00 64")), "cut"),
        (with_crc(bytes.fromhex("01 2B 0E 01")), "Function 43"),
    ],
)
def test_trouble_on_the_bus_is_told_in_words(frame, says):
    assert says in explain(frame, answer=True).problem


def test_a_tcp_frame_names_a_wrong_length_and_a_foreign_service():
    good = framed(1, bytes.fromhex("03 02 00 64"), Framing.TCP, 7)
    assert explain(good, Framing.TCP, True).words == (100,)
    assert "promises" in explain(good[:-1], Framing.TCP, True).problem
    assert "another service" in explain(b"HTTP/1.1 400 Bad Request", Framing.TCP, True).problem


@given(st.binary(max_size=300), st.sampled_from(list(Framing)), st.booleans())
def test_any_bytes_are_taken_apart_without_a_crash_and_none_is_lost(data, framing, answer):
    frame = explain(data, framing, answer)
    if data and len(data) >= (4 if framing is Framing.RTU else 8):
        assert b"".join(f.raw for f in frame.fields) == data


@given(st.binary(min_size=5, max_size=80), st.integers(0, 79), st.integers(1, 255))
def test_one_changed_byte_is_always_noticed(body, place, flip):
    frame = bytearray(with_crc(body))
    frame[place % len(frame)] ^= flip
    assert "checksum is wrong" in explain(bytes(frame), answer=True).problem


@pytest.mark.parametrize(
    ("words", "kind", "order", "value"),
    [
        ([0x41BC, 0x0000], "float32", "abcd", 23.5),
        ([0x0000, 0x41BC], "float32", "cdab", 23.5),
        ([0xBC41, 0x0000], "float32", "badc", 23.5),
        ([0x0000, 0xBC41], "float32", "dcba", 23.5),
        ([0xFF9C], "int16", "abcd", -100),
        ([0x0001, 0x0000], "uint32", "abcd", 65536),
        ([0xFFFF, 0xFFFE], "int32", "abcd", -2),
        ([1], "bit", "abcd", 1),
    ],
)
def test_values_from_registers(words, kind, order, value):
    assert value_from_registers(words, Encoding(kind), WordOrder(order)) == value


@given(st.floats(-1e6, 1e6), st.sampled_from(list(Encoding)), st.sampled_from(list(WordOrder)))
def test_registers_there_and_back(value, kind, order):
    words = registers_from_value(value, kind, order)
    assert len(words) == registers_of(kind)
    back = value_from_registers(words, kind, order)
    assert value_from_registers(registers_from_value(back, kind, order), kind, order) == back


@pytest.mark.parametrize(
    ("args", "field"),
    [
        ((0, 3, 0, 1), "device"),
        ((1, 5, 0, 1), "function"),
        ((1, 3, 70000, 1), "address"),
        ((1, 3, 0, 126), "count"),
        ((1, 3, 65535, 2), "count"),
    ],
)
def test_a_read_that_cannot_be_is_refused_at_its_field(args, field):
    with pytest.raises(OutOfRange) as error:
        read_request(*args)
    assert error.value.field == field


def test_senml_resolves_base_fields_as_rfc_8428_does():
    pack = [
        {"bn": "urn:dev:ow:10e2073a01080063:", "bt": 1.320067464e09, "bu": "%RH", "v": 20},
        {"u": "lon", "v": 24.30621},
        {"n": "t", "t": 60, "v": 20.3},
        {"n": "lid", "vb": True, "t": -5},
    ]
    good, refused = parse_senml(json.dumps(pack), 0.0)
    assert not refused and [m.name[-4:] for m in good] == ["063:", "063:", "63:t", ":lid"]
    assert [m.unit for m in good[:3]] == ["%RH", "lon", "%RH"]
    assert good[2].time_s == 1320067524 and good[3].value == 1.0


def test_senml_times_near_zero_count_from_now():
    good, _ = parse_senml('[{"n":"a","v":1,"t":-10},{"n":"a","v":2}]', 1e9)
    assert [m.time_s for m in good] == [1e9 - 10, 1e9]


@pytest.mark.parametrize(
    ("record", "field"),
    [
        ({"n": "a"}, "v"),
        ({"v": 1}, "n"),
        ({"n": "a", "v": "x"}, "v"),
        ({"n": "a", "v": True}, "v"),
        ({"n": "a", "vs": "text"}, "v"),
        ({"n": 5, "v": 1}, "n"),
        ({"n": "a", "v": 1, "must_": 1}, "must_"),
        ({"bver": 11, "n": "a", "v": 1}, "bver"),
        ("text", "record"),
    ],
)
def test_a_bad_senml_record_is_refused_by_name_and_its_neighbour_kept(record, field):
    good, refused = parse_senml(json.dumps([record, {"n": "b", "v": 2}]), 0.0)
    assert [(r.index, r.field) for r in refused] == [(0, field)]
    assert [m.value for m in good] == [2.0]


def test_what_is_no_pack_is_refused_with_its_byte():
    with pytest.raises(OutOfRange) as error:
        parse_senml('[{"n":"a","v":1},', 0.0)
    assert error.value.value == "byte 17"
    for text in ("{}", "[NaN]", "[" * 100_000):
        with pytest.raises(OutOfRange):
            parse_senml(text, 0.0)


json_values = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(st.sampled_from(["n", "v", "bn", "bt", "t", "vb", "s", "x_"]), inner, max_size=4)
    ),
    max_leaves=12,
)


@given(json_values | st.lists(json_values))
def test_senml_never_crashes(value):
    try:
        good, refused = parse_senml(json.dumps(value), 1e9)
    except OutOfRange:
        return
    assert all(math.isfinite(m.value) and m.name for m in good) and len(good) + len(refused) <= len(value)


def test_csv_of_several_habits():
    iso = "2026-06-18T06:30:00+00:00"
    rows = list(parse_csv([HEAD, f"{iso},3,21.5", "", HEAD, f"{iso},4,7"]))
    assert [r.value for r in rows] == [21.5, 7.0] and rows[1].line == 5
    rows = list(parse_csv(["\ufeffTimestamp;Sensor;Reading", f"{iso};air;3,5"]))
    assert rows == [CsvReading(2, "air", datetime(2026, 6, 18, 6, 30, tzinfo=UTC), 3.5)]


@pytest.mark.parametrize(
    ("line", "field"),
    [
        ("now,3,1", "time"),
        ("2026-06-18T06:30:00,3,1", "time"),
        ("2026-06-18T06:30:00Z,,1", "channel"),
        ("2026-06-18T06:30:00Z,3,dry", "value"),
        ("2026-06-18T06:30:00Z,3,inf", "value"),
        ("2026-06-18T06:30:00Z", "line"),
        ('"2026-06-18', "line"),
        ("x" * 3000, "line"),
    ],
)
def test_a_bad_line_is_refused_with_its_number(line, field):
    rows = list(parse_csv([HEAD, line, "2026-06-18T06:30:00Z,3,1"]))
    assert isinstance(rows[0], Refusal) and (rows[0].index, rows[0].field) == (2, field)
    assert isinstance(rows[1], CsvReading)


def test_a_header_that_misses_a_column_is_told():
    with pytest.raises(OutOfRange) as error:
        list(parse_csv(["time,value", "1,2"]))
    assert "channel is missing" in error.value.expectation


@given(st.lists(st.text(max_size=60), max_size=6))
def test_csv_never_crashes(lines):
    for row in parse_csv([HEAD, *lines]):
        assert isinstance(row, CsvReading | Refusal)


def test_sdi12_answers_of_the_specification():
    assert sdi12_crc("0+3.14") == "OqZ"
    assert parse_values("0+3.14OqZ\r\n", with_crc=True).values == (3.14,)
    assert parse_values("1+23.4-1.25+3\r\n").values == (23.4, -1.25, 3.0)
    assert parse_notice("00101\r\n") == parse_notice("00101")
    assert (parse_notice("a0305").seconds, parse_notice("a0305").count) == (30, 5)
    who = parse_identity("014NRSYSINC1000001.2001015\r\n")
    assert (who.protocol, who.maker, who.model) == ("1.4", "NRSYSINC", "100000")


@pytest.mark.parametrize(
    ("line", "field"),
    [
        ("", "line"),
        ("?+1", "byte 1"),
        ("0+1x2", "byte 4"),
        ("0", "line"),
        ("0+12345678", "byte 2"),
        ("0+1\u00e9", "line"),
    ],
)
def test_a_bad_sdi12_answer_names_its_byte(line, field):
    with pytest.raises(OutOfRange) as error:
        parse_values(line)
    assert error.value.field == field


def test_a_changed_sdi12_answer_is_refused_by_its_checksum():
    with pytest.raises(OutOfRange) as error:
        parse_values("0+3.15OqZ", with_crc=True)
    assert error.value.field == "checksum"


@given(st.text(max_size=50))
def test_sdi12_never_crashes(line):
    for parse in (parse_values, parse_notice, parse_identity, lambda x: parse_values(x, with_crc=True)):
        try:
            parse(line)
        except ReedError as error:
            assert error.field and error.expectation


def test_a_loop_outside_its_limits_is_a_fault_not_a_reading():
    assert value_from_loop(4, 0, 100) == 0 and value_from_loop(20, 0, 100) == 100
    assert value_from_loop(3.8, 0, 100) == pytest.approx(-1.25)
    for current, word in ((3.5, "open"), (21.1, "shorted")):
        with pytest.raises(OutOfRange) as error:
            value_from_loop(current, 0, 100)
        assert word in error.value.expectation
    with pytest.raises(Inconsistent):
        value_from_loop(12, 5, 5)


def test_counts_millivolts_and_back_again():
    assert millivolts_from_counts(4095, 12, 3300) == 3300
    assert value_from_millivolts(1650, 0, 3300, -40, 60) == pytest.approx(10)
    with pytest.raises(OutOfRange):
        millivolts_from_counts(5000, 12, 3300)


@given(st.integers(0, 2**32 - 1), st.integers(0, 10**6))
def test_a_counter_that_wraps_loses_nothing(before, passed):
    assert pulses_between(before, (before + passed) % 2**32) == passed


def test_a_counter_that_was_reset_gives_what_it_counted_since():
    assert pulses_between(90_000, 12, most=1000) == 12


def test_a_switch_changes_only_when_it_has_held():
    switch = Switch(False, hold_s=2)
    for second, closed in ((0, True), (1, True), (1.5, False), (2, True), (3, True)):
        switch = switch.seen(closed, second)
        assert switch.closed is False
    assert switch.seen(True, 4.1).closed is True
    assert Switch(False, normally_closed=True).active is True  # a cut wire says it too
