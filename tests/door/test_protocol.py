"""The door under clients that do what they should not: bad input, limits, endings (channels.md 13.1, 13.6, 13.9)."""

import contextlib
import json
import os
import socket
import struct
import threading
import time
from collections.abc import Iterator

import psycopg
import pytest

from moorland.wire.scram import Exchange, NotProved, verifier_of
from tests.door.conftest import ServedDoor

DAYS = "select day, extract(day from day) as n from operations.calendar"
HEAVY = f"select sum(sqrt(x.n * y.n + z.n)) from ({DAYS}) x cross join ({DAYS}) y cross join ({DAYS}) z"


@contextlib.contextmanager
def raw(door: ServedDoor) -> Iterator[socket.socket]:
    """A socket to the door."""
    with socket.create_connection(("127.0.0.1", door.port), timeout=20) as plain:
        yield plain


def begun(plain: socket.socket, user: str) -> bytes:
    """The door's answer to a client that begins."""
    body = struct.pack("!i", 196608) + f"user\0{user}\0database\0moorland\0\0".encode()
    plain.sendall(struct.pack("!i", len(body) + 4) + body)
    return plain.recv(4096)


def salt_of(door: ServedDoor, user: str) -> tuple[bytes, bytes]:
    """What somebody who comes with a name is asked: the salt, and the rounds."""
    with raw(door) as plain:
        begun(plain, user)
        first = b"n,,n=,r=abcdefghijklmnopqrst"
        said = b"SCRAM-SHA-256\0" + struct.pack("!i", len(first)) + first
        plain.sendall(b"p" + struct.pack("!i", len(said) + 4) + said)
        parts = plain.recv(4096)[9:].split(b",")
        return parts[1], parts[2]


def refused(door: ServedDoor, user: str, key: str, **options: object) -> psycopg.OperationalError:
    """How a client that is not let in is told so."""
    with pytest.raises(psycopg.OperationalError) as told:
        psycopg.connect(host="127.0.0.1", port=door.port, user=user, password=key, dbname="moorland", **options)
    return told.value


def test_a_wrong_key_and_nobody_are_refused_in_the_same_words_and_asked_the_same(door: ServedDoor) -> None:
    known, unknown = (str(refused(door, user, "door_wrong")) for user in ("j.ames", "j.emas"))
    assert known.replace("j.ames", "…") == unknown.replace("j.emas", "…") and "password authentication failed" in known
    assert salt_of(door, "nobody.here") == salt_of(door, "nobody.here") != salt_of(door, "nobody.else")
    assert salt_of(door, "nobody.here")[1] == b"i=4096"[0:6]


def test_the_password_of_sign_in_does_not_open_the_door(door: ServedDoor) -> None:
    assert "password authentication failed" in str(refused(door, "j.ames", "moorland-demo"))


def test_a_key_that_ends_ends_its_sessions_at_once_and_opens_nothing_more(door: ServedDoor) -> None:
    key, number = door.key("r.oddie", "short")
    with psycopg.connect(host="127.0.0.1", port=door.port, user="r.oddie/short", password=key, dbname="moorland", autocommit=True) as connection:
        connection.execute("select 1")
        assert door.callers["r.oddie"].call("DELETE", f"my/door/keys/{number}")[0] == 204
        with pytest.raises(psycopg.errors.AdminShutdown):
            for _ in range(100):
                connection.execute("select 1")
                time.sleep(0.05)
    assert "password authentication failed" in str(refused(door, "r.oddie/short", key))


def test_an_account_that_is_disabled_is_out_at_once(door: ServedDoor) -> None:
    key, _ = door.key("q.lund", "desk")
    with psycopg.connect(host="127.0.0.1", port=door.port, user="q.lund/desk", password=key, dbname="moorland", autocommit=True) as connection:
        status, told = door.keeper.call("POST", "acts", {"change_people": {"logins": ["q.lund"], "enabled": False}})
        assert status == 200, told
        with pytest.raises(psycopg.errors.AdminShutdown):
            for _ in range(100):
                connection.execute("select 1")
                time.sleep(0.05)


def test_a_keeper_sees_who_is_connected_and_ends_a_session(door: ServedDoor) -> None:
    with door.of("v.birk").connect(application_name="ledger", autocommit=True) as connection:
        connection.execute("select count(*) from operations.site")
        there = [item for item in json.loads(door.keeper.call("GET", "settings/door")[1])["sessions"] if item["program"] == "ledger"]
        assert [(item["account"], item["asked"]) for item in there] == [("v.birk", 1)]
        assert door.keeper.call("DELETE", f"settings/door/sessions/{there[0]['number']}")[0] == 204
        with pytest.raises(psycopg.errors.AdminShutdown):
            for _ in range(40):
                connection.execute("select 1")
                time.sleep(0.05)


def test_a_statement_is_cancelled_and_the_session_goes_on(door: ServedDoor) -> None:
    with door.of("v.birk").connect(autocommit=True) as connection:
        threading.Timer(0.6, connection.cancel).start()
        began = time.monotonic()
        with pytest.raises(psycopg.errors.QueryCanceled):
            connection.execute(HEAVY)
        assert time.monotonic() - began < 8
        assert connection.execute("select 1").fetchone() == (1,)


@pytest.mark.parametrize(
    "sent",
    [
        struct.pack("!i", 2**30) + b"x" * 64,
        struct.pack("!ii", 8, 0x00020000),
        b"\0\0\0\0",
        b"GET / HTTP/1.1\r\nHost: door\r\n\r\n",
        struct.pack("!ii", 12, 196608) + b"user",
    ],
)
def test_what_is_no_beginning_is_let_go(door: ServedDoor, sent: bytes) -> None:
    with raw(door) as plain:
        plain.sendall(sent)
        plain.shutdown(socket.SHUT_WR)
        while plain.recv(4096):
            pass
    with door.of("v.birk").connect() as connection:
        assert connection.execute("select 1").fetchone() == (1,)


def test_a_message_too_large_ends_the_session_before_it_is_read(door: ServedDoor) -> None:
    with door.of("v.birk").connect(autocommit=True) as connection:
        plain = socket.socket(fileno=os.dup(connection.fileno()))
        plain.setblocking(True)
        plain.sendall(b"Q" + struct.pack("!i", 2**30))
        with pytest.raises(psycopg.OperationalError, match=r"invalid message length|closed"):
            connection.execute("select 1")
        plain.close()


def test_two_hundred_connections_are_answered_or_told_that_there_are_too_many(door: ServedDoor) -> None:
    with contextlib.ExitStack() as open_:
        told = 0
        for _ in range(70):
            try:
                open_.enter_context(contextlib.closing(door.of("j.ames").connect()))
            except psycopg.OperationalError as error:
                assert "too many clients" in str(error)
                told += 1
        assert 0 < told < 20
    time.sleep(1)
    with door.of("j.ames").connect() as connection:
        assert connection.execute("select 1").fetchone() == (1,)


@pytest.mark.parametrize(
    ("statement", "code"),
    [
        ("create table x (a int)", "25006"),
        ("insert into operations.site values (1)", "25006"),
        ("update operations.site set name = 'x'", "25006"),
        ("drop table operations.site", "25006"),
        ("copy operations.site from stdin", "25006"),
        ("copy operations.site to '/tmp/x'", "42501"),
        ("copy operations.site to stdout", "42501"),
        ("copy (select 1) to program 'sh'", "42501"),
        ("explain select 1", "0A000"),
        ("do 'x'", "0A000"),
        ("set role postgres", "0A000"),
        ("set session authorization 'h.warden'", "0A000"),
        ("set client_encoding = 'LATIN1'", "0A000"),
        ("set standard_conforming_strings = off", "0A000"),
        ("set moorland.whatever = '1'", "42704"),
        ("set no_such_setting = 1", "42704"),
        ("set default_transaction_read_only = off", "25006"),
        ("select * from read_csv('/etc/passwd')", "42883"),
        ("select * from pg_read_file('/etc/passwd')", "42883"),
        ("select getenv('HOME')", "42883"),
        ("select * from duckdb_settings()", "42883"),
        ("select * from pg_catalog.pg_authid", "42P01"),
        ("select * from information_schema.nothing", "42P01"),
        ("select pg_sleep(10)", "42883"),
        ("select lo_import('/etc/passwd')", "42883"),
        ("select * from pg_class, operations.site", "0A000"),
        ("declare c scroll cursor for select 1", "0A000"),
        ("fetch 3 from nothing", "34000"),
        ("execute nothing", "26000"),
        ("select 'open", "42601"),
    ],
)
def test_what_is_not_answered_is_refused_in_the_protocols_own_terms(door: ServedDoor, statement: str, code: str) -> None:
    with door.of("v.birk").connect(autocommit=True) as connection:
        with pytest.raises(psycopg.Error) as told:
            connection.execute(statement)
        assert (told.value.sqlstate, connection.execute("select 1").fetchone()) == (code, (1,))


def test_nobody_stands_in_without_the_duty_and_a_failed_try_ends_the_session(door: ServedDoor) -> None:
    for other in ("lh.03", "no.body"):
        with door.of("v.birk").connect(autocommit=True) as connection:
            with pytest.raises(psycopg.OperationalError) as told:
                connection.execute(f"set moorland.as = '{other}'")
            assert f'nobody may be asked as by the name "{other}"' in str(told.value)
            assert connection.closed
    assert "nobody may be asked as" in str(refused(door, "v.birk", door.of("v.birk").key, options="-c moorland.as=lh.03"))


def test_who_may_stand_in_asks_as_the_other_for_the_whole_session(door: ServedDoor) -> None:
    with door.of("j.ames").connect() as own:
        sites = own.execute("select count(*) from operations.site").fetchone()
    for begun in ({"options": "-c moorland.as=j.ames"}, {}):
        with door.of("h.warden").connect(autocommit=True, **begun) as connection:
            if not begun:
                connection.execute("SET moorland.as = 'j.ames'")
            connection.execute("reset all; discard all; reset moorland.as")
            assert connection.execute("select current_user, (select 1)").fetchone() == ("j.ames", 1)
            assert connection.execute("select count(*) from operations.site").fetchone() == sites
            told = json.loads(door.keeper.call("GET", "settings/door")[1])["sessions"]
            assert [(item["account"], item["login"]) for item in told if item["account"] == "h.warden"] == [("h.warden", "j.ames")]
            with pytest.raises(psycopg.Error, match="set once, before the first question"):
                connection.execute("SET moorland.as = 'v.birk'")
            assert connection.closed
    _, trail = door.keeper.call("GET", "trail")
    assert b'"as":"j.ames"' in trail.replace(b" ", b"")


def test_standing_in_ends_with_the_duty_that_allowed_it(door: ServedDoor) -> None:
    duty = {"user": "v.birk", "acts": ["stand-in"], "within": "everything"}
    status, body = door.keeper.call("POST", "duties", {"duty": duty})
    assert status == 201, body
    made = next(item for item in json.loads(body)["duties"] if item["duty"].get("user") == "v.birk")
    with door.of("v.birk").connect(autocommit=True, options="-c moorland.as=r.oddie") as connection:
        assert connection.execute("select current_user").fetchone() == ("r.oddie",)
        assert door.keeper.call("DELETE", f"duties/{made['id']}?version={made['version']}")[0] == 200
        for statement in ("select jobs from operations.job", "select 1"):
            with pytest.raises(psycopg.Error, match="nobody may be asked as"):
                connection.execute(statement)


def test_several_statements_in_one_text_end_at_the_first_that_fails(door: ServedDoor) -> None:
    with door.of("v.birk").connect(autocommit=True, cursor_factory=psycopg.ClientCursor) as connection:
        cursor = connection.execute("select 1; ; select 'two;' -- three;\n; show server_version")
        found = [cursor.fetchall()]
        while cursor.nextset():
            found.append(cursor.fetchall())
        assert found == [[(1,)], [("two;",)], [("15.0",)]]
        with pytest.raises(psycopg.errors.UndefinedTable):
            connection.execute("select 1; select * from nothing; select 2")


def test_a_proof_is_of_this_exchange_only() -> None:
    verifier = verifier_of("door_key")
    exchange = Exchange(verifier, "SCRAM-SHA-256")
    exchange.first(b"n,,n=,r=abcdefghijklmnop")
    for said in (b"c=biws,r=abcdefghijklmnop,p=AAAA", b"c=biws,r=other,p=AAAA", b"", b"\xff\xfe", b"c=eSws,r=x,p="):
        with pytest.raises(NotProved):
            exchange.last(said)
    for first in (b"p=tls-unique,,n=,r=abcdefghijklmnop", b"y", b"n,,m=x,n=,r=abcdefghijklmnop", b"n,,n=,r=a"):
        with pytest.raises(NotProved):
            Exchange(verifier, "SCRAM-SHA-256").first(first)


def test_a_cursor_of_before_a_change_ends_at_its_next_fetch(door: ServedDoor) -> None:
    with door.of("j.ames").connect() as connection:
        connection.execute("declare c cursor for select site_id from operations.site order by 1")
        assert connection.execute("fetch 2 from c").fetchall() == [(1,), (2,)]
        status, told = door.keeper.call("POST", "acts", {"change_people": {"logins": ["v.birk"], "name": "Verity Birk the second"}})
        assert status == 200, told
        with pytest.raises(psycopg.Error) as outdated:
            connection.execute("fetch 2 from c")
        assert (outdated.value.sqlstate, "has changed since" in str(outdated.value)) == ("24000", True)


def test_what_a_client_leaves_open_is_forgotten_when_it_goes(door: ServedDoor) -> None:
    before = len(json.loads(door.keeper.call("GET", "settings/door")[1])["sessions"])
    for _ in range(3):
        connection = door.of("v.birk").connect()
        connection.execute("declare c cursor for select * from operations.job")
        os.close(os.dup(connection.fileno()))
        socket.socket(fileno=os.dup(connection.fileno())).shutdown(socket.SHUT_RDWR)
        connection.close()
    for _ in range(40):
        if len(json.loads(door.keeper.call("GET", "settings/door")[1])["sessions"]) == before:
            return
        time.sleep(0.1)
    raise AssertionError("sessions of clients that have gone are still there")
