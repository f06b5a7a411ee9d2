"""The engine agrees with a row-by-row evaluator on generated worlds, and what is hidden changes no answer."""

import math
import os
from typing import Any
from unittest import mock

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from moorland.core.engine import strata
from moorland.core.engine.evaluator import Evaluator
from tests.core import brute_force as brute
from tests.core.worlds import Tables, ask, evaluator, model_document

LIMITS = settings(max_examples=int(os.environ.get("EXAMPLES", "50")), deadline=None, suppress_health_check=[HealthCheck.too_slow])

COLUMNS = {
    "area": {"id": "integer", "name": "text"},
    "site": {"id": "integer", "area_id": "integer", "status": "text", "size": "integer"},
    "crew": {"id": "integer", "trade": "text"},
    "job": {"site_id": "integer", "crew_id": "integer", "fault": "text", "cost": "number"},
}
KEYS = {"area": "id", "site": "id", "crew": "id", "job": None}
STEPS = [("site", "area_id", "area"), ("job", "site_id", "site"), ("job", "crew_id", "crew")]
LOOKUPS = {"area": ["area"], "site": ["site", "area"], "crew": ["crew"], "job": ["job", "site", "area", "crew"]}
MEASURES = [
    {"name": name, "table": "job", "expression": expression}
    for name, expression in {
        "cost": "SUM(cost)",
        "costs": "COUNT(cost)",
        "mean": "AVG(site.size)",
        "least": "MIN(fault)",
        "most": "MAX(cost)",
        "jobs": "COUNT(*) + SUM(site.size)",
    }.items()
]
WORDS = ["a", "b", "c", "", "A'"]
VALUES: dict[str, st.SearchStrategy[Any]] = {
    "text": st.sampled_from(WORDS),
    "integer": st.integers(-3, 3),
    "number": st.sampled_from([-2.5, 0.0, 0.25, 1.5, 8.0]),
}


@st.composite
def conditions(draw: st.DrawFn, table: str, depth: int = 2, viewer: bool = True) -> brute.Condition:
    """A condition over a table and its lookups."""
    if depth and draw(st.booleans()):
        kind = draw(st.sampled_from(["and", "or", "not"]))
        if kind == "not":
            return ("not", draw(conditions(table, depth - 1, viewer)))
        return (kind, draw(conditions(table, depth - 1, viewer)), draw(conditions(table, depth - 1, viewer)))
    owner = draw(st.sampled_from(LOOKUPS[table]))
    column, type_ = draw(st.sampled_from(sorted(COLUMNS[owner].items())))
    name = f"{owner}.{column}"
    if viewer and type_ == "text" and draw(st.integers(0, 3)) == 0:
        return ("viewer", name, "words")
    kind = draw(st.sampled_from(["=", "<>", "<", "<=", ">", ">=", "in", "null"]))
    if kind == "null":
        return ("null", name)
    if kind == "in":
        return ("in", name, draw(st.lists(st.one_of(VALUES[type_], st.none()), min_size=1, max_size=3)))
    return (kind, name, draw(VALUES[type_]))


@st.composite
def worlds(draw: st.DrawFn) -> tuple[brute.BruteWorld, list[brute.BruteRole], dict[str, Any]]:
    """A snowflake with nulls and unmatched keys, up to three grant and two limit roles, and what the viewer's words are."""
    tables: dict[str, list[brute.Row]] = {}
    for name, columns in COLUMNS.items():
        rows = []
        for position in range(draw(st.integers(0, 6))):
            row = {column: draw(st.one_of(VALUES[type_], st.none())) for column, type_ in columns.items()}
            if KEYS[name]:
                row["id"] = position - 1
            rows.append(row)
        tables[name] = rows
    steps = [(many, column, one, draw(st.integers(0, 4)) == 0) for many, column, one in STEPS]
    base = {draw(st.sampled_from(sorted(COLUMNS))): None for _ in range(draw(st.integers(0, 1)))}
    world = brute.BruteWorld(tables, dict(KEYS), steps, {name: draw(conditions(name, 1, viewer=False)) for name in base})
    roles = []
    for kind, most in (("grant", 3), ("limit", 2)):
        for _ in range(draw(st.integers(1 if kind == "grant" else 0, most))):
            chosen = draw(st.lists(st.sampled_from(sorted(COLUMNS)), max_size=2))
            hidden = draw(st.sets(st.sampled_from(["site.status", "site.size", "area.name", "crew.trade", "job.fault", "job.cost"]), max_size=2))
            roles.append(brute.BruteRole(kind, [(table, draw(conditions(table))) for table in chosen], set(hidden)))
    return world, roles, {"words": draw(st.lists(st.sampled_from(WORDS), max_size=2))}


def core_of(world: brute.BruteWorld, roles: list[brute.BruteRole], viewer: dict[str, Any]) -> Evaluator:
    """The same world as a bundle."""
    tables: Tables = {
        name: (KEYS[name], columns, [tuple(row[column] for column in columns) for row in world.tables[name]]) for name, columns in COLUMNS.items()
    }
    relationships = [{"from": f"{many}.{column}", "to": f"{one}.id", "carries": "down_and_up" if up else "down"} for many, column, one, up in world.steps]
    model = model_document(
        tables,
        relationships,
        measures=MEASURES,
    )
    for table in model["tables"]:
        if table["name"] in world.base:
            table["base_filter"] = brute.as_text(world.base[table["name"]])
    written = [
        {
            "name": f"r{index}",
            "kind": role.kind,
            "model": "farm",
            "sentences": [
                *({"rows": {"table": table, "where": brute.as_text(condition)}} for table, condition in role.rows),
                {"objects": {"hide": sorted(f"column:{column}" for column in role.hidden)}},
            ],
            "assigned": [{"everyone": True}],
        }
        for index, role in enumerate(roles)
    ]
    attributes = [{"name": "words", "type": "text", "multiple": True}]
    user = {"login": "ann", "name": "Ann", "attributes": {"words": viewer["words"]}}
    return evaluator({"attributes": attributes, "users": [user], "models": [model], "roles": written}, tables)


def listed(base: Evaluator, table: str) -> list[tuple[Any, ...]]:
    answer = ask(base, "rows", table=table, columns=None)
    return [tuple(row) for row in answer["rows"]]


@LIMITS
@given(worlds())
def test_listed_rows_are_those_of_the_brute_force(given_world: Any) -> None:
    world, roles, viewer = given_world
    base = core_of(world, roles, viewer)
    for table, columns in COLUMNS.items():
        expected = []
        existing = [
            column
            for column in columns
            if any(role.kind == "grant" and f"{table}.{column}" not in role.hidden for role in roles)
            and not any(role.kind == "limit" and f"{table}.{column}" in role.hidden for role in roles)
        ]
        for position in brute.rows_for(roles, world, viewer, table, set()):
            row = world.tables[table][position]
            grants = [role for role in roles if role.kind == "grant" and position in brute.visible(role, world, viewer)[table]]
            expected.append(tuple(row[column] if any(f"{table}.{column}" not in grant.hidden for grant in grants) else None for column in existing))
        assert sorted(listed(base, table), key=repr) == sorted(expected, key=repr)


@LIMITS
@given(worlds(), st.lists(st.sampled_from(["site.status", "area.name", "crew.trade", "job.fault", "site.size"]), max_size=2, unique=True), st.data())
def test_totals_are_those_of_the_brute_force(given_world: Any, by: list[str], data: st.DataObject) -> None:
    world, roles, viewer = given_world
    where = data.draw(st.one_of(st.none(), conditions("job", 1)))
    base = core_of(world, roles, viewer)
    answer = ask(base, "totals", by=by, measures=["cost", "costs"], where=brute.as_text(where) if where else None, subtotals=True)
    expected = brute.totals(roles, world, viewer, "job", "cost", by, where)
    if "error" in answer:
        asked = {*by, *(brute.columns_of(where) if where else set())}
        assert answer["error"]["code"] == "not_found"
        missing = [
            name
            for name in asked
            if all(name in role.hidden for role in roles if role.kind == "grant") or any(name in role.hidden for role in roles if role.kind == "limit")
        ]
        assert missing
        return
    if expected is None:
        assert answer["not_found"] == ["cost", "costs"]
        return
    groups, everything = expected
    lines = {tuple(line["key"]): line["values"] for line in answer["lines"] if line["depth"] is None}
    assert set(lines) == set(groups)
    for key, values in groups.items():
        assert same_total(lines[key], values)
    assert same_total(answer["total"], everything)
    assert answer["basis"] == [len(everything), len(everything)]
    for line in answer["lines"]:
        if line["depth"] is not None:
            within = [value for key, values in groups.items() if key[: line["depth"]] == tuple(line["key"]) for value in values]
            assert same_total(line["values"], within)


@LIMITS
@given(worlds(), st.lists(st.sampled_from(["site.status", "area.name", "crew.trade", "job.fault", "job.crew_id"]), max_size=2, unique=True), st.data())
def test_totals_on_strata_are_those_on_rows(given_world: Any, by: list[str], data: st.DataObject) -> None:
    world, roles, viewer = given_world
    where = data.draw(st.one_of(st.none(), conditions("job", 1)))
    base = core_of(world, roles, viewer)
    question = {"by": by, "measures": ["cost", "costs", "mean", "least", "most", "jobs"], "where": brute.as_text(where) if where else None, "subtotals": True}
    on_rows = ask(base, "totals", **question)
    with mock.patch.multiple(strata, MIN_ROWS=0, MOST_SHARE=1.0):
        on_strata = ask(base, "totals", **question)
    assert rounded(on_strata) == rounded(on_rows)


def rounded(value: Any) -> Any:
    """The answer with figures rounded far below what a sum in another order can change."""
    if isinstance(value, float):
        return round(value, 9)
    if isinstance(value, list):
        return [rounded(item) for item in value]
    return {key: rounded(item) for key, item in value.items()} if isinstance(value, dict) else value


def same_total(found: list[Any], values: list[Any]) -> bool:
    known = [value for value in values if value is not None]
    total = math.fsum(known) if known else None
    return found[1] == len(known) and (found[0] == total if total is None else math.isclose(found[0], total, abs_tol=1e-9))


@LIMITS
@given(worlds(), st.data())
def test_data_that_is_hidden_changes_no_answer(given_world: Any, data: st.DataObject) -> None:
    world, roles, viewer = given_world
    read_by_sentences = {column for role in roles for _, condition in role.rows for column in brute.columns_of(condition)}
    read_by_sentences |= {column for condition in world.base.values() for column in brute.columns_of(condition)}
    candidates = [
        (position, column)
        for position, row in enumerate(world.tables["job"])
        for column in ("fault", "cost")
        if f"job.{column}" not in read_by_sentences and row is not None and not shown(roles, world, viewer, position, f"job.{column}")
    ]
    if not candidates:
        return
    questions = [
        ("rows", {"table": "job", "order": ["job.cost", "job.fault"], "columns": None}),
        ("totals", {"by": ["job.fault"], "measures": ["cost", "costs"]}),
        ("totals", {"by": [], "measures": ["cost"], "where": "job.fault <> 'a'"}),
        ("objects", {}),
    ]
    before = core_of(world, roles, viewer)
    answers = [stable(ask(before, kind, **question)) for kind, question in questions]
    position, column = data.draw(st.sampled_from(candidates))
    world.tables["job"][position][column] = data.draw(VALUES[COLUMNS["job"][column]])
    after = core_of(world, roles, viewer)
    assert [stable(ask(after, kind, **question)) for kind, question in questions] == answers


def stable(answer: dict[str, Any]) -> dict[str, Any]:
    """The answer; rows of a table without a key stand in the order of a keyed hash of the whole row, which tells nothing (7.1)."""
    if "rows" in answer:
        answer["rows"], answer["states"] = sorted(answer["rows"], key=repr), sorted(answer["states"])
    return answer


def shown(roles: list[brute.BruteRole], world: brute.BruteWorld, viewer: dict[str, Any], position: int, column: str) -> bool:
    """Whether a cell is clear for the viewer through any grant and left by every limit."""
    if any(column in role.hidden for role in roles if role.kind == "limit"):
        return False
    if any(position not in brute.visible(role, world, viewer)["job"] for role in roles if role.kind == "limit"):
        return False
    return any(column not in role.hidden and position in brute.visible(role, world, viewer)["job"] for role in roles if role.kind == "grant")
