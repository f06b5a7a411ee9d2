"""Attacks on a running server, in bounded form: nobody stops it for others, nothing acknowledged is lost, nothing is stored twice."""

import json
import os
import signal
import socket
import subprocess
import sys
import time
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest

from benchmarks.served import Caller, Served, served_demo
from tests.demo_data import put_demo


@pytest.fixture(scope="module")
def served(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Served]:
    folder = tmp_path_factory.mktemp("served") / "demo"
    put_demo(folder)
    with served_demo(folder=folder) as running:
        yield running


@pytest.fixture(scope="module")
def callers(served: Served) -> dict[str, Caller]:
    return served.callers(["h.warden", "v.birk", "r.oddie"])


@pytest.fixture(scope="module")
def keeper(callers: dict[str, Caller]) -> Caller:
    return callers["h.warden"]


@pytest.fixture(scope="module")
def twice(served: Served, keeper: Caller) -> list[Caller]:
    """Two sessions of one account."""
    return [keeper, served.callers(["h.warden"])["h.warden"]]


def ok(answer: tuple[int, bytes]) -> Any:
    assert answer[0] in (200, 201, 204), answer
    return json.loads(answer[1]) if answer[1] else None


def at_once(twice: list[Caller], times: int, method: str, path: str, body: Any) -> Counter[int]:
    """The statuses of the same request sent many times at the same moment, by two sessions."""
    with ThreadPoolExecutor(times) as pool:
        return Counter(status for status, _ in pool.map(lambda caller: Caller(caller.port, caller.session).call(method, path, body), twice * (times // 2)))


def test_half_sent_requests_hold_nobody_up(served: Served) -> None:
    half = b"POST /api/session HTTP/1.1\r\nHost: localhost\r\nContent-Le"
    held = [socket.create_connection(("127.0.0.1", served.port)) for _ in range(500)]
    try:
        for connection in held:
            connection.sendall(half)
        assert served.nobody().call("GET", "session")[0] == 200
    finally:
        for connection in held:
            connection.close()


def test_a_large_body_is_received_from_nobody(served: Served) -> None:
    with socket.create_connection(("127.0.0.1", served.port)) as connection:
        connection.settimeout(20)
        connection.sendall(b"POST /api/uploads?name=a HTTP/1.1\r\nHost: localhost\r\nContent-Length: 4000000000\r\n\r\n" + b"x" * 100_000)
        with pytest.raises((ConnectionError, BrokenPipeError, AssertionError)):
            for _ in range(200):
                connection.sendall(b"x" * 100_000)
                time.sleep(0.02)
            raise AssertionError("all of it was taken")


@pytest.mark.parametrize(
    "where",
    [
        "site.name || 'aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa' LIKE '%a%a%a%a%a%a%a%a%a%a%b'",
        "1" + " + (1" * 90 + ")" * 90 + " > 0",
        " || ".join(["site.name"] * 1500) + " = 'a'",
    ],
)
def test_a_condition_made_to_be_slow_does_not_stop_the_server(callers: dict[str, Caller], where: str) -> None:
    viewer = callers["v.birk"]
    began = time.monotonic()
    answer = ok(viewer.call("POST", "my/answers", {"ask": [{"totals": {"model": "operations", "measures": ["energy"], "where": where}}]}))
    assert len(answer["answers"]) == 1
    assert time.monotonic() - began < 30


def test_the_same_new_thing_at_the_same_moment_is_made_once(twice: list[Caller]) -> None:
    role = {"role": {"name": "made-once", "kind": "grant", "model": "operations", "sentences": []}}
    assert at_once(twice, 8, "POST", "roles", role)[201] == 1
    mapped = at_once(twice, 8, "POST", "roles/made-once/assignments", {"add": [{"user": "a.knott"}]})
    assert mapped[200] == 1
    shelf = {"shelf": {"name": "made-once", "label": "Once"}}
    assert at_once(twice, 8, "PUT", "shelves/made-once", shelf)[200] == 1
    saved = at_once(twice, 8, "PUT", "shelves/made-once", {"shelf": {"name": "made-once", "label": "Twice"}, "version": 1})
    assert (saved[200], saved[409]) == (1, 7)
    assert not {status for found in (mapped, saved) for status in found if status >= 500}


def test_a_disabled_account_is_out_at_its_next_request(callers: dict[str, Caller], keeper: Caller) -> None:
    viewer = callers["r.oddie"]
    assert viewer.call("GET", "my/pages")[0] == 200
    ok(keeper.call("POST", "acts", {"change_people": {"logins": ["r.oddie"], "enabled": False}}))
    assert viewer.call("GET", "my/pages")[0] == 401
    ok(keeper.call("POST", "acts", {"change_people": {"logins": ["r.oddie"], "enabled": True}}))


def test_what_was_acknowledged_outlives_every_kill_and_has_its_entry(served: Served, keeper: Caller) -> None:
    made: list[str] = []
    for turn in range(3):
        process = served.answering()
        assert process is not None
        with ThreadPoolExecutor(1) as pool:
            pool.submit(lambda process=process: (time.sleep(0.4), os.kill(process, signal.SIGKILL)))
            for number in range(200):
                name = f"killed-{turn}-{number}"
                try:
                    if keeper.call("POST", "acts", {"save_group": {"name": name}})[0] == 200:
                        made.append(name)
                except OSError:
                    break
        for _ in range(60):
            try:
                if keeper.call("GET", "state")[0] == 200:
                    break
            except OSError:
                time.sleep(0.25)
    people = ok(keeper.call("GET", "people"))
    assert set(made) <= {group["name"] for group in people["groups"]}
    told: set[str] = set()
    path = "trail"
    while True:
        page = ok(keeper.call("GET", path))
        told |= {entry["subject"] for entry in page["entries"] if entry["action"] == "save group"}
        if not page["more"]:
            break
        path = f"trail?before={page['entries'][-1]['id']}"
    assert set(made) <= told
    assert {group["name"] for group in people["groups"] if group["name"].startswith("killed")} <= told
    found = subprocess.run([sys.executable, "-m", "moorland.cli", "trail", "verify"], env=served.environment, capture_output=True, text=True)
    assert (found.returncode, "The trail is whole" in found.stdout) == (0, True), found.stderr
