"""A table left in its engine gives the answers it gives in memory: every kind of question, on generated worlds, in real engines (sources.md 18.6)."""

import os
from collections.abc import Iterator
from typing import Any

import duckdb
import pytest
from hypothesis import HealthCheck, Phase, given, settings

from moorland.core.bundle.model import Model
from moorland.core.bundle.reading import read_document
from moorland.core.engine.columns import TableData
from moorland.core.engine.evaluator import Evaluator
from moorland.core.language.dialects import DIALECTS
from moorland.core.sources.engine_duckdb import DuckDbFile
from moorland.core.sources.engine_postgres import Postgres
from moorland.core.sources.engines import DatabaseEngine, SqliteFile
from moorland.core.sources.files import to_table_data
from moorland.core.sources.tables_in_place import SqlTable
from tests.core.databases import Database, postgres, sqlite
from tests.core.oracle import conditions as cond
from tests.core.oracle.worlds import COLUMNS, KEYS, MEASURES, World
from tests.core.seeds import SEEDS
from tests.core.test_against_oracle import ordered, plain
from tests.core.worlds import TODAY, arrow_table, ask

CASES = settings(
    max_examples=int(os.environ.get("EXAMPLES", "40")),
    deadline=None,
    phases=[Phase.explicit, Phase.reuse, Phase.generate],
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)


class Held:
    """An engine over a connection that the test fills."""

    def __init__(self, engine: DatabaseEngine, database: Database) -> None:
        self.engine, self.database = engine, database
        engine._connection = database.connection

    def evaluator(self, world: World, left: set[str]) -> Evaluator:
        """The world with some tables left in the engine."""
        self.database.fill(world)

        def load(model: Model, name: str) -> TableData:
            shape = next(table for table in model.tables if table.name == name)
            if name in left:
                return TableData(f"in place {id(world)}", 0, {}, SqlTable(self.engine, (name,), shape))
            return to_table_data(arrow_table(COLUMNS[name], world.rows(name)), shape)

        return Evaluator(read_document({"moorland": 1, "name": "test", **world.document()}), load, TODAY)


@pytest.fixture(scope="module", params=["sqlite", "duckdb", "postgres"])
def held(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Held]:
    nowhere = tmp_path_factory.mktemp("engine") / "none"
    match request.param:
        case "sqlite":
            yield Held(SqliteFile("held", nowhere), sqlite())
        case "duckdb":
            yield Held(DuckDbFile("held", nowhere), Database(DIALECTS["duckdb"], duckdb.connect()))
        case _:
            with postgres() as database:
                yield Held(Postgres("held", ""), database)


def left_of(world: World) -> set[str]:
    """The fact alone, or beside it some of the tables it looks up."""
    some = world.maker.some(sorted(COLUMNS), 3) if world.maker.chance(0.4) else []
    return {"job", *some}


@CASES
@given(SEEDS)
def test_totals(held: Held, seed: int) -> None:
    world = World(seed)
    here, left = world.core(), held.evaluator(world, left_of(world))
    maker = world.maker
    for _ in range(3):
        table = maker.random.choice(["job", "job", "job", "site"])
        columns = [name for name, _ in maker.columns(table)]
        names = [name for name, (own, _) in MEASURES.items() if own == table]
        where = maker.condition(table, 1, inner=False, viewer=False) if maker.chance(0.4) else None
        question = {
            "by": maker.some(columns, 3),
            "measures": maker.some(names, 3) or names[:1],
            "where": cond.text(where) if where else None,
            "subtotals": maker.chance(0.3),
        }
        assert plain(ask(left, "totals", **question)) == plain(ask(here, "totals", **question))


@CASES
@given(SEEDS)
def test_rows(held: Held, seed: int) -> None:
    world = World(seed)
    here, left = world.core(), held.evaluator(world, left_of(world))
    maker = world.maker
    for table in ("job", maker.random.choice(sorted(COLUMNS))):
        columns = [name for name, _ in maker.columns(table)]
        where = maker.condition(table, 1, inner=False, viewer=False) if maker.chance(0.5) else None
        question: dict[str, Any] = {"table": table, "columns": columns, "where": cond.text(where) if where else None}
        order = [("-" if maker.chance(0.5) else "") + name for name in maker.some(columns, 2)]
        mine, theirs = ask(here, "rows", **question, order=order), ask(left, "rows", **question, order=order)
        if "error" in mine:
            assert theirs == mine
            continue
        assert (theirs["columns"], theirs["visible"]) == (mine["columns"], mine["visible"])
        if len(mine["rows"]) == mine["visible"]:
            assert ordered(zip(theirs["rows"], theirs["states"], strict=True)) == ordered(zip(mine["rows"], mine["states"], strict=True))
            places = [columns.index(name.removeprefix("-")) for name in order]
            assert [[plain(row[place]) for place in places] for row in theirs["rows"]] == [[plain(row[place]) for place in places] for row in mine["rows"]]
            paged = [row for start in range(0, mine["visible"], 3) for row in ask(left, "rows", **question, order=order, offset=start, limit=3)["rows"]]
            assert ordered(paged) == ordered(mine["rows"])
        else:
            everything = ordered(ask(here.on(here.bundle), "rows", **question)["rows"])
            assert len(theirs["rows"]) == len(mine["rows"]) or everything


@CASES
@given(SEEDS)
def test_members(held: Held, seed: int) -> None:
    world = World(seed)
    here, left = world.core(), held.evaluator(world, {"job", "site", "crew"})
    for hierarchy in ("geography", "line"):
        assert ask(left, "members", hierarchy=hierarchy) == ask(here, "members", hierarchy=hierarchy)


def test_keys(held: Held) -> None:
    assert KEYS["job"] is None
