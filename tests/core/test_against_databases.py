"""SQL made from a policy gives in SQLite and in PostgreSQL what the engine gives."""

import datetime
import os
from collections.abc import Iterator
from typing import Any

import pytest
from hypothesis import HealthCheck, Phase, given, settings

from moorland.core.engine.questions import Question, Refused, RowsAnswer, TotalsAnswer
from moorland.core.language.dialects import DIALECTS
from moorland.core.language.sql_parts import NotInSql
from tests.core.databases import Database, postgres, sqlite
from tests.core.oracle import conditions as cond
from tests.core.oracle.worlds import MEASURES, World
from tests.core.seeds import SEEDS
from tests.core.test_against_oracle import ordered
from tests.core.test_against_oracle import plain as rounded

CASES = settings(
    max_examples=int(os.environ.get("EXAMPLES", "18")),
    deadline=None,
    phases=[Phase.explicit, Phase.reuse, Phase.generate],
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)


@pytest.fixture(scope="module", params=["sqlite", "postgres"])
def database(request: pytest.FixtureRequest) -> Iterator[Database]:
    if request.param == "sqlite":
        yield sqlite()
    else:
        with postgres() as server:
            yield server


def answered(database: Database, world: World, question: dict[str, Any]) -> tuple[Any, list[tuple[Any, list[list[Any]]]]]:
    """The engine's answer, and every statement with the rows it gives."""
    core = world.core()
    viewer, asked = core.viewer("ann"), Question.model_validate(question)
    engine = core.answer(viewer, asked)
    try:
        made = core.sql(viewer, asked, database.dialect)
    except Refused as refused:
        assert refused.answer() == engine
        return None, []
    database.fill(world)
    return engine, [(statement, database.answer(statement.sql, statement.parameters)) for statement in made]


@CASES
@given(SEEDS)
def test_rows(database: Database, seed: int) -> None:
    world = World(seed, "sql")
    maker, oracle = world.maker, world.oracle()
    table = maker.random.choice(sorted(oracle.tables))
    existing = sorted(key for key in oracle.all_columns if oracle.reaches(table, key.split(".")[0]) and oracle.existing(key))
    where = maker.condition(table, 1, inner=False, viewer=False) if maker.chance(0.5) else None
    question = {"model": "farm", "table": table, "columns": existing[:8], "where": cond.text(where) if where else None, "order": existing[:1]}
    engine, found = answered(database, world, {"rows": question})
    if engine is None:
        return
    assert isinstance(engine, RowsAnswer)
    by_kind = {statement.gives: rows for statement, rows in found}
    assert by_kind["count"] == [[engine.visible]]
    assert ordered(by_kind["rows"]) == ordered(engine.rows)
    if existing:
        assert [row[0] for row in rounded(by_kind["rows"])] == [row[0] for row in rounded(engine.rows)]


@CASES
@given(SEEDS)
def test_totals(database: Database, seed: int) -> None:
    world = World(seed, "sql")
    maker = world.maker
    names = [name for name, (table, _) in MEASURES.items() if table == "job" and name not in ("share",)]
    by = maker.random.sample([name for name, _ in maker.columns("job")], maker.random.randint(0, 2))
    where = maker.condition("job", 1, inner=False, viewer=False) if maker.chance(0.4) else None
    question = {"model": "farm", "by": by, "measures": names, "where": cond.text(where) if where else None, "subtotals": True}
    engine, found = answered(database, world, {"totals": question})
    if engine is None:
        return
    assert isinstance(engine, TotalsAnswer)
    for statement, rows in found:
        place = names.index(statement.measure or "")
        if statement.depth == 0:
            assert rounded(rows) == rounded([[engine.total[place], engine.basis[place]]])
            continue
        depth = None if statement.depth == len(by) else statement.depth
        lines = {tuple(map(str, line.key)): line.values[place] for line in engine.lines if line.depth == depth}
        given_lines = {tuple(map(str, row[:-2])): row[-2] for row in rows}
        assert rounded(given_lines) == rounded({key: lines[key] for key in given_lines})
        assert all(key in given_lines or value in (None, 0) for key, value in lines.items())


@pytest.mark.parametrize(
    "condition",
    [
        "size + 9223372036854775807 > 0",
        "size / 0 IS NULL",
        "-size < 1 AND size * 2 - 1 >= -3",
        "ROUND(size / 2) = 1 OR ROUND(2.25, 1) = 2.3",
        "CAST(size / 2 AS INTEGER) = 1 OR CAST(size AS TEXT) = '2'",
        "SUBSTRING(status, 0, 2) = 'a' OR SUBSTRING(status, 2) = 'b '",
        "SUBSTRING(status, 1, -1) IS NULL",
        "CHAR_LENGTH(TRIM(status)) = 1 AND UPPER(status) = 'A'",
        "status LIKE 'A%' OR status LIKE '%!%%' ESCAPE '!'",
        "CASE WHEN size > 1 THEN status ELSE 'z' END = 'z'",
        "NULLIF(status, 'a') IS NULL AND COALESCE(size, 0) <> 1 AND ABS(size) >= 0",
        "size IN (1, NULL) OR size NOT IN (2)",
        "CAST(NULL AS TEXT) IS NULL AND NOT (size = NULL)",
    ],
)
def test_functions(database: Database, condition: str) -> None:
    world = World(11, "sql").opened()
    world.data["site"] = [{"id": index, "area_id": 0, "status": status, "size": size} for index, (status, size) in enumerate(SITES)]
    engine, found = answered(database, world, {"rows": {"model": "farm", "table": "site", "columns": ["site.id"], "where": condition}})
    assert ordered(found[1][1]) == ordered(engine.rows)


SITES = [("a", 1), ("A", 2), (" b ", 3), ("50%", None), (None, 0), ("", -3), ("bb", 2)]
DAYS = ["2026-01-31", "2026-02-28", "2024-02-29", "2025-12-31", None, "2026-01-14"]


@pytest.mark.parametrize(
    "condition",
    [
        "EXTRACT(QUARTER FROM day) = 1 AND EXTRACT(YEAR FROM day) = 2026",
        "EXTRACT(DAY FROM day) > 28 OR EXTRACT(MONTH FROM day) = 2",
        "day + INTERVAL '1' MONTH = DATE '2026-02-28'",
        "day - INTERVAL '20' DAY < DATE '2026-01-01'",
        "day + INTERVAL '2' YEAR > CURRENT_DATE",
        "CAST(day AS TEXT) LIKE '2026-0%'",
    ],
)
def test_dates(database: Database, condition: str) -> None:
    world = World(12, "sql").opened()
    days = [datetime.date.fromisoformat(day) if day else None for day in DAYS]
    world.data["calendar"] = [{"id": index, "day": day, "season": "a"} for index, day in enumerate(days)]
    engine, found = answered(database, world, {"rows": {"model": "farm", "table": "calendar", "columns": ["calendar.id"], "where": condition}})
    assert ordered(found[1][1]) == ordered(engine.rows)


MASKED = {"mask": {"column": "site.status", "with": "withhold"}}
BY_WORDS = {"rows": {"table": "site", "where": ("in_viewer", ("col", "site.status"), "words")}}


def test_what_sql_cannot_answer_yet_says_so() -> None:
    core = World(11, "sql").opened(MASKED).core()
    with pytest.raises(NotInSql, match="masks"):
        core.sql(core.viewer("ann"), Question.model_validate({"rows": {"model": "farm", "table": "site", "columns": ["site.status"]}}), DIALECTS["sqlite"])


def test_values_of_the_viewer_are_bound_and_never_written() -> None:
    world = World(11, "sql").opened(BY_WORDS)
    world.person["words"] = ["'; DROP TABLE site; --"]
    core = world.core()
    made = core.sql(core.viewer("ann"), Question.model_validate({"rows": {"model": "farm", "table": "site"}}), DIALECTS["postgres"])
    assert all("DROP" not in statement.sql and "'; DROP TABLE site; --" in statement.parameters.values() for statement in made)
