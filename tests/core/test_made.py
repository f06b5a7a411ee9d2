"""Measures and columns made for the occasion, and lines in an order, some of them (semantics.md 7.8, 7.9)."""

import copy
import os
from typing import Any

import pytest
from hypothesis import Phase, given, settings

from moorland.core.bundle.pages import Page
from moorland.core.insight.exhibits import exhibit_tables, page_problems
from tests.core.oracle.worlds import MEASURES, World
from tests.core.seeds import SEEDS
from tests.core.test_against_oracle import ordered, plain
from tests.core.worlds import ask, farm, rows_role

CASES = settings(max_examples=int(os.environ.get("EXAMPLES", "18")), deadline=None, phases=[Phase.explicit, Phase.reuse, Phase.generate])
FELL = rows_role("fell", "site", "area = 'fell'")


def made(expression: str, name: str = "x", **more: Any) -> dict[str, Any]:
    return {"expression": expression, "as": name, **more}


def totals(base: Any, *measures: Any, **question: Any) -> dict[str, Any]:
    return ask(base, "totals", measures=list(measures), **question)


def own_totals(document: dict[str, Any]) -> dict[str, Any]:
    """The same world, in which no cell enters totals in full and no total is whole."""
    other = copy.deepcopy(document)
    for role in other["roles"]:
        for sentence in role["sentences"]:
            if isinstance(sentence.get("mask", {}).get("in_totals"), dict):
                sentence["mask"]["in_totals"] = "no"
            if "members" in sentence:
                sentence["members"].pop("totals", None)
    return other


def hidden_beside_its_inputs(world: World, name: str) -> bool:
    """Whether some role hides the measure and shows what it reads: written out it counts through that role, too (7.8)."""
    core = world.core()
    measure = core.models["farm"].measures[name]
    roles = [role.objects for role in core.held_roles(core.viewer("ann"), "farm") if role.objects is not None]
    return any(name not in objects.measures and objects.has(measure.inputs, measure.tables) for objects in roles)


@CASES
@given(SEEDS)
def test_7_8_a_measure_made_counts_as_a_written_one_does_without_full_cells_and_whole_totals(seed: int) -> None:
    world = World(seed)
    document = world.document()
    written = {item["name"]: item["expression"] for item in document["models"][0]["measures"]}
    names = [name for name, (table, _) in MEASURES.items() if table == "job" and name not in ("share", "mixed")]
    by = world.maker.random.sample([name for name, _ in world.maker.columns("job")], world.maker.random.randint(0, 2))
    named = ask(world.evaluator_of(own_totals(document)), "totals", by=by, measures=names, subtotals=True)
    if "error" in named:
        return
    for place, name in enumerate(names):
        if name in named["not_found"] or hidden_beside_its_inputs(world, name):
            continue
        answer = ask(world.core(), "totals", by=by, measures=[made(written[name], "x", table="job")], subtotals=True)
        alone = ask(world.evaluator_of(own_totals(document)), "totals", by=by, measures=[name], subtotals=True)
        assert ordered(answer["lines"]) == ordered(alone["lines"])
        assert plain([answer["total"], answer["basis"], answer["withheld"]]) == plain([[named["total"][place]], alone["basis"], []])


@CASES
@given(SEEDS)
def test_7_8_a_column_made_groups_as_a_derived_one_does(seed: int) -> None:
    world = World(seed)
    document = world.document()
    expression = "COALESCE(fault, 'none')"
    other = copy.deepcopy(document)
    job = next(table for table in other["models"][0]["tables"] if table["name"] == "job")
    job["columns"].append({"name": "spoken", "type": "text", "expression": expression})
    base = world.evaluator_of(other)
    if "spoken" not in ask(base, "objects").get("tables", {}).get("job", []):
        return
    derived = ask(base, "totals", by=["job.spoken"], measures=["jobs", "cost"], subtotals=True)
    occasional = ask(world.core(), "totals", by=[made(expression, "job.spoken", table="job")], measures=["jobs", "cost"], subtotals=True)
    assert {**derived, "by": []} == {**occasional, "by": []}


def test_7_8_it_stands_beside_names_under_its_own() -> None:
    answer = totals(farm(FELL), made("SUM(kwh) / COUNT(*)", "mean"), "energy", by=[made("EXTRACT(MONTH FROM run.day)", "month"), "site.area"])
    assert (answer["by"], answer["measures"]) == (["month", "site.area"], ["mean", "energy"])
    assert [(line["key"], line["values"]) for line in answer["lines"]] == [([1, "fell"], [700.0 / 3, 700.0])]


@pytest.mark.parametrize(
    ("expression", "table", "value"),
    [
        ("COUNT(*)", "site", [2]),
        ("SUM(site.rent)", None, [30.0]),
        ("SUM(site.rent)", "run", [40.0]),
        ("MAX(kwh - secret_kwh)", None, [396.0]),
        ("SUM(kwh) / measure.runs", None, [700.0 / 3]),
        ("measure.energy * 2", None, [1400.0]),
        ("SUM(CASE WHEN mill.kw > 5 THEN kwh END)", None, [400.0]),
    ],
)
def test_7_8_what_can_be_made(expression: str, table: str | None, value: list[Any]) -> None:
    assert totals(farm(FELL), made(expression, table=table))["total"] == value


@pytest.mark.parametrize(
    ("item", "code", "words"),
    [
        (made("SUM(kwh"), "invalid", "x cannot be"),
        (made("SUM(nothing)"), "not_found", "nothing"),
        (made("SUM(run.secret_kwh)"), "not_found", "run.secret_kwh"),
        (made("SUM(secret_kwh)"), "not_found", "secret_kwh"),
        (made("measure.secret"), "not_found", "measure.secret"),
        (made("SUM(viewer.login)"), "not_found", "viewer.login"),
        (made("COUNT(*)"), "invalid", "say of which table"),
        (made("COUNT(*)", table="nowhere"), "not_found", "nowhere"),
        (made("SUM(area)"), "invalid", "SUM takes numbers"),
        (made("kwh"), "invalid", "only inside SUM"),
        (made("1 + 1", table="run"), "invalid", "at least one of SUM"),
        (made("SUM(id)"), "invalid", "write which"),
        (made("COUNT(DISTINCT (SELECT area FROM site))"), "invalid", "inner query"),
        (made("SUM(SUM(kwh))"), "invalid", "inside another"),
    ],
)
def test_7_8_what_cannot_is_refused_in_words_that_name_only_what_exists(item: dict[str, Any], code: str, words: str) -> None:
    role = {"name": "r", "sentences": [{"objects": {"hide": ["column:run.secret_kwh"]}}]}
    error = totals(farm(role), item)["error"]
    assert error["code"] == code
    assert words in error["message"]
    if code == "not_found":
        assert "secret_kwh" not in error["message"].replace(item["expression"][4:-1], "")


def test_7_8_the_words_are_the_same_for_a_hidden_column_and_one_that_never_was() -> None:
    base = farm({"name": "r", "sentences": [{"objects": {"hide": ["column:run.secret_kwh"]}}]})
    for wrap in ("SUM({})", "SUM(run.{})", "COUNT(DISTINCT {}) + COUNT(*)"):
        hidden, unknown = (str(totals(base, made(wrap.format(name)))).replace(name, "…") for name in ("secret_kwh", "secret_kwx"))
        assert hidden == unknown


def test_7_8_a_made_measure_cannot_single_out_what_whole_totals_and_full_cells_count() -> None:
    whole = {
        "name": "w",
        "sentences": [{"members": {"hierarchy": "place", "unlisted": "hidden", "list": [{"path": ["fell", 1], "see": True}], "totals": "whole"}}],
    }
    place = {"hierarchies": [{"name": "place", "table": "site", "levels": ["area", "id"]}]}
    base = farm(whole, model=place)
    assert totals(base, "rent")["total"] == [150.0]
    assert totals(base, made("SUM(site.rent)"))["total"] == [10.0]
    full = {"name": "f", "sentences": [{"mask": {"column": "site.rent", "with": "withhold", "in_totals": {"full": {"at_least": 3}}}}]}
    assert totals(farm(full), "rent")["total"] == [150.0]
    assert totals(farm(full), made("SUM(CASE WHEN site.id = 3 THEN site.rent END)"))["total"] == [None]


def test_7_8_a_column_made_of_a_masked_one_is_withheld_where_it_is() -> None:
    mask = {"name": "m", "sentences": [{"mask": {"column": "site.area", "with": {"keep": {"first": 1}}, "when": "status = 'open'"}}]}
    answer = totals(farm(mask), "rent", by=[made("UPPER(site.area)", "area")])
    assert [(line["key"], line["values"]) for line in answer["lines"]] == [(["FELL"], [20.0]), ([None], [130.0])]


def test_7_8_names_that_mean_another_column_for_another_viewer_are_kept_apart() -> None:
    first = {"name": "a", "sentences": [{"objects": {"hide": ["column:mill.id"]}}], "assigned": [{"user": "ann"}]}
    second = {"name": "b", "sentences": [{"objects": {"hide": ["column:site.id"]}}], "assigned": [{"user": "bob"}]}
    base = farm(first, second, users=[{"login": "ann", "name": "A"}, {"login": "bob", "name": "B"}])
    asked = {"by": [made("id + 0 * run.kwh", "n")], "measures": ["runs"]}
    found = [[line["key"][0] for line in ask(base, "totals", login, **asked)["lines"]] for login in ("ann", "bob")]
    assert found == [[1.0, 2.0, 3.0, None], [10.0, 11.0, 12.0, 13.0, None]]


def test_7_9_lines_come_in_the_order_asked_for_nulls_last_and_no_more_than_asked() -> None:
    def keys(**question: Any) -> list[Any]:
        answer = totals(farm({"name": "r"}), "energy", by=["site.area", "mill.id"], **question)
        return [(*line["key"], line["values"][0]) for line in answer["lines"]]

    assert keys(order=["-energy"])[0] == (None, None, 3200.0)
    assert keys(order=["site.area", "-mill.id"])[:3] == [("fell", 11, 400.0), ("fell", 10, 300.0), ("marsh", 12, 800.0)]
    assert keys(order=["-site.area"])[-1][0] is None
    assert keys(order=["energy"], limit=2, offset=1) == [("fell", 11, 400.0), ("marsh", 12, 800.0)]
    assert totals(farm({"name": "r"}), "energy", by=["mill.id"], limit=1)["all_lines"] == 5
    assert totals(farm({"name": "r"}), "energy", by=["mill.id"], order=["runs"])["error"]["code"] == "invalid"


def test_an_expression_goes_through_a_bundles_question_and_an_exhibit() -> None:
    exhibit = {"title": "E", "kind": "bar", "by": ["month"], "measures": ["x"], "made": [made("EXTRACT(MONTH FROM run.day)", "month"), made("SUM(run.kwh)")]}
    page = {"name": "p", "shelf": "s", "model": "farm", "exhibits": [exhibit]}
    base = farm(FELL, shelves=[{"name": "s"}])
    shown = Page.model_validate(page)
    assert list(page_problems(base, shown)) == []
    assert exhibit_tables(base, "farm", shown.exhibits[0]) == ["run"]
    wrong = Page.model_validate(
        {**page, "exhibits": [{**exhibit, "made": [made("SUM(kwx)")], "by": []}, {**exhibit, "made": [made("SUM(kwh)")], "by": ["site.id"]}]}
    )
    assert [problem.message for problem in page_problems(base, wrong)] == [
        "“E”: nothing named kwx was found.",
        "“E”: choose a column to set it out by.",
        "“E”: write kwh with its table, as table.kwh.",
    ]
