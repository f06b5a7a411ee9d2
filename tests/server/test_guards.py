"""The state of guards in databases, as it is told on Releases (channels.md)."""

from collections.abc import Iterator
from typing import Any

import psycopg
import pytest

from moorland.core.sources.engine_postgres import Postgres
from moorland.core.sources.guards.guard_applying import applied, connected
from moorland.core.sources.guards.guard_plan import guard_plan
from moorland.server.evaluating import evaluator
from moorland.server.sources import engines, guard_views, views
from tests.core.databases import running_postgres
from tests.server.conftest import Session
from tests.server.duties import Sessions
from tests.server.test_pages import release


@pytest.fixture(scope="module")
def address() -> Iterator[str]:
    with running_postgres() as found:
        with psycopg.connect(found, autocommit=True) as connection:
            connection.execute("CREATE ROLE moorland_readers")
            connection.execute("CREATE TABLE run (site_id BIGINT, kwh DOUBLE PRECISION)")
            connection.execute("INSERT INTO run VALUES (1, 100), (2, 200), (3, 400)")
        yield found


@pytest.fixture
def warehouse(boss: Session, address: str, monkeypatch: pytest.MonkeyPatch) -> Postgres:
    """The runs of the small workspace in PostgreSQL, live."""
    engine = Postgres("warehouse", address)

    def found(name: str, values: Any = None) -> Postgres:
        return engine

    for module in (engines, guard_views, views):
        monkeypatch.setattr(module, "engine_for", found)
    boss.ok("PUT", "sources", {"source": {"name": "warehouse", "kind": "postgres", "host": "localhost", "database": "d"}, "secret": None, "version": None})
    boss.ok("POST", "models/m/tables/run/place", {"source": "warehouse", "relation": ["run"]})
    release(boss)
    return engine


def test_releases_tell_whether_a_guard_is_that_of_the_live_release(boss: Session, as_user: Sessions, warehouse: Postgres) -> None:
    assert boss.ok("GET", "guards")["guards"] == []
    plan = guard_plan(evaluator("live"), "m")
    with connected(warehouse) as connection:
        applied(connection, plan)
    (told,) = boss.ok("GET", "guards")["guards"]
    assert (told["model"], told["source"], told["state"], told["left_out"]) == ("m", "warehouse", "current", [])
    version = boss.ok("GET", "people/bob")["version"]
    boss.ok("PATCH", "people/bob", {"version": version, "join": ["stewards"]})
    assert boss.ok("GET", "guards")["guards"][0]["state"] == "out of date"
    assert as_user("ann").call("GET", "guards")[0] == 403


def test_a_database_that_does_not_answer_is_not_known(boss: Session, warehouse: Postgres, monkeypatch: pytest.MonkeyPatch) -> None:
    warehouse.address = "host=/nowhere dbname=d"
    assert [(told["state"], told["made_on"]) for told in boss.ok("GET", "guards")["guards"]] == [("not known", None)]
