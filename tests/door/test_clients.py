"""Real clients at the door: each is told what it is told by PostgreSQL, over the same rows (channels.md 13.8)."""

import json

import pytest

from tests.door.clients import CLIENTS, java, psql
from tests.door.conftest import Address, ServedDoor


@pytest.mark.parametrize("name", [name for name in CLIENTS if name != "jdbc_asks"])
def test_a_client_is_told_what_postgresql_tells_it(name: str, door: ServedDoor, postgres: Address) -> None:
    assert CLIENTS[name](door.of("v.birk")) == CLIENTS[name](postgres)


def test_the_driver_of_java_reads_values_parts_and_catalogues(door: ServedDoor) -> None:
    told = java(door.of("v.birk")).splitlines()
    rows = [line for line in told if line.startswith("rows|")]
    with door.of("v.birk").connect() as connection:
        expected = connection.execute("select site_id, name, opened from operations.site where site_id < 12 and name > 'C' order by 1").fetchall()
    assert rows == [f"rows|{number}|{name}|{opened}" for number, name, opened in expected]
    assert [line.split("|")[1] for line in told if line.startswith("fetched|")] == [str(number) for number in range(1, 13)]
    assert "tables|null|operations|site|TABLE" in told
    assert "columns|null|operations|site|site_id|-5|int8" in told
    assert "key|null|operations|site|site_id|1|site_pkey" in told
    assert "links|null|operations|site|site_id|null|operations|turbine|site_id" in told


def test_each_is_told_the_numbers_of_their_own_pages(door: ServedDoor) -> None:
    for login in ("j.ames", "r.oddie", "v.birk"):
        status, body = door.callers[login].call("POST", "my/answers", {"ask": [{"totals": {"model": "operations", "by": [], "measures": ["jobs"]}}]})
        with door.of(login).connect() as connection:
            assert [status, connection.execute("select jobs from operations.job").fetchone()] == [200, (json.loads(body)["answers"][0]["total"][0],)]


def test_a_hidden_name_and_one_that_never_was_give_the_same_bytes(door: ServedDoor) -> None:
    hidden, never = (
        psql(door.of("lh.03"), rf"select * from operations.{name}", f"select {name} from operations.site", rf"\d {name}") for name in ("turbine", "turbone")
    )
    assert hidden == never.replace("turbone", "turbine")
    assert psql(door.of("v.birk"), "select count(*) from operations.turbine") != hidden
