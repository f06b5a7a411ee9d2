"""Messages of frontend/backend protocol 3: read from bytes, and written as bytes."""

import struct
from collections.abc import Iterable
from typing import NamedTuple

#: What a connection begins with in place of a version.
CANCEL, TLS, GSS = 80877102, 80877103, 80877104
PROTOCOL = 3
#: A message before sign-in has at most so many bytes, one after it so many.
MOST_BEFORE, MOST_BYTES = 10_000, 4 * 1024 * 1024


class Broken(Exception):
    """What came is no message of the protocol; the connection ends."""


class Described(NamedTuple):
    """A column of a result: its name, its type's number and size."""

    name: str
    oid: int
    size: int


class Reader:
    """The parts of one message, in order. Raises Broken where it ends too early."""

    def __init__(self, body: bytes) -> None:
        self._body, self._at = body, 0

    def text(self) -> str:
        """A text that ends with a zero."""
        end = self._body.find(b"\0", self._at)
        if end < 0:
            raise Broken("invalid string in message")
        found, self._at = self._body[self._at : end], end + 1
        try:
            return found.decode()
        except UnicodeDecodeError:
            raise Broken("invalid byte sequence for encoding UTF8") from None

    def take(self, count: int) -> bytes:
        """So many bytes."""
        if count < 0 or self._at + count > len(self._body):
            raise Broken("insufficient data left in message")
        found, self._at = self._body[self._at : self._at + count], self._at + count
        return found

    def int16(self) -> int:
        """A number of two bytes, from 0."""
        return int.from_bytes(self.take(2), "big")

    def int32(self) -> int:
        """A number of four bytes, with a sign."""
        return int.from_bytes(self.take(4), "big", signed=True)

    def rest(self) -> bytes:
        """All that is left."""
        return self.take(len(self._body) - self._at)

    def value(self) -> bytes | None:
        """A value with its length before it; None for null."""
        length = self.int32()
        return None if length == -1 else self.take(length)


def message(kind: bytes, body: bytes = b"") -> bytes:
    """A message: its letter, its length, and what it says."""
    return kind + (len(body) + 4).to_bytes(4, "big") + body


def text(value: str) -> bytes:
    """A text as messages hold it; a zero inside it would end it."""
    return value.replace("\0", "").encode("utf-8", "replace") + b"\0"


AUTHENTICATED = message(b"R", struct.pack("!i", 0))
PARSED, BOUND, CLOSED, NO_DATA, SUSPENDED, EMPTY, COPIED = (message(kind) for kind in (b"1", b"2", b"3", b"n", b"s", b"I", b"c"))


def ready(status: str) -> bytes:
    """Ready for the next query; idle (I), in a transaction (T), or in one that failed (E)."""
    return message(b"Z", status.encode())


def parameter(name: str, value: str) -> bytes:
    """A setting as it is now."""
    return message(b"S", text(name) + text(value))


def key_data(process: int, secret: int) -> bytes:
    """What a cancel request has to name."""
    return message(b"K", struct.pack("!II", process, secret))


def sasl(mechanisms: Iterable[str]) -> bytes:
    """The ways to sign in."""
    return message(b"R", struct.pack("!i", 10) + b"".join(text(name) for name in mechanisms) + b"\0")


def sasl_step(data: bytes, last: bool) -> bytes:
    """The next step of signing in."""
    return message(b"R", struct.pack("!i", 12 if last else 11) + data)


def row_description(columns: Iterable[Described], formats: Iterable[int]) -> bytes:
    """The columns of the rows that follow."""
    listed = list(zip(columns, formats, strict=True))
    parts = [text(column.name) + struct.pack("!ihihih", 0, 0, column.oid, column.size, -1, format_) for column, format_ in listed]
    return message(b"T", struct.pack("!H", len(listed)) + b"".join(parts))


def parameter_description(oids: Iterable[int]) -> bytes:
    """The types of a statement's parameters."""
    listed = list(oids)
    return message(b"t", struct.pack(f"!H{len(listed)}i", len(listed), *listed))


def copy_out(columns: int, binary: bool) -> bytes:
    """That a copy follows."""
    return message(b"H", struct.pack(f"!bH{columns}h", int(binary), columns, *[int(binary)] * columns))


def completed(tag: str) -> bytes:
    """That a command is done."""
    return message(b"C", text(tag))


def negotiated(options: Iterable[str]) -> bytes:
    """Options of the protocol that are not known here."""
    listed = list(options)
    return message(b"v", struct.pack("!ii", PROTOCOL << 16, len(listed)) + b"".join(text(name) for name in listed))


def said(kind: bytes, severity: str, code: str, sentence: str, hint: str | None = None, position: int | None = None) -> bytes:
    """An error (E) or a notice (N); the position counts signs from 1."""
    fields = [(b"S", severity), (b"V", severity), (b"C", code), (b"M", sentence)]
    fields += [(b"H", hint)] if hint else []
    fields += [(b"P", str(position + 1))] if position is not None else []
    return message(kind, b"".join(letter + text(value) for letter, value in fields) + b"\0")
