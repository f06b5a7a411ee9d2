"""Totals: measures by columns over visible rows (semantics.md 4.7, 7.2, 7.3)."""

from typing import Any
from unittest import mock

import pytest

from moorland.core.engine import strata
from moorland.core.engine.questions import TotalsQuestion
from tests.core.worlds import FARM, FARM_MEASURES, ask, farm, rows_role


def totals(*roles: dict[str, Any], **question: Any) -> dict[str, Any]:
    return ask(farm(*(roles or ({"name": "r"},))), "totals", **question)


def lines(answer: dict[str, Any]) -> list[tuple[Any, ...]]:
    return [(*line["key"], *line["values"]) for line in answer["lines"]]


def test_lines_are_sorted_by_key_null_last() -> None:
    answer = totals(by=["site.area"], measures=["energy", "runs"])
    assert lines(answer) == [("fell", 700.0, 3), ("marsh", 800.0, 2), (None, 4800.0, 2)]
    assert (answer["total"], answer["basis"]) == ([6300.0, 7], [7, 7])


def test_own_totals_count_visible_rows_whether_the_restricted_column_is_asked_or_not() -> None:
    role = rows_role("r", "site", "area = 'fell'")
    assert totals(role, measures=["energy"])["total"] == [700.0]
    assert lines(totals(role, by=["run.day"], measures=["energy"])) == [("2026-01-01", 500.0), ("2026-01-02", 200.0)]


def test_7_3_with_nothing_to_group_by_there_is_one_line_if_a_row_counts() -> None:
    assert lines(totals(measures=["runs"])) == [(7,)]
    empty = totals(rows_role("r", "run", "FALSE"), measures=["runs", "energy"])
    assert (lines(empty), empty["total"], empty["basis"]) == ([], [0, None], [0, 0])


def test_7_3_measures_of_different_tables_are_joined_on_equal_keys() -> None:
    answer = totals(by=["site.area"], measures=["rent", "energy"])
    assert lines(answer) == [("fell", 30.0, 700.0), ("marsh", 70.0, 800.0), (None, 50.0, 4800.0)]


def test_7_3_a_line_of_one_measure_only_gives_null_or_zero_for_the_others() -> None:
    answer = totals(by=["site.status"], measures=["rent", "runs"], where="site.area = 'marsh'")
    assert lines(answer) == [("open", 30.0, 2), (None, 40.0, 0)]


def test_7_3_a_column_that_a_measures_table_does_not_reach_is_invalid() -> None:
    assert totals(by=["run.day"], measures=["rent"])["error"]["code"] == "invalid"
    assert totals(where="run.kwh > 1", measures=["rent"])["error"]["code"] == "invalid"


def test_7_3_subtotals_per_prefix_are_computed_from_rows() -> None:
    measure = {"name": "average", "table": "run", "expression": "AVG(kwh)"}
    base = farm({"name": "r"}, model={"measures": [measure]})
    answer = ask(base, "totals", by=["site.area", "mill.id"], measures=["average"], subtotals=True)
    depth_one = [(*line["key"], *line["values"]) for line in answer["lines"] if line["depth"] == 1]
    assert depth_one == [("fell", pytest.approx(700 / 3)), ("marsh", 800.0), (None, 2400.0)]
    assert answer["total"] == [1050.0]


def test_7_2_rows_count_only_through_roles_that_show_every_column_asked() -> None:
    fell = rows_role("fell", "site", "area = 'fell'")
    marsh = {"name": "marsh", "sentences": [{"rows": {"table": "site", "where": "area = 'marsh'"}}, {"objects": {"hide": ["column:run.day"]}}]}
    assert totals(fell, marsh, measures=["energy"])["total"] == [1500.0]
    assert totals(fell, marsh, by=["run.day"], measures=["energy"])["total"] == [700.0]
    assert totals(fell, marsh, where="run.day IS NOT NULL", measures=["energy"])["total"] == [700.0]


def test_7_2_a_measure_that_does_not_exist_is_listed_and_the_others_are_answered() -> None:
    hide = {"name": "r", "sentences": [{"objects": {"hide": ["column:run.secret_kwh"]}}]}
    answer = totals(hide, by=["site.area"], measures=["secret", "runs", "share"])
    assert answer["not_found"] == ["secret", "share"]
    assert (answer["total"], answer["basis"]) == ([None, 7, None], [None, 7, None])
    assert lines(answer)[0] == ("fell", None, 3, None)


def test_7_2_a_measure_of_other_measures_takes_each_aggregate_over_its_own_rows() -> None:
    measure = {"name": "energy_per_rent", "table": "run", "expression": "SUM(kwh) / measure.rent"}
    answer = ask(
        farm(rows_role("r", "run", "kwh >= 200"), model={"measures": [*FARM_MEASURES, measure]}), "totals", by=["site.area"], measures=["energy_per_rent"]
    )
    assert lines(answer) == [("fell", 600.0 / 30.0), ("marsh", 800.0 / 70.0), (None, 4800.0 / 50.0)]


@pytest.mark.parametrize(
    ("expression", "expected"),
    [
        ("SUM(kwh)", 6300.0),
        ("AVG(kwh)", 1050.0),
        ("MIN(kwh)", 100.0),
        ("MAX(kwh)", 3200.0),
        ("COUNT(*)", 7),
        ("COUNT(kwh)", 6),
        ("COUNT(mill_id)", 6),
        ("COUNT(DISTINCT mill_id)", 4),
        ("COUNT(DISTINCT kwh * 0)", 1),
        ("SUM(DISTINCT mill_id)", 46),
        ("MIN(day)", "2026-01-01"),
        ("MAX(site.area)", "marsh"),
        ("SUM(kwh * mill.kw)", 100 * 5 + 200 * 5 + 400 * 6 + 800 * 7 + 1600 * 8.0),
        ("SUM(CASE WHEN site.area = 'fell' THEN 1 ELSE 0 END)", 3),
        ("ROUND(SUM(kwh) / COUNT(*), 1)", 900.0),
        ("SUM(1)", 7),
        ("SUM(kwh) / (COUNT(*) - 7)", None),
        ("COALESCE(SUM(kwh / 0), -1)", -1),
    ],
)
def test_4_7_aggregates(expression: str, expected: Any) -> None:
    answer = ask(farm({"name": "r"}, model={"measures": [{"name": "m", "table": "run", "expression": expression}]}), "totals", measures=["m"])
    assert answer["total"] == [pytest.approx(expected) if isinstance(expected, float) else expected]


def test_4_7_sums_of_integers_are_exact_and_beyond_64_bits_null() -> None:
    large = 2**61 + 1
    tables = {"n": ("id", {"id": "integer", "v": "integer"}, [(1, large), (2, large), (3, 3)])}
    measures = [{"name": "m", "table": "n", "expression": "SUM(v)"}]
    assert ask(farm({"name": "r"}, tables=tables, relationships=[], model={"measures": measures}), "totals", measures=["m"])["total"] == [2 * large + 3]
    tables["n"][2].extend([(4, 2**62), (5, 2**62)])
    assert ask(farm({"name": "r"}, tables=tables, relationships=[], model={"measures": measures}), "totals", measures=["m"])["total"] == [None]


def test_many_combinations_are_grouped_the_same_way() -> None:
    rows = [(number, f"name {number}", float(number)) for number in range(1500)]
    tables = {"n": ("id", {"id": "integer", "t": "text", "v": "number"}, rows)}
    base = farm({"name": "r"}, tables=tables, relationships=[], model={"measures": [{"name": "m", "table": "n", "expression": "SUM(v)"}]})
    answer = ask(base, "totals", by=["n.id", "n.t"], measures=["m"])
    assert len(answer["lines"]) == 1500
    assert all(line["key"] == [int(line["values"][0]), f"name {int(line['values'][0])}"] for line in answer["lines"])


def test_12_9_a_cube_answers_only_with_what_belongs_to_it() -> None:
    more = {
        "hierarchies": [{"name": "place", "table": "site", "levels": ["area"]}],
        "cubes": [{"name": "output", "facts": ["run"], "dimensions": [{"table": "site", "hierarchies": ["place"]}], "measures": ["energy"]}],
    }
    base = farm({"name": "r"}, model=more)
    assert len(ask(base, "totals", cube="output", by=["site.area"], measures=["energy"])["lines"]) == 3
    assert ask(base, "totals", cube="output", by=["site.status"], measures=["energy"])["error"]["code"] == "not_found"
    assert ask(base, "totals", cube="output", measures=["runs"])["not_found"] == ["runs"]
    assert ask(base, "totals", cube="nothing", measures=["energy"])["error"]["code"] == "not_found"


@pytest.mark.parametrize("fewest_rows", [0, 20_000])
def test_what_nobody_sees_is_what_all_the_data_has_more(fewest_rows: int) -> None:
    users = [{"login": name, "name": name, "attributes": {"area": area}} for name, area in (("ann", "fell"), ("bob", "marsh"))]
    base = farm(rows_role("r", "site", "area = viewer.area"), users=users, attributes=[{"name": "area", "type": "text"}])
    question = TotalsQuestion(model="farm", by=["site.area"], measures=["energy"])
    with mock.patch.multiple(strata, MIN_ROWS=fewest_rows, MOST_SHARE=1.0):
        unseen = base.unseen([base.viewer("ann")], question).model_dump()
        both = base.unseen([base.viewer("ann"), base.viewer("bob")], question).model_dump()
    assert lines(unseen) == [("marsh", 800.0), (None, 4800.0)]
    assert both["total"] == [4800.0]


def test_strata_follow_base_filters_sentences_and_unmatched_keys() -> None:
    roles = rows_role("r", "run", "secret_kwh < 64 AND mill.kw > 5"), rows_role("l", "mill", "site_id IS NOT NULL", kind="limit")
    base = farm(*roles)
    question = {"by": ["mill.id", "run.day"], "measures": ["energy", "runs", "share"], "where": "run.day < DATE '2026-02-01'", "subtotals": True}
    on_rows = ask(base, "totals", **question)
    with mock.patch.multiple(strata, MIN_ROWS=0, MOST_SHARE=1.0):
        assert ask(base, "totals", **question) == on_rows
    assert lines(on_rows)[0][:2] == (11, "2026-01-01")


def test_strata_are_made_once_and_serve_every_viewer() -> None:
    users = [{"login": name, "name": name, "attributes": {"area": area}} for name, area in (("ann", "fell"), ("bob", "marsh"))]
    base = farm(rows_role("r", "site", "area = viewer.area"), users=users, attributes=[{"name": "area", "type": "text"}])
    with mock.patch.multiple(strata, MIN_ROWS=0, MOST_SHARE=1.0):
        found = [ask(base, "totals", login, by=["site.area"], measures=["energy"])["total"] for login in ("ann", "bob")]
    assert found == [[700.0], [800.0]]
    assert list(base.data("farm").strata) == [("run", ("mill_id",))]


def test_where_combinations_are_as_many_as_rows_they_are_counted_row_by_row() -> None:
    base = farm({"name": "r"})
    with mock.patch.multiple(strata, MIN_ROWS=0, MOST_SHARE=0.1):
        assert ask(base, "totals", by=["run.day", "mill.id"], measures=["energy"])["total"] == [6300.0]
    assert list(base.data("farm").strata.values()) == [None]


def test_farm_is_small_enough_to_check_by_hand() -> None:
    assert sum(row[2] or 0 for row in FARM["run"][2]) == 6300.0


def test_without_a_measure_there_is_nothing_to_count() -> None:
    answer = totals(by=["site.area"], measures=[])
    assert (answer["lines"], answer["total"], answer["basis"]) == ([], [], [])
