"""The engine gives what a row-by-row reading of semantics.md gives, on generated worlds of every kind of sentence."""

import datetime
import math
import os
from typing import Any

from hypothesis import Phase, given, settings

from tests.core.oracle import conditions as cond
from tests.core.oracle.evaluation import NotFound
from tests.core.oracle.worlds import COLUMNS, KEYS, MEASURES, Maker, World
from tests.core.seeds import SEEDS
from tests.core.worlds import ask

CASES = settings(max_examples=int(os.environ.get("EXAMPLES", "110")), deadline=None, phases=[Phase.explicit, Phase.reuse, Phase.generate])


def plain(value: Any) -> Any:
    """Dates as ISO text, figures rounded to what a sum in another order does not change."""
    if isinstance(value, datetime.date):
        return value.isoformat()
    if isinstance(value, int | float) and not isinstance(value, bool):
        return round(float(f"{value:.12g}"), 9) + 0.0
    if isinstance(value, list | tuple):
        return [plain(item) for item in value]
    return {key: plain(item) for key, item in value.items()} if isinstance(value, dict) else value


def ordered(items: Any) -> list[Any]:
    return sorted((plain(item) for item in items), key=repr)


@CASES
@given(SEEDS)
def test_objects(seed: int) -> None:
    world = World(seed)
    oracle, answer = world.oracle(), ask(world.core(), "objects")
    expected = {
        table: sorted(key.split(".")[1] for key in oracle.all_columns if key.split(".")[0] == table and oracle.existing(key))
        for table in oracle.existing_tables()
    }
    assert answer["tables"] == expected
    shown = [name for name in MEASURES if any(role.shows_measure(name) for role in oracle.grants) and all(role.shows_measure(name) for role in oracle.limits)]
    assert answer["measures"] == sorted(shown)


@CASES
@given(SEEDS)
def test_listed_rows(seed: int) -> None:
    world = World(seed)
    oracle, core = world.oracle(), world.core()
    for table in [*oracle.tables]:
        existing = sorted(key for key in oracle.all_columns if key.split(".")[0] in lookups(oracle, table) and oracle.existing(key))
        where = world.maker.condition(table, 1, viewer=False, inner=False) if world.maker.chance(0.5) else None
        answer = ask(core, "rows", table=table, columns=existing, where=cond.text(where) if where else None)
        if table not in oracle.existing_tables() or any(not oracle.existing(key) for key in cond.columns_of(where)):
            assert answer["error"]["code"] == "not_found"
            continue
        count, rows = oracle.list_rows(table, existing, where)
        assert answer["visible"] == count
        assert len(answer["rows"]) == min(count, oracle.cap(table, where))
        given_rows = ordered(zip(answer["rows"], answer["states"], strict=True))
        assert given_rows == ordered(rows) if len(given_rows) == count else all(row in ordered(rows) for row in given_rows)


def lookups(oracle: Any, table: str) -> list[str]:
    return [name for name in oracle.tables if oracle.reaches(table, name)]


@CASES
@given(SEEDS)
def test_totals(seed: int) -> None:
    world = World(seed)
    oracle, core, maker = world.oracle(), world.core(), world.maker
    columns = [name for name, _ in maker.columns("job")]
    table = maker.random.choice(["job", "job", "site"])
    if table == "site":
        columns = [name for name, _ in maker.columns("site")]
    names = [name for name, (own, _) in MEASURES.items() if own == table and (table == "site" or name not in ("share",))]
    if maker.chance(0.3):
        names, columns = list(MEASURES), [name for name, _ in maker.columns("site")]
    by = maker.random.sample(columns, maker.random.randint(0, 2))
    where = maker.condition("site" if "sizes" in names else "job", 1, viewer=False, inner=False) if maker.chance(0.4) else None
    answer = ask(core, "totals", by=by, measures=names, where=cond.text(where) if where else None, subtotals=True)
    try:
        expected = oracle.totals(by, names, where, subtotals=True)
    except NotFound:
        assert answer["error"]["code"] == "not_found"
        return
    found = [name for name in names if name not in expected["not_found"]]
    assert answer["not_found"] == expected["not_found"]
    lines = [[line["key"], {name: value for name, value in zip(names, line["values"], strict=True) if name in found}] for line in answer["lines"]]
    assert ordered(lines) == ordered(expected["lines"])
    assert plain({name: value for name, value in zip(names, answer["total"], strict=True) if name in found}) == plain(expected["total"])
    assert {name: basis for name, basis in zip(names, answer["basis"], strict=True) if name in found} == expected["basis"]
    assert ordered(answer["withheld"]) == ordered(expected["withheld"])


@CASES
@given(SEEDS)
def test_members(seed: int) -> None:
    world = World(seed)
    oracle, core = world.oracle(), world.core()
    masked = {mask["column"] for role in oracle.roles for mask in role.of_kind("mask")}
    for name in ("geography", "line"):
        if name == "line" and masked & {"crew.id"}:
            continue
        answer, expected = ask(core, "members", hierarchy=name), oracle.members(name)
        if expected is None:
            assert answer["error"]["code"] == "not_found"
        else:
            assert ordered([member["path"], member["rows"]] for member in answer["members"]) == ordered(expected)


@CASES
@given(SEEDS)
def test_changes(seed: int) -> None:
    world = World(seed)
    maker = world.maker
    table = maker.random.choice(["site", "site", "crew", "job", "area", "calendar", "scope"])
    world.with_changes(table)
    oracle, core = world.oracle(), world.core()
    kind, where, values = change_drawn(maker, table)
    body = change_body(kind, where, values)
    answer = ask(core, "change", table=table, **{kind: body})
    named_keys = {f"{table}.{name}" for row in values for name in row} if kind != "delete" else set()
    if table not in oracle.existing_tables() or any(not oracle.existing(key) for key in named_keys | cond.columns_of(where)):
        assert answer["error"]["code"] == "not_found"
        return
    meant, allowed = oracle.change(table, kind, where, values if kind != "delete" else [])
    assert (answer["meant"], answer["allowed"], answer["refused"]) == (meant, allowed, meant - allowed)


def change_drawn(maker: Maker, table: str) -> tuple[str, Any, list[dict[str, Any]]]:
    """A kind of change, the condition for its rows, and the values it writes."""
    kind = maker.random.choice(["update", "update", "delete", "insert"])
    where = maker.condition(table, 1, viewer=False, inner=False) if kind != "insert" and maker.chance(0.4) else None
    named = maker.random.sample(sorted(COLUMNS[table]), maker.random.randint(1, 2))
    values = [{name: maker.value(COLUMNS[table][name]) for name in named} for _ in range(maker.random.randint(1, 3) if kind == "insert" else 1)]
    if kind == "insert" and KEYS[table]:
        values = [{**row, "id": maker.random.choice([5, 6, 7, 0])} for row in values]
    return kind, where, values


def change_body(kind: str, where: Any, values: list[dict[str, Any]]) -> dict[str, Any]:
    """The same as a question writes it."""
    body: dict[str, Any] = {"rows": written(values)} if kind == "insert" else {"where": cond.text(where) if where else None}
    return {**body, "set": written(values[0])} if kind == "update" else body


def change_of(maker: Maker, table: str) -> tuple[str, dict[str, Any]]:
    """A change of a table, as a question writes it."""
    kind, where, values = change_drawn(maker, table)
    return kind, change_body(kind, where, values)


def written(value: Any) -> Any:
    """Values as a question writes them: days as ISO text, numbers as they are."""
    if isinstance(value, list):
        return [written(item) for item in value]
    if isinstance(value, dict):
        return {key: written(item) for key, item in value.items()}
    return value.isoformat() if isinstance(value, datetime.date) else value


def test_rounding_is_close_enough_to_compare() -> None:
    assert plain([math.pi, datetime.date(2026, 1, 2)]) == [3.141592654, "2026-01-02"]
