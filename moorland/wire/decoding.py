"""Parameters as values: from the protocol's text or binary form, by the number of their type."""

import datetime
import decimal
import re
import struct
import uuid
from collections.abc import Callable
from typing import Any

_EPOCH = datetime.datetime(2000, 1, 1)
TEXTS = frozenset((0, 18, 19, 25, 705, 1042, 1043))


#: Lists by the type of what is in them.
_ITEMS = {1000: 16, 1005: 21, 1007: 23, 1016: 20, 1009: 25, 1015: 1043, 1021: 700, 1022: 701, 1182: 1082, 1115: 1114, 1231: 1700}
_ITEM = re.compile(r'"(?P<quoted>(?:[^"\\]|\\.)*)"|(?P<plain>[^,{}"\s][^,{}"]*)')
MOST_ITEMS = 20_000


class BadValue(Exception):
    """What came is no value of its type."""


def decoded(value: bytes | None, oid: int, binary: bool) -> Any:
    """A parameter's value. Raises BadValue."""
    if value is None:
        return None
    if oid in _ITEMS:
        return _items_binary(value) if binary else _items_text(value, _ITEMS[oid])
    read = (_BINARY if binary else _TEXT).get(oid)
    if oid in TEXTS or (read is None and not binary):
        read = _text
    if read is None:
        raise BadValue(f"a parameter of type {oid} cannot be read in binary form")
    try:
        return read(value)
    except (ValueError, ArithmeticError, struct.error, KeyError, OverflowError):
        raise BadValue(f"invalid input for a parameter of type {oid}") from None


def _text(value: bytes) -> str:
    return value.decode()


def _boolean(value: bytes) -> bool:
    return {"t": True, "true": True, "1": True, "yes": True, "on": True, "f": False, "false": False, "0": False, "no": False, "off": False}[
        _text(value).strip().lower()
    ]


def _number(value: bytes) -> int | float:
    found = decimal.Decimal(_text(value).strip())
    return int(found) if found == found.to_integral_value() and "." not in _text(value) else float(found)


def _timestamp(value: bytes) -> datetime.datetime:
    found = datetime.datetime.fromisoformat(_text(value).strip().replace("+00", "+00:00") if _text(value).strip().endswith("+00") else _text(value).strip())
    return found.astimezone(datetime.UTC).replace(tzinfo=None) if found.tzinfo else found


def _numeric(value: bytes) -> int | float:
    """The protocol's binary decimal: digits to the base 10,000."""
    count, weight, sign, scale = struct.unpack("!HhHH", value[:8])
    digits = struct.unpack(f"!{count}H", value[8 : 8 + 2 * count])
    total = sum((decimal.Decimal(digit) * decimal.Decimal(10_000) ** (weight - place) for place, digit in enumerate(digits)), decimal.Decimal(0))
    if sign == 0xC000:
        raise ValueError
    total = -total if sign == 0x4000 else total
    return int(total) if scale == 0 else float(total)


def _items_text(value: bytes, oid: int) -> list[Any]:
    """A list of one dimension in the protocol's text."""
    text = _text(value)
    if not text.startswith("{") or not text.endswith("}"):
        raise BadValue("malformed array literal")
    found: list[Any] = []
    for item in _ITEM.finditer(text[1:-1]):
        if item["quoted"] is not None:
            found.append(decoded(re.sub(r"\\(.)", r"\1", item["quoted"]).encode(), oid, False))
        elif item["plain"] is not None:
            found.append(None if item["plain"].upper() == "NULL" else decoded(item["plain"].encode(), oid, False))
    return found


def _items_binary(value: bytes) -> list[Any]:
    """A list of one dimension in the protocol's binary form."""
    try:
        dimensions, _, oid = struct.unpack("!iiI", value[:12])
        if dimensions == 0:
            return []
        count, at = struct.unpack("!i", value[12:16])[0], 20
        if dimensions != 1 or not 0 <= count <= MOST_ITEMS:
            raise BadValue("only lists of one dimension are read")
        found: list[Any] = []
        for _ in range(count):
            length = struct.unpack("!i", value[at : at + 4])[0]
            at += 4
            found.append(None if length < 0 else decoded(value[at : at + length], oid, True))
            at += max(length, 0)
    except struct.error:
        raise BadValue("malformed array") from None
    return found


def _of(form: str) -> Callable[[bytes], Any]:
    return lambda value: struct.unpack(form, value)[0]


_TEXT: dict[int, Callable[[bytes], Any]] = {
    16: _boolean,
    20: lambda value: int(_text(value)),
    21: lambda value: int(_text(value)),
    23: lambda value: int(_text(value)),
    26: lambda value: int(_text(value)),
    700: lambda value: float(_text(value)),
    701: lambda value: float(_text(value)),
    1082: lambda value: datetime.date.fromisoformat(_text(value).strip()[:10]),
    1114: _timestamp,
    1184: _timestamp,
    1700: _number,
}
_BINARY: dict[int, Callable[[bytes], Any]] = {
    16: lambda value: value != b"\0",
    20: _of("!q"),
    21: _of("!h"),
    23: _of("!i"),
    26: _of("!I"),
    700: _of("!f"),
    701: _of("!d"),
    1082: lambda value: (_EPOCH + datetime.timedelta(days=struct.unpack("!i", value)[0])).date(),
    1114: lambda value: _EPOCH + datetime.timedelta(microseconds=struct.unpack("!q", value)[0]),
    1184: lambda value: _EPOCH + datetime.timedelta(microseconds=struct.unpack("!q", value)[0]),
    1700: _numeric,
    2950: lambda value: str(uuid.UUID(bytes=value)),
}
