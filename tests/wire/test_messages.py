"""Whatever a client sends after it has come in, it is answered in the protocol's terms or let go, and others go on (channels.md 13.8)."""

import contextlib
import os
import socket
import struct
import time
from collections.abc import Iterator

import psycopg
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as some

from benchmarks.at_door import KEY, door_to, evaluator_of, rows_of
from moorland.wire import connection
from moorland.wire.commands import Refused, commands_of


@pytest.fixture(scope="module")
def port() -> Iterator[int]:
    """A door to a hundred rows."""
    with door_to(evaluator_of(rows_of(100))) as found:
        yield found


def connect(port: int) -> psycopg.Connection:
    return psycopg.connect(host="127.0.0.1", port=port, user="asker", password=KEY, dbname="moorland", autocommit=True)


MESSAGES = some.lists(some.tuples(some.sampled_from("QPBEDCSHXFdcfpZ?"), some.binary(max_size=40)), min_size=1, max_size=6)


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(sent=MESSAGES)
@example(sent=[("Q", b"select 1"), ("Q", b"\xff\xfe\0")])
@example(sent=[("P", b"s\0select $1\0\0\0"), ("B", b"\0s\0\0\0\0\1\xff\xff\xff\xfe\0\0")])
@example(sent=[("B", b"\0nothing\0\0\0\0\0\0\0"), ("E", b"\0\0\0\0\0"), ("S", b"")])
@example(sent=[("D", b"Snothing\0"), ("S", b""), ("D", b"P\0"), ("S", b"")])
def test_any_messages_are_answered_or_end_the_session(port: int, sent: list[tuple[str, bytes]]) -> None:
    with connect(port) as connection:
        with socket.socket(fileno=os.dup(connection.fileno())) as plain:
            plain.settimeout(10)
            came = b""
            # Who is let go may still be writing.
            with contextlib.suppress(ConnectionError):
                for kind, body in sent:
                    plain.sendall(kind.encode() + struct.pack("!i", len(body) + 4) + body)
                plain.sendall(b"S" + struct.pack("!i", 4) + b"X" + struct.pack("!i", 4))
            with contextlib.suppress(ConnectionError):
                while part := plain.recv(65536):
                    came += part
        while came:
            length = int.from_bytes(came[1:5], "big")
            assert came[:1] in b"12ZCEDTtnsINRSKHdc3" and 4 <= length <= len(came)
            assert b"XX000" not in came[: length + 1]
            came = came[length + 1 :]
    with connect(port) as other:
        assert other.execute("select count(*) from job").fetchone() == (100,)


@settings(max_examples=150, deadline=None)
@given(text=some.text(alphabet=some.sampled_from("select from job;'\"$-/*()=,x1 \n\\EBEGIN copy to stdout fetch declare cursor for set"), max_size=60))
def test_any_text_is_commands_or_refused(text: str) -> None:
    try:
        found = commands_of(text)
    except Refused as refused:
        assert len(refused.code) == 5
        return
    assert all(text[command.start : command.start + len(command.text)] == command.text for command in found if command.kind == "query")


@pytest.mark.parametrize(
    ("text", "kinds"),
    [
        ("", []),
        (" ; ;", []),
        ("-- only a comment", []),
        ("select ';'; select $$a;b$$; /* ; */ select \";\"", ["query", "query", "query"]),
        ("begin; savepoint a; rollback to a; release a; commit", ["begin", "savepoint", "rollback to", "release", "commit"]),
        ("start transaction isolation level serializable read only; end", ["begin", "commit"]),
        ("set search_path to a, b; set local x.y = 'z'; set time zone 'UTC'; set names 'utf8'", ["set"] * 4),
        ("set transaction read only; set session characteristics as transaction read only", ["accepted"] * 2),
        ("show all; show transaction isolation level; show time zone", ["show"] * 3),
        (
            "declare c no scroll cursor with hold for select 1; fetch all from c; fetch forward 3 in c; fetch c; move 2 c; close c; close all",
            ["declare", "fetch", "fetch", "fetch", "move", "close", "close"],
        ),
        (
            "prepare p (int, text) as select $1, $2; execute p (1, 'a'); deallocate p; deallocate prepare all; discard all",
            ["prepare", "execute", "deallocate", "deallocate", "discard"],
        ),
        ("copy (select 1) to stdout; copy a.b (x, y) to stdout with csv header; copy t to stdout (format binary)", ["copy"] * 3),
        ("unlisten *; reset all", ["accepted", "reset"]),
        ("with a as (select 1) select * from a; values (1); table x; (select 1) union select 2", ["query"] * 4),
    ],
)
def test_texts_are_read_as_the_commands_they_are(text: str, kinds: list[str]) -> None:
    assert [command.kind for command in commands_of(text)] == kinds


def test_a_client_that_takes_nothing_of_what_it_asked_is_let_go(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(connection, "STALL_SECONDS", 0.5)
    with door_to(evaluator_of(rows_of(200_000))) as port, connect(port) as idle:
        with socket.socket(fileno=os.dup(idle.fileno())) as plain:
            plain.settimeout(20)
            text = b"select * from job\0"
            plain.sendall(b"Q" + struct.pack("!i", len(text) + 4) + text)
            time.sleep(4)
            with contextlib.suppress(ConnectionError):
                while plain.recv(1 << 20):
                    pass
        with connect(port) as other:
            assert other.execute("select count(*) from job").fetchone() == (200_000,)
