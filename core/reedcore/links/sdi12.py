"""SDI-12 answers: values, measurement notices and identification, with the optional checksum."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ..errors import OutOfRange

ADDRESS = re.compile(r"[0-9A-Za-z]")
VALUE = re.compile(r"[+-](?=(?:\.?\d){1,7}\.?(?![\d.]))(?:\d+\.?\d*|\.\d+)")
NOTICE = re.compile(r"(\d{3})(\d{1,3})")
IDENTITY = re.compile(r"(\d\d)(.{8})(.{6})(.{3})(.{0,13})", re.ASCII | re.DOTALL)


@dataclass(frozen=True)
class Sdi12Values:
    """Values of a data answer and the address they came from."""

    address: str
    values: tuple[float, ...]
    checked: bool


@dataclass(frozen=True)
class Sdi12Notice:
    """Answer to a start: ready in `seconds` [s, 0 to 999] with `count` values."""

    address: str
    seconds: int
    count: int


@dataclass(frozen=True)
class Sdi12Identity:
    """Who a sensor is: protocol version, maker, model, its version, optional serial."""

    address: str
    protocol: str
    maker: str
    model: str
    version: str
    serial: str


def sdi12_crc(text: str) -> str:
    """Checksum of an answer as its three characters. Source: SDI-12 1.4, 4.4.12."""
    crc = 0
    for byte in text.encode("ascii", "replace"):
        crc ^= byte
        for _ in range(8):
            crc = (crc >> 1) ^ 0xA001 if crc & 1 else crc >> 1
    return "".join(chr(0x40 | (crc >> shift & 0x3F)) for shift in (12, 6, 0))


def _body(line: str) -> tuple[str, str]:
    if not line.isascii() or len(line) > 100:
        raise OutOfRange("line", line[:40], "an SDI-12 line: ASCII, at most 100 characters")
    body = line.rstrip("\r\n")
    if not body:
        raise OutOfRange("line", line, "an answer: none came; check the address, the supply and the data wire")
    if not ADDRESS.match(body[0]):
        raise OutOfRange("byte 1", body[0], "an address 0 to 9, A to Z, a to z")
    return body[0], body[1:]


def parse_values(line: str, with_crc: bool = False) -> Sdi12Values:
    """Values of a data answer such as `0+23.4-1.25+3`.

    Parameters
    ----------
    line : the answer with or without its line end. with_crc : True when it was asked for with a checksum.

    Returns
    -------
    Sdi12Values, at least one value.

    Raises
    ------
    OutOfRange : naming the byte that does not fit, or a wrong checksum.

    References
    ----------
    SDI-12 specification 1.4, 4.4.7 and 4.4.12.
    """
    address, rest = _body(line)
    if with_crc:
        sent, rest = rest[-3:], rest[:-3]
        if sent != sdi12_crc(address + rest):
            raise OutOfRange("checksum", sent, f"{sdi12_crc(address + rest)}: the answer was changed on its way")
    values, at = [], 0
    while at < len(rest):
        found = VALUE.match(rest, at)
        if not found:
            raise OutOfRange(f"byte {at + 2}", rest[at : at + 9], "a value such as +23.4: sign, then up to 7 digits")
        values.append(float(found.group()))
        at = found.end()
    if not values:
        raise OutOfRange("line", line[:40], "at least one value; the sensor has none ready")
    return Sdi12Values(address, tuple(values), with_crc)


def parse_notice(line: str) -> Sdi12Notice:
    """Answer to a start of measurement, `atttn`. Raises OutOfRange. Source: SDI-12 1.4, 4.4.6."""
    address, rest = _body(line)
    found = NOTICE.fullmatch(rest)
    if not found:
        raise OutOfRange("byte 2", rest[:12], "three digits of seconds and one to three of the number of values")
    return Sdi12Notice(address, int(found.group(1)), int(found.group(2)))


def parse_identity(line: str) -> Sdi12Identity:
    """Answer to an identify command. Raises OutOfRange. Source: SDI-12 1.4, 4.4.2."""
    address, rest = _body(line)
    found = IDENTITY.fullmatch(rest)
    if not found:
        raise OutOfRange("byte 2", rest[:20], "two digits of version, 8 characters of maker, 6 of model, 3 of version")
    protocol, maker, model, version, serial = (g.strip() for g in found.groups())
    return Sdi12Identity(address, f"{protocol[0]}.{protocol[1]}", maker, model, version, serial)
