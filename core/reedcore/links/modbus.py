"""Modbus frames byte by byte, for showing and checking; and values from registers by the register map."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from enum import StrEnum

from ..errors import OutOfRange, require_range

READ_FUNCTIONS = {1: "read coils", 2: "read inputs (on or off)", 3: "read holding registers", 4: "read input registers"}
WRITE_FUNCTIONS = {5: "write one coil", 6: "write one register", 15: "write coils", 16: "write registers"}
EXCEPTIONS = {
    1: "it does not know this function: try function 3 or 4",
    2: "it has no such register: check the address, and whether its list counts from 0 or from 1",
    3: "it does not take this count or value",
    4: "it failed inside: switch it off and on, then ask again",
    5: "it needs longer and has begun: ask again later",
    6: "it is busy: ask again later",
    8: "its memory has an error: have it mended",
    10: "the bridge finds no way to it: check the bridge's settings",
    11: "the bridge got no answer from it: check its address, baud rate and the two wires",
}
MAX_READ = 125


class Framing(StrEnum):
    RTU = "rtu"
    TCP = "tcp"


class Encoding(StrEnum):
    """Types a register map can name."""

    UINT16 = "uint16"
    INT16 = "int16"
    UINT32 = "uint32"
    INT32 = "int32"
    FLOAT32 = "float32"
    BIT = "bit"


class WordOrder(StrEnum):
    """Order of words, then of bytes in a word: high first is the usual one."""

    ABCD = "abcd"
    CDAB = "cdab"
    BADC = "badc"
    DCBA = "dcba"


_FORMAT = {
    Encoding.UINT16: ">H",
    Encoding.INT16: ">h",
    Encoding.UINT32: ">I",
    Encoding.INT32: ">i",
    Encoding.FLOAT32: ">f",
}


def crc16(data: bytes) -> int:
    """CRC-16 of a Modbus RTU frame; goes out low byte first. Source: MODBUS over serial line 1.02, appendix B."""
    crc = 0xFFFF
    for byte in data:
        crc ^= byte
        for _ in range(8):
            crc = (crc >> 1) ^ 0xA001 if crc & 1 else crc >> 1
    return crc


def with_crc(data: bytes) -> bytes:
    """The frame with its checksum at the end."""
    return data + struct.pack("<H", crc16(data))


def read_request(
    device: int, function: int, address: int, count: int, framing: Framing = Framing.RTU, number: int = 1
) -> bytes:
    """Request bytes of a read.

    Parameters
    ----------
    device : bus address [1 to 247]. function : 1 to 4. address : first register, counted from 0 [0 to 65535].
    count : registers [1 to 125] or bits [1 to 2000]. number : transaction of a TCP frame [0 to 65535].

    Returns
    -------
    Bytes, with CRC (RTU) or header (TCP).

    Raises
    ------
    OutOfRange : an argument outside its range.

    References
    ----------
    MODBUS application protocol 1.1b3, 6.1 to 6.4.
    """
    require_range("device", device, 1, 247, "")
    if function not in READ_FUNCTIONS:
        raise OutOfRange("function", function, "1, 2, 3 or 4")
    require_range("address", address, 0, 65535, "")
    require_range(
        "count", count, 1, MAX_READ if function in (3, 4) else 2000, "registers" if function in (3, 4) else "bits"
    )
    if address + count > 65536:
        raise OutOfRange("count", count, f"at most {65536 - address}, or it runs past register 65535")
    pdu = struct.pack(">BHH", function, address, count)
    return framed(device, pdu, framing, number)


def framed(device: int, pdu: bytes, framing: Framing, number: int = 1) -> bytes:
    """A PDU with its address and checksum (RTU) or its header (TCP)."""
    if framing is Framing.RTU:
        return with_crc(bytes([device]) + pdu)
    return struct.pack(">HHHB", number, 0, len(pdu) + 1, device) + pdu


@dataclass(frozen=True)
class Field:
    """Some bytes of a frame: where they begin, what they are, whether they are right."""

    at: int
    raw: bytes
    name: str
    meaning: str
    right: bool = True

    @property
    def hex(self) -> str:
        return self.raw.hex(" ").upper()


@dataclass(frozen=True)
class Frame:
    """A frame taken apart. problem is empty when all of it is right; words are the registers of a read answer."""

    fields: tuple[Field, ...]
    problem: str = ""
    words: tuple[int, ...] = ()
    bits: tuple[bool, ...] = ()


def explain(data: bytes, framing: Framing = Framing.RTU, answer: bool = False) -> Frame:
    """Take any bytes apart as a Modbus frame; never raises.

    Parameters
    ----------
    data : bytes as they went over the wire, 0 to 300.
    framing : RTU or TCP. answer : True for what came back.

    Returns
    -------
    Frame with every byte in a field, and what is wrong in words.
    """
    if not data:
        return Frame((), "Nothing came back: no power, wrong address or baud rate, or the two wires are swapped.")
    if framing is Framing.TCP:
        return _explain_tcp(data, answer)
    if len(data) < 4:
        return Frame(
            (Field(0, data, "piece", "too short for a frame", False),),
            f"Only {len(data)} bytes came; a frame has at least 4.",
        )
    body, sent = data[:-2], struct.unpack("<H", data[-2:])[0]
    right = sent == crc16(body)
    wanted = struct.pack("<H", crc16(body)).hex(" ").upper()
    checksum = Field(len(body), data[-2:], "checksum", "right" if right else f"wrong: these bytes want {wanted}", right)
    head = Field(0, data[:1], "device", f"address {data[0]}")
    inner = _explain_pdu(data[1:-2], 1, answer)
    problem = inner.problem
    if not right:
        problem = "The checksum is wrong: bytes were changed on the way. Look at cable, ends, ground and other talkers on the bus."
    return Frame((head, *inner.fields, checksum), problem, inner.words if right else (), inner.bits if right else ())


def _explain_tcp(data: bytes, answer: bool) -> Frame:
    if len(data) < 8:
        return Frame(
            (Field(0, data, "piece", "too short for a frame", False),),
            f"Only {len(data)} bytes came; a frame has at least 8.",
        )
    number, protocol, length, device = struct.unpack(">HHHB", data[:7])
    fits = length == len(data) - 6
    fields = (
        Field(0, data[:2], "transaction", f"number {number}"),
        Field(2, data[2:4], "protocol", "Modbus" if protocol == 0 else "not Modbus", protocol == 0),
        Field(4, data[4:6], "length", f"{length} bytes follow" + ("" if fits else f", but {len(data) - 6} came"), fits),
        Field(6, data[6:7], "device", f"address {device}"),
    )
    inner = _explain_pdu(data[7:], 7, answer)
    problem = inner.problem
    if protocol != 0:
        problem = "This is not a Modbus frame: another service answers on this port."
    elif not fits:
        problem = (
            f"The header promises {length} bytes and {len(data) - 6} came: the answer is cut or mixed with another one."
        )
    return Frame((*fields, *inner.fields), problem, () if problem else inner.words, () if problem else inner.bits)


def _explain_pdu(pdu: bytes, at: int, answer: bool) -> Frame:
    if not pdu:
        return Frame((), "The frame ends before its function.")
    function = pdu[0]
    if function & 0x80:
        return _explain_exception(pdu, at)
    name = READ_FUNCTIONS.get(function) or WRITE_FUNCTIONS.get(function)
    head = Field(at, pdu[:1], "function", f"{function}, {name or 'not known here'}", name is not None)
    if name is None:
        rest = (Field(at + 1, pdu[1:], "data", f"{len(pdu) - 1} bytes"),) if len(pdu) > 1 else ()
        return Frame((head, *rest), f"Function {function} is not one this bench reads.")
    if answer and function in READ_FUNCTIONS:
        return _explain_values(head, pdu, at, function)
    return _explain_address(head, pdu, at, function)


def _explain_exception(pdu: bytes, at: int) -> Frame:
    code = pdu[1] if len(pdu) > 1 else 0
    words = EXCEPTIONS.get(code, "a code that is in no list")
    fields = [Field(at, pdu[:1], "function", f"{pdu[0] & 0x7F}, refused", False)]
    if len(pdu) > 1:
        fields.append(Field(at + 1, pdu[1:2], "exception", f"{code}: {words}", False))
    if len(pdu) > 2:
        fields.append(Field(at + 2, pdu[2:], "left over", "bytes that do not belong here", False))
    return Frame(tuple(fields), f"The device refused (exception {code}): {words}.")


def _explain_values(head: Field, pdu: bytes, at: int, function: int) -> Frame:
    if len(pdu) < 2:
        return Frame((head,), "The answer ends before its byte count.")
    count, data = pdu[1], pdu[2:]
    fits = count == len(data) and (function in (1, 2) or count % 2 == 0)
    counted = Field(at + 1, pdu[1:2], "byte count", f"{count}" + ("" if fits else f", but {len(data)} came"), fits)
    if function in (1, 2):
        bits = tuple(bool(byte >> i & 1) for byte in data for i in range(8))
        fields = (
            head,
            counted,
            *((Field(at + 2, data, "bits", " ".join("1" if b else "0" for b in bits)),) if data else ()),
        )
        return Frame(
            fields, "" if fits else "The byte count does not fit: the answer is cut.", (), bits if fits else ()
        )
    words = tuple(struct.unpack(f">{len(data) // 2}H", data[: len(data) // 2 * 2]))
    values = [Field(at + 2 + 2 * i, data[2 * i : 2 * i + 2], f"register {i}", f"{w}") for i, w in enumerate(words)]
    if len(data) % 2:
        values.append(Field(at + 2 + 2 * len(words), data[-1:], "left over", "half a register", False))
    return Frame(
        (head, counted, *values),
        "" if fits else "The byte count does not fit: the answer is cut.",
        words if fits else (),
    )


def _explain_address(head: Field, pdu: bytes, at: int, function: int) -> Frame:
    if len(pdu) < 5:
        rest = (Field(at + 1, pdu[1:], "piece", "the frame ends here", False),) if len(pdu) > 1 else ()
        return Frame((head, *rest), "The frame ends before its address and count.")
    address, second = struct.unpack(">HH", pdu[1:5])
    what = "value" if function in (5, 6) else "count"
    fields = [head, Field(at + 1, pdu[1:3], "first register", f"{address}"), Field(at + 3, pdu[3:5], what, f"{second}")]
    if len(pdu) > 5:
        fields.append(Field(at + 5, pdu[5:], "data", f"{len(pdu) - 5} bytes", function in (15, 16)))
    return Frame(tuple(fields), "" if len(pdu) == 5 or function in (15, 16) else "Bytes are left over at the end.")


def registers_of(encoding: Encoding) -> int:
    """Registers that a type takes."""
    return 2 if encoding in (Encoding.UINT32, Encoding.INT32, Encoding.FLOAT32) else 1


def value_from_registers(
    words: list[int], encoding: Encoding, order: WordOrder = WordOrder.ABCD, scale: float = 1.0, offset: float = 0.0
) -> float:
    """A value from its registers: number × scale + offset.

    Parameters
    ----------
    words : one or two registers [0 to 65535 each], as the type needs.
    encoding, order : how the number stands in them. scale, offset : into the channel's unit.

    Returns
    -------
    Value; NaN where a float32 is NaN.

    Raises
    ------
    OutOfRange : too few registers, or a word outside 0 to 65535.

    References
    ----------
    science.md, Modbus: word and byte order selectable.
    """
    if len(words) < registers_of(encoding):
        raise OutOfRange("words", len(words), f"{registers_of(encoding)} registers for {encoding.value}")
    used = [int(w) for w in words[: registers_of(encoding)]]
    for word in used:
        require_range("words", word, 0, 65535, "")
    if encoding is Encoding.BIT:
        return (1.0 if used[0] else 0.0) * scale + offset
    if order in (WordOrder.BADC, WordOrder.DCBA):
        used = [(w >> 8) | ((w & 0xFF) << 8) for w in used]
    if order in (WordOrder.CDAB, WordOrder.DCBA):
        used.reverse()
    number = struct.unpack(_FORMAT[encoding], b"".join(struct.pack(">H", w) for w in used))[0]
    return float(number) * scale + offset


def registers_from_value(
    value: float, encoding: Encoding, order: WordOrder = WordOrder.ABCD, scale: float = 1.0, offset: float = 0.0
) -> list[int]:
    """Inverse of value_from_registers: the number nearest to the value, held at the ends of its type."""
    number = (value - offset) / scale
    if encoding is Encoding.BIT:
        return [1 if number else 0]
    if encoding is not Encoding.FLOAT32:
        low, high = {
            Encoding.UINT16: (0, 0xFFFF),
            Encoding.INT16: (-0x8000, 0x7FFF),
            Encoding.UINT32: (0, 0xFFFFFFFF),
            Encoding.INT32: (-0x80000000, 0x7FFFFFFF),
        }[encoding]
        number = min(max(round(number), low), high)
    packed = struct.pack(_FORMAT[encoding], number)
    words = list(struct.unpack(f">{len(packed) // 2}H", packed))
    if order in (WordOrder.CDAB, WordOrder.DCBA):
        words.reverse()
    if order in (WordOrder.BADC, WordOrder.DCBA):
        words = [(w >> 8) | ((w & 0xFF) << 8) for w in words]
    return words
