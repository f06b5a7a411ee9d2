"""A table left in its engine gives the answers it gives in memory: every kind of question, on generated worlds, in real engines (sources.md 18.6)."""

import datetime
import os
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any

import duckdb
import numpy as np
import psycopg
import pyarrow.parquet
import pytest
from hypothesis import HealthCheck, Phase, given, settings

from moorland.core.bundle.model import Column, Model, Table
from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.promises import Promise
from moorland.core.bundle.reading import read_document
from moorland.core.bundle.sources import Source
from moorland.core.engine import in_place
from moorland.core.engine.cells import json_values
from moorland.core.engine.changes import RowChange
from moorland.core.engine.columns import TableData, encode_values
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.in_place import KeptRows
from moorland.core.engine.questions import Refused
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.insight.bridge import BridgeQuestion, bridge
from moorland.core.insight.effect import AlignedQuestion, aligned_rows
from moorland.core.insight.findings.finding import Finding
from moorland.core.insight.findings.noticing import notice
from moorland.core.insight.impact import impact
from moorland.core.insight.probe.probing import probe
from moorland.core.insight.promises import run_promise
from moorland.core.insight.reach import reach
from moorland.core.insight.trace import Traced, trace
from moorland.core.insight.who import WhoQuestion, who
from moorland.core.language.dialects import DIALECTS
from moorland.core.sources import engines, parquet_parts
from moorland.core.sources.describing import columns_of_relation, relations_of
from moorland.core.sources.engine_duckdb import DuckDbFile
from moorland.core.sources.engine_postgres import Postgres
from moorland.core.sources.engine_spark import SparkConnect
from moorland.core.sources.engines import DatabaseEngine, SqliteFile
from moorland.core.sources.files import to_table_data
from moorland.core.sources.parquet_parts import streamed_parquet
from moorland.core.sources.placing import engine_of
from moorland.core.sources.tables_in_place import SqlTable
from moorland.core.sources.writing_rows import statements
from tests.core.databases import Database, content_of_its_own, postgres, running_postgres, sqlite
from tests.core.oracle import conditions as cond
from tests.core.oracle.worlds import COLUMNS, MEASURES, World
from tests.core.seeds import SEEDS
from tests.core.spark import SparkDatabase, running_spark
from tests.core.test_against_oracle import change_of, ordered, plain
from tests.core.worlds import TODAY, arrow_table, ask

CASES = settings(
    max_examples=int(os.environ.get("EXAMPLES", "3")),
    deadline=None,
    phases=[Phase.explicit, Phase.reuse, Phase.generate],
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)


class Held:
    """An engine over a connection that the test fills."""

    def __init__(self, engine: DatabaseEngine, database: Database | SparkDatabase) -> None:
        self.engine, self.database = engine, database
        engine._connection = database.connection

    def evaluator(self, world: World, left: set[str]) -> Evaluator:
        """The world with some tables left in the engine."""
        self.database.fill(world)
        content = content_of_its_own()
        # Half of the worlds are answered by the truths of conditions, where the engine has words for them.
        in_place.AT_FIRST = world.maker.random.choice(["numbers", "all"])  # type: ignore[assignment]

        def load(model: Model, name: str) -> TableData:
            shape = next(table for table in model.tables if table.name == name)
            if name in left:
                return TableData(f"{name} in place, {content}", 0, {}, SqlTable(self.engine, (name,), shape))
            return to_table_data(arrow_table(COLUMNS[name], world.rows(name)), shape)

        return Evaluator(read_document(declared(world.document(), left)), load, TODAY)


class InParts:
    """Parquet files that are read part by part, two rows at a time."""

    def __init__(self, folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
        self.folder = folder
        monkeypatch.setenv("MOORLAND_MOST_ROWS", "0")
        monkeypatch.setattr(parquet_parts, "PART_ROWS", 2)

    def evaluator(self, world: World, left: set[str]) -> Evaluator:
        """The world with some tables read in parts; those without rows are here."""
        in_place.AT_FIRST = world.maker.random.choice(["numbers", "all"])  # type: ignore[assignment]
        content = content_of_its_own()

        def load(model: Model, name: str) -> TableData:
            shape = next(table for table in model.tables if table.name == name)
            arrow = arrow_table(COLUMNS[name], world.rows(name))
            file = self.folder / f"{name} {content}.parquet"
            if name in left:
                if not file.exists():
                    pyarrow.parquet.write_table(arrow, file, row_group_size=1 + 3 * (arrow.num_rows % 3))
                return streamed_parquet(file, shape.model_copy(update={"key": None})) or to_table_data(arrow, shape)
            return to_table_data(arrow, shape)

        return Evaluator(read_document(declared(world.document(), left)), load, TODAY)


def declared(document: dict[str, Any], left: set[str]) -> dict[str, Any]:
    """The bundle with some tables left in place."""
    (model,) = document["models"]
    tables = [{**table, "in_place": {"source": "held", "relation": [table["name"]]}} if table["name"] in left else table for table in model["tables"]]
    sources = [{"name": "held", "kind": "sqlite", "file": "held.sqlite"}]
    return {"moorland": 1, "name": "test", **document, "sources": sources, "models": [{**model, "tables": tables}]}


@pytest.fixture(scope="module", params=["sqlite", "duckdb", "postgres", "spark", "parts"])
def held(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Held | InParts]:
    nowhere = tmp_path_factory.mktemp("engine") / "none"
    match request.param:
        case "sqlite":
            yield Held(SqliteFile("held", nowhere), sqlite())
        case "duckdb":
            yield Held(DuckDbFile("held", nowhere), Database(DIALECTS["duckdb"], duckdb.connect()))
        case "postgres":
            with postgres() as database:
                yield Held(Postgres("held", ""), database)
        case "parts":
            with pytest.MonkeyPatch.context() as monkeypatch:
                yield InParts(tmp_path_factory.mktemp("parts"), monkeypatch)
        case _:
            with running_spark() as port:
                spark = Held(SparkConnect("held", "127.0.0.1", port, None, False), SparkDatabase(port))
                yield spark
                spark.engine.close()


def left_of(world: World) -> set[str]:
    """The fact alone, or beside it some of the tables it looks up."""
    some = world.maker.some(sorted(COLUMNS), 3) if world.maker.chance(0.4) else []
    return {"job", *some}


@CASES
@given(SEEDS)
def test_totals(held: Held | InParts, seed: int) -> None:
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
def test_rows(held: Held | InParts, seed: int) -> None:
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
def test_conditions_by_what_they_come_to(held: Held | InParts, seed: int) -> None:
    world = World(seed, "sql")
    maker = world.maker
    world.opened({"rows": {"table": "job", "where": maker.condition("job", 2, inner=False, viewer=False)}})
    here, left = world.core(), held.evaluator(world, {"job"})
    in_place.AT_FIRST = "all"
    where = cond.text(maker.condition("job", 2, inner=False, viewer=False))
    question: dict[str, Any] = {"by": ["job.fault"], "measures": ["jobs", "cost"], "where": where}
    assert plain(ask(left, "totals", **question)) == plain(ask(here, "totals", **question))
    asked = {"table": "job", "columns": ["job.cost", "job.fault", "site.status"], "where": where, "order": ["job.cost"], "limit": 2}
    mine, theirs = ask(here, "rows", **asked), ask(left, "rows", **asked)
    assert theirs["visible"] == mine["visible"] and [row[0] for row in plain(theirs["rows"])] == [row[0] for row in plain(mine["rows"])]


@CASES
@given(SEEDS)
def test_rows_side_by_side(held: Held | InParts, seed: int) -> None:
    world = World(seed)
    here, left = world.core(), held.evaluator(world, left_of(world))
    maker = world.maker
    where = maker.condition("job", 1, inner=False, viewer=False) if maker.chance(0.5) else None
    only = maker.random.choice(["all", "differing"])
    question = AlignedQuestion(model="farm", table="job", where=cond.text(where) if where else None, only=only)
    mine, theirs = (found(aligned_rows, base, question, [base.viewer("ann"), base.all_data()]) for base in (here, left))
    if isinstance(mine, str):
        assert theirs == mine
        return
    parts = ("columns", "matching", "visible", "listed", "refused")
    assert [theirs[part] for part in parts] == [mine[part] for part in parts]
    rows = [ordered([{**row, "row": 0} for row in side["rows"]]) for side in (mine, theirs)]
    assert rows[0] == rows[1]


@CASES
@given(SEEDS)
def test_members(held: Held | InParts, seed: int) -> None:
    world = World(seed)
    here, left = world.core(), held.evaluator(world, {"job", "site", "crew"})
    for hierarchy in ("geography", "line"):
        assert ask(left, "members", hierarchy=hierarchy) == ask(here, "members", hierarchy=hierarchy)


@CASES
@given(SEEDS)
def test_what_explains_and_proves_is_the_same(held: Held | InParts, seed: int) -> None:
    world = World(seed)
    maker = world.maker
    document = world.document()
    here, left = world.core(), held.evaluator(world, left_of(world))
    columns = [name for name, _ in maker.columns("job")]
    where = maker.condition("job", 1, inner=False, viewer=False)
    for must in (
        {"rows": {"model": "farm", "table": "job", "where": cond.text(where), "count": 2}},
        {"total": {"model": "farm", "measure": "jobs", "equals": 3}},
        {"values": {"model": "farm", "column": maker.random.choice([name for name in columns if name.startswith("job.")]), "only": []}},
    ):
        promise = Promise.model_validate({"name": "p", "viewer": "ann", "must": must})
        assert outcome(left, promise) == outcome(here, promise)
    assert plain(reach(left).model_dump()) == plain(reach(here).model_dump())
    asked = WhoQuestion(model="farm", measure=maker.random.choice(["jobs", "cost", "faults"]))
    assert who(left, asked) == who(here, asked)
    line = {"model": "farm", "measure": maker.random.choice(["jobs", "cost"]), "by": maker.some(columns, 1)}
    question = BridgeQuestion.model_validate({**line, "key": []})
    assert plain(found(bridge, left, left.viewer("ann"), question)) == plain(found(bridge, here, here.viewer("ann"), question))
    assert told(notice(left)) == told(notice(here))
    role = maker.random.choice(document["roles"])
    changed = [{**item, "sentences": item["sentences"][1:]} if item is role else item for item in document["roles"]]
    roles = read_document({"moorland": 1, "name": "test", **document, "roles": changed}).roles
    after = [base.on(base.bundle.model_copy(update={"roles": roles})) for base in (left, here)]
    assert list(impact(left, after[0], ["ann"], [("farm", "jobs")])) == list(impact(here, after[1], ["ann"], [("farm", "jobs")]))


def told(findings: list[Finding]) -> list[str]:
    return sorted(f"{finding.kind} {finding.path} {finding.message}" for finding in findings)


def outcome(base: Evaluator, promise: Promise) -> Any:
    return found(run_promise, base, promise)


def found(ask_: Callable[..., Any], *arguments: Any) -> Any:
    """What a function gives, or what it refuses with."""
    try:
        return ask_(*arguments).model_dump()
    except (BundleError, Refused) as refused:
        return str(refused)


@CASES
@given(SEEDS)
def test_who_reaches_a_row_of_a_table_left_in_place(held: Held | InParts, seed: int) -> None:
    world = World(seed)
    here, left = world.core(), held.evaluator(world, {"site"})
    if any("carries" in str(step) for step in world.model["relationships"]) or not world.data["site"]:
        return
    row = world.maker.random.choice(world.data["site"])["id"]
    asked = Traced(model="farm", object="table:site", table="site", row=row)
    assert found(trace, left, "ann", asked) == found(trace, here, "ann", asked)
    reached = WhoQuestion(model="farm", table="site", row=row)
    assert found(who, left, reached) == found(who, here, reached)


@CASES
@given(SEEDS)
def test_the_probe_leaves_out_what_would_need_rows_that_stay_elsewhere(held: Held | InParts, seed: int) -> None:
    world = World(seed)
    here, left = (probe(base, base.viewer("ann")) for base in (world.core(), held.evaluator(world, {"job"})))
    kept = {find.model_dump_json() for find in here.found}
    assert {find.model_dump_json() for find in left.found} <= kept
    assert left.questions == here.questions or any("The rows of job are not here" in text for text in left.left_out)


@CASES
@given(SEEDS)
def test_changes(held: Held | InParts, seed: int) -> None:
    world = World(seed)
    table = world.maker.random.choice(["job", "site"])
    world.with_changes(table)
    kind, body = change_of(world.maker, table)
    here, left = world.core(), held.evaluator(world, {table})
    mine, theirs = (ask(on, "change", table=table, **{kind: body}) for on in (here, left))
    if "error" in theirs and "as a whole" in theirs["error"]["message"]:
        assert "meant" in mine
        return
    assert theirs == mine


@pytest.mark.parametrize("kind", ["sqlite", "duckdb", "postgres"])
def test_changes_are_made_of_rows_as_they_were_read_all_or_none(kind: str, tmp_path: Path) -> None:
    columns = [Column(name=name, type=type_) for name, type_ in (("id", "integer"), ('na"me', "text"), ("cost", "number"), ("day", "date"))]  # type: ignore[arg-type]
    day = datetime.date(2026, 3, 1)
    rows: list[dict[str, Any]] = [{"id": 1, 'na"me': "it's", "cost": 0.1, "day": day}, {"id": 2, 'na"me': None, "cost": None, "day": None}]
    with written_to(kind, tmp_path) as (engine, rows_now):
        held = SqlTable(engine, ("t",), Table(name="t", columns=columns))

        def made(*changes: RowChange) -> bool:
            return engine.write(statements(held, changes), "t")

        assert made(*(RowChange(None, row) for row in rows))
        assert made(RowChange(rows[0], {"cost": 2.5, 'na"me': None}), RowChange(rows[1], {"day": day}))
        changed = [{**rows[0], "cost": 2.5, 'na"me': None}, {**rows[1], "day": day}]
        assert rows_now() == [tuple(row.values()) for row in changed]
        assert not made(RowChange(changed[0], {"cost": 9.0}), RowChange(rows[1], {"cost": 9.0}))
        assert rows_now() == [tuple(row.values()) for row in changed]
        assert made(RowChange(changed[0], None))
        assert rows_now() == [tuple(changed[1].values())]
        with pytest.raises(SourceFailed, match="refuses the change"):
            made(RowChange(None, rows[0]), RowChange(None, {"id": 2}))
        assert rows_now() == [tuple(changed[1].values())]
        with pytest.raises(SourceFailed):
            engine.rows("DELETE FROM t")


@contextmanager
def written_to(kind: str, folder: Path) -> Iterator[tuple[DatabaseEngine, Callable[[], list[tuple[Any, ...]]]]]:
    """An engine with a table to be changed, and what is in it now."""
    with started(kind, folder) as engine:
        engine._connection = engine._open_to_write("t")
        made = engine._connection
        if kind == "sqlite":
            made.set_authorizer(None)
        made.execute('CREATE TABLE IF NOT EXISTS "u" (a INTEGER)')
        made.execute("DROP TABLE IF EXISTS t")
        made.execute('CREATE TABLE t (id INTEGER PRIMARY KEY, "na""me" TEXT, cost DOUBLE PRECISION, day DATE)')
        engine._drop()

        def now() -> list[tuple[Any, ...]]:
            found = engine.rows("SELECT * FROM t ORDER BY id")
            return [(*row[:3], datetime.date.fromisoformat(row[3]) if isinstance(row[3], str) else row[3]) for row in found]

        yield engine, now


def test_a_file_is_opened_read_only_and_reaches_nothing_outside(tmp_path: Path) -> None:
    for kind, connect in (("duckdb", duckdb.connect), ("sqlite", sqlite3.connect)):
        with closing(connect(str(tmp_path / kind))) as made:
            made.execute("CREATE TABLE t (a INTEGER)")
            made.execute("INSERT INTO t VALUES (1)")
            made.commit()
        (tmp_path / "other.csv").write_text("a\n7\n")
        engine = engine_of(Source.model_validate({"name": "f", "kind": kind, "file": kind}), None, [tmp_path], [])
        assert engine.rows("SELECT a FROM t") == [(1,)]
        assert [(column.name, column.type) for column in columns_of_relation(engine, ["t"])] == [("a", "integer")]
        held = SqlTable(engine, ("t",), Table(name="t", columns=[Column(name="a", type="integer")]))
        one = encode_values(np.array([1]), np.array([True]), "integer")
        assert json_values(held.page(["a"], KeptRows({"a": one}, order=[("a", False)]), 0, 5)["a"].values[:1], np.array([True])) == [1]
        assert ["t"] in [item.relation[-1:] for item in relations_of(engine)]
        for statement in ("INSERT INTO t VALUES (2)", f"ATTACH '{tmp_path}/other'", f"SELECT * FROM read_csv('{tmp_path}/other.csv')", "INSTALL httpfs"):
            with pytest.raises(SourceFailed):
                engine.rows(statement)
        engine.close()


class Gone(Exception):
    """Nobody waits for the answer any more."""


@pytest.mark.parametrize("kind", ["sqlite", "duckdb", "postgres"])
def test_a_statement_nobody_waits_for_is_ended_in_the_engine(kind: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    long = {
        "sqlite": "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT COUNT(*) FROM n",
        "duckdb": "SELECT COUNT(*) FROM range(100000) a, range(100000) b, range(100000) c WHERE a.range + b.range > c.range",
        "postgres": "SELECT pg_sleep(600)",
    }
    with started(kind, tmp_path) as engine:
        assert engine.rows("SELECT 1") == [(1,)]
        looks = iter([None, None])

        def step() -> None:
            if next(looks, Gone) is Gone:
                raise Gone

        monkeypatch.setattr(engines, "step", step)
        with pytest.raises(Gone):
            engine.rows(long[kind])
        monkeypatch.undo()
        assert engine.rows("SELECT 2") == [(2,)]
        monkeypatch.setattr(engines, "LONGEST_SECONDS", 0.3)
        with pytest.raises(SourceFailed, match="did not answer"):
            engine.rows(long[kind])
        monkeypatch.undo()
        assert engine.rows("SELECT 3") == [(3,)]


@contextmanager
def started(kind: str, folder: Path) -> Iterator[DatabaseEngine]:
    """An engine that holds nothing."""
    if kind == "postgres":
        with running_postgres() as address:
            yield Postgres("held", address)
        return
    with closing({"duckdb": duckdb.connect, "sqlite": sqlite3.connect}[kind](str(folder / "f"))) as made:
        made.execute("CREATE TABLE t (a INTEGER)")
        made.commit()
    yield engine_of(Source.model_validate({"name": "f", "kind": kind, "file": "f"}), None, [folder], [])


def test_a_connection_that_broke_is_opened_anew(tmp_path: Path) -> None:
    with started("postgres", tmp_path) as engine, started("postgres", tmp_path) as other:
        (mine,) = engine.rows("SELECT pg_backend_pid()")
        with psycopg.connect(engine.address, autocommit=True) as another:  # type: ignore[attr-defined]
            another.execute("SELECT pg_terminate_backend(%s)", mine)
        assert engine.rows("SELECT 1") == [(1,)]
        assert other.rows("SELECT 1") == [(1,)]
    with pytest.raises(SourceFailed, match="cannot be reached"):
        other.rows("SELECT 1")
