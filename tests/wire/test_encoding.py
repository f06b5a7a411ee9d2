"""Columns as bytes, held against what PostgreSQL writes of the same values (channels.md 13.8)."""

import datetime
from collections.abc import Iterator

import psycopg
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as some

from moorland.wire.decoding import BadValue, decoded
from moorland.wire.encoding import CopyLayout, copy_rows, data_rows
from tests.core.databases import running_postgres

TYPES = {
    "boolean": (pa.bool_(), some.booleans()),
    "bigint": (pa.int64(), some.integers(-(2**63), 2**63 - 1)),
    "double precision": (pa.float64(), some.floats()),
    "text": (pa.string(), some.text(some.characters(blacklist_categories=["Cs"], blacklist_characters="\0"), max_size=12)),
    "date": (pa.date32(), some.dates()),
    "timestamp": (pa.timestamp("us"), some.datetimes().map(lambda at: at.replace(fold=0))),
}


@pytest.fixture(scope="module")
def postgres() -> Iterator[psycopg.Connection]:
    """A server to ask for the same."""
    with running_postgres() as address, psycopg.connect(address, autocommit=True) as connection:
        connection.execute("SET timezone = 'UTC'")
        yield connection


def tables() -> some.SearchStrategy[list[tuple[object, ...]]]:
    """Rows of every type, with nulls."""
    return some.lists(some.tuples(*(some.none() | values for _, values in TYPES.values())), min_size=1, max_size=6)


def arrow(rows: list[tuple[object, ...]]) -> pa.Table:
    return pa.table([pa.array([row[place] for row in rows], kind) for place, (kind, _) in enumerate(TYPES.values())], names=list(TYPES))


def written(messages: bytes) -> list[list[bytes | None]]:
    """The values of data rows."""
    found, at = [], 0
    while at < len(messages):
        assert messages[at : at + 1] == b"D"
        end, count, place = at + 1 + int.from_bytes(messages[at + 1 : at + 5], "big"), int.from_bytes(messages[at + 5 : at + 7], "big"), at + 7
        row: list[bytes | None] = []
        for _ in range(count):
            length = int.from_bytes(messages[place : place + 4], "big", signed=True)
            row.append(None if length < 0 else messages[place + 4 : place + 4 + length])
            place += 4 + max(length, 0)
        assert place == end
        found.append(row)
        at = end
    return found


def stored(postgres: psycopg.Connection, rows: list[tuple[object, ...]]) -> None:
    """The same rows in a table there, in their order."""
    postgres.execute("DROP TABLE IF EXISTS seen")
    postgres.execute(f"CREATE TEMP TABLE seen (place serial, {', '.join(f'c{number} {kind}' for number, kind in enumerate(TYPES))})")
    columns = ", ".join(f"c{number}" for number in range(len(TYPES)))
    postgres.cursor().executemany(f"INSERT INTO seen ({columns}) VALUES ({', '.join(['%s'] * len(TYPES))})", rows)


@settings(max_examples=12, deadline=None)
@given(rows=tables())
def test_rows_in_binary_and_copies_are_the_same_bytes(postgres: psycopg.Connection, rows: list[tuple[object, ...]]) -> None:
    stored(postgres, rows)
    columns = ", ".join(f"c{number}" for number in range(len(TYPES)))
    table = arrow(rows)
    cursor = postgres.cursor(binary=True).execute(f"SELECT {columns} FROM seen ORDER BY place")
    theirs = [[cursor.pgresult.get_value(row, column) for column in range(len(TYPES))] for row in range(len(rows))]  # type: ignore[union-attr]
    assert written(b"".join(bytes(part) for _, part in data_rows(table, [1] * len(TYPES)))) == theirs
    for options, layout in (
        ("binary", CopyLayout("binary")),
        ("text", CopyLayout()),
        ("csv", CopyLayout("csv")),
        ("csv, null 'x', delimiter ';'", CopyLayout("csv", False, ";", "x")),
    ):
        # Shortest texts of numbers are written with other exponents: they are left out of the copies in text.
        kept = columns if options == "binary" else columns.replace("c2, ", "")
        with postgres.cursor().copy(f"COPY (SELECT {kept} FROM seen ORDER BY place) TO STDOUT (FORMAT {options})") as copy:
            wanted = b"".join(bytes(part) for part in copy)
        shown = table if options == "binary" else table.drop_columns(["double precision"])
        found = b"".join(bytes(part) for _, part in copy_rows(shown, shown.column_names, layout))
        assert unframed(found) == wanted


def unframed(messages: bytes) -> bytes:
    """What copy-data messages hold."""
    found, at = b"", 0
    while at < len(messages):
        end = at + 1 + int.from_bytes(messages[at + 1 : at + 5], "big")
        found += messages[at + 5 : end]
        at = end
    return found


@settings(max_examples=12, deadline=None)
@given(rows=tables())
def test_rows_in_text_are_read_as_the_values_they_are(postgres: psycopg.Connection, rows: list[tuple[object, ...]]) -> None:
    texts = written(b"".join(bytes(part) for _, part in data_rows(arrow(rows), [0] * len(TYPES))))
    marks = ", ".join(f"%s::text::{kind}" for kind in TYPES)
    for row, values in zip(texts, rows, strict=True):
        given_ = [None if value is None else value.decode() for value in row]
        found = postgres.execute(f"SELECT {marks}", given_).fetchone()
        assert repr(found) == repr(values)


@settings(max_examples=12, deadline=None)
@given(row=some.tuples(*(values for _, values in TYPES.values())))
def test_parameters_are_read_as_clients_send_them(row: tuple[object, ...]) -> None:
    table = arrow([row])
    oids = [16, 20, 701, 25, 1082, 1114]
    for format_ in (0, 1):
        sent = written(b"".join(bytes(part) for _, part in data_rows(table, [format_] * len(TYPES))))[0]
        assert repr(tuple(decoded(value, oid, format_ == 1) for value, oid in zip(sent, oids, strict=True))) == repr(row)


@pytest.mark.parametrize(
    ("value", "oid", "binary"),
    [
        (b"x", 20, False),
        (b"123", 20, True),
        (b"2024-13-01", 1082, False),
        (b"{1,2", 1016, False),
        (b"\xff", 25, False),
        (b"\0" * 4, 99999, True),
        (b"\0\0\0\2" + b"\0" * 16, 1016, True),
    ],
)
def test_what_is_no_value_of_its_type_is_refused(value: bytes, oid: int, binary: bool) -> None:
    with pytest.raises(BadValue):
        decoded(value, oid, binary)


def test_lists_are_read_in_text_and_binary() -> None:
    assert decoded(b"{1,NULL,3}", 1016, False) == [1, None, 3]
    assert decoded(b'{"a b","c\\"d",e,"NULL"}', 1009, False) == ["a b", 'c"d', "e", "NULL"]
    many = b"".join((4).to_bytes(4, "big") + number.to_bytes(4, "big") for number in (7, 8))
    assert decoded((1).to_bytes(4, "big") + bytes(4) + (23).to_bytes(4, "big") + (2).to_bytes(4, "big") + (1).to_bytes(4, "big") + many, 1007, True) == [7, 8]
    assert decoded(b"2024-02-01 03:04:05+00", 1184, False) == datetime.datetime(2024, 2, 1, 3, 4, 5)
