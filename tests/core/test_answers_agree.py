"""One rule, one answer: alone and together, in rows and in totals, at every depth, on every screen and in every trace."""

from typing import Any

import pytest

from moorland.core.bundle.people import RealViewer
from moorland.core.engine import strata
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.many_viewers import everyones_answers
from moorland.core.engine.questions import Question
from moorland.core.insight.effect import AlignedQuestion, aligned_rows
from moorland.core.insight.impact import impact
from moorland.core.insight.promises import run_promises
from moorland.core.insight.remedies import remedies
from moorland.core.insight.trace import Traced, trace
from moorland.core.insight.who import WhoQuestion, who
from tests.core.worlds import Tables, ask, evaluator, farm, model_document, visible_ids

LARGEST = 1e308


def crowd(rows: list[tuple[str, float]], people: int = 10) -> Evaluator:
    """Many people with one role: the odd ones see area a, the even ones all."""
    tables: Tables = {"work": (None, {"area": "text", "cost": "number"}, rows)}
    measures = [{"name": "cost", "table": "work", "expression": "SUM(cost)"}, {"name": "mean", "table": "work", "expression": "AVG(cost)"}]
    users = [{"login": f"u{place}", "name": "U", "attributes": {"areas": ["a"] if place % 2 else ["a", "b"]}} for place in range(people)]
    role = {"name": "r", "kind": "grant", "model": "farm", "sentences": [{"rows": {"table": "work", "where": "area IN viewer.areas"}}]}
    document = {
        "attributes": [{"name": "areas", "type": "text", "multiple": True}],
        "users": users,
        "models": [model_document(tables, [], measures=measures)],
        "roles": [{**role, "assigned": [{"everyone": True}]}],
    }
    return evaluator(document, tables)


@pytest.mark.parametrize("by", [[], ["work.area"]])
def test_hidden_values_beyond_all_numbers_enter_no_total_of_many_viewers(by: list[str]) -> None:
    """Issue: 0 × infinity in the product of matrices; more than 20,000 rows, so that strata are made."""
    base = crowd([("a", 1.0)] * 10_000 + [("b", LARGEST)] * 10_010)
    question = Question.model_validate({"totals": {"model": "farm", "by": by, "measures": ["cost", "mean"]}})
    together = {login: given[0] for logins, given in everyones_answers(base, [question]) for login in logins}
    alone = {viewer.login: base.answer(viewer, question) for viewer in base.everyone()}
    assert together == alone
    assert (alone["u1"].total, alone["u0"].total) == ([10000.0, 1.0], [None, None])  # type: ignore[union-attr]


def test_a_sum_overflows_by_its_total_and_not_by_its_order() -> None:
    base = crowd([("a", LARGEST), ("a", LARGEST), ("b", -LARGEST)])
    assert ask(base, "totals", "u0", measures=["cost"])["total"] == [LARGEST]
    assert ask(base, "totals", "u1", measures=["cost"])["total"] == [None]


def test_a_sum_that_a_stratum_overflows_is_counted_by_rows(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(strata, "MIN_ROWS", 0)
    monkeypatch.setattr(strata, "MOST_SHARE", 1.0)
    base = crowd([("a", LARGEST), ("a", LARGEST), ("b", -LARGEST)])
    assert ask(base, "totals", "u0", measures=["cost"])["total"] == [LARGEST]


MASKING = {"name": "a", "sentences": [{"mask": {"column": "site.area", "with": "withhold"}}]}
NOT_LISTING = {"name": "b", "sentences": [{"beneath": {"tables": ["site"], "rows": False}}]}


def promised(base: Evaluator, **must: Any) -> bool:
    document = base.bundle.model_dump(mode="json", by_alias=True, exclude_none=True)
    document["promises"] = [{"name": "p", "viewer": "ann", "must": must}]
    return run_promises(base.on(type(base.bundle).model_validate(document, strict=False)))[0].kept


def test_a_cell_in_rows_is_as_the_roles_that_list_it_show_it() -> None:
    """Role a masks the column; role b shows the table but lists no rows: in rows the cell is masked, on every screen and in the trace."""
    base = farm(MASKING, NOT_LISTING)
    question = {"table": "site", "columns": ["area"], "order": ["id"], "limit": 1}
    assert ask(base, "rows", **question)["states"] == [["masked"]]
    bench = aligned_rows(base, AlignedQuestion(model="farm", **question), [base.viewer("ann")])  # type: ignore[arg-type]
    assert bench.rows[0].states == [["masked"]]
    found = trace(base, "ann", Traced(model="farm", table="site", row=1, column="area"))
    assert (found.outcome, found.layers[-2].message) == ("masked", "area is masked (withhold) in this row. In totals by area it is clear.")


def test_what_may_be_learned_of_a_cell_is_what_a_grouping_by_it_shows() -> None:
    base = farm(MASKING, NOT_LISTING)
    assert [line["key"] for line in ask(base, "totals", by=["site.area"], measures=["rent"])["lines"]] == [["fell"], ["marsh"], [None]]
    assert promised(base, values={"model": "farm", "column": "site.area", "includes": ["fell", "marsh"]})
    assert not promised(farm(MASKING), values={"model": "farm", "column": "site.area", "includes": ["fell"]})


def test_a_row_that_counts_but_is_not_listed_is_visible_without_a_cell() -> None:
    base = farm(NOT_LISTING)
    bench = aligned_rows(base, AlignedQuestion(model="farm", table="site", columns=["area"], limit=1), [base.viewer("ann")])
    assert (bench.visible, bench.listed, bench.rows[0].states) == ([5], [0], [["hidden"]])
    reached = who(base, WhoQuestion(model="farm", table="site", where="id = 1"))
    assert [(person.login, person.rows, person.listed) for person in reached.people] == [("ann", 1, 0)]
    found = trace(base, "ann", Traced(model="farm", table="site", row=1, column="area"))
    masks = next(layer for layer in found.layers if layer.layer == "masks")
    assert masks.message == "No role held lists this row of site, so area is not shown in rows. In totals by area it is clear."


def test_listing_and_exporting_are_gained_and_lost() -> None:
    listing = {"name": "b", "sentences": [{"beneath": {"tables": ["site"], "export": True}}]}
    found = impact(farm(NOT_LISTING), farm(listing), ["ann"])[0]
    assert (found.gained, found.lost) == (["exporting rows of site", "listing rows of site"], [])


def zones(levels: list[str], listed: list[dict[str, Any]], by: list[str]) -> Any:
    """Sites 1 and 2 in zone x, 3 in zone y; each costs ten times its number; the role sees what is listed, with whole totals."""
    tables: Tables = {"site": ("id", {"id": "integer", "cost": "number"}, [(1, 10.0), (2, 20.0), (3, 30.0)])}
    zone = {"name": "zone", "type": "text", "mapping": {"of": "id", "values": {"1": "x", "2": "x", "3": "y"}, "else": None}}
    first = {"name": "letter", "type": "text", "expression": "UPPER(zone)"}
    shape = {"name": "site", "key": "id", "columns": [{"name": "id", "type": "integer"}, {"name": "cost", "type": "number"}, zone, first]}
    hierarchy = {"name": "where", "table": "site", "levels": levels}
    model = {"tables": [shape], "hierarchies": [hierarchy], "measures": [{"name": "cost", "table": "site", "expression": "SUM(cost)"}]}
    role = {"name": "r", "sentences": [{"members": {"hierarchy": "where", "totals": "whole", "list": listed}}]}
    answer = ask(farm(role, tables=tables, relationships=[], model=model), "totals", by=by, measures=["cost"])
    return {line["key"][0]: line["values"][0] for line in answer["lines"]}


@pytest.mark.parametrize("by", [["site.zone"], ["site.letter"]])
def test_8_2_a_derived_level_is_that_level_and_what_reads_it_counts_as_it(by: list[str]) -> None:
    found = zones(["zone", "id"], [{"path": ["x"], "see": True}, {"path": ["x", 2], "see": False}], by)
    assert found == {(by[0] == "site.zone" and "x") or "X": 30.0}


def test_8_2_a_derived_column_below_the_levels_counts_as_the_stored_ones_it_reads() -> None:
    assert zones(["cost", "id"], [{"path": [10.0], "see": True}], ["site.zone"]) == {"x": 10.0}


def test_7_5_a_base_filter_that_travelled_up_removes_members_and_stands_in_no_path() -> None:
    tables: Tables = {
        "staff": ("id", {"id": "integer", "lead": "integer"}, [(1, None), (2, 1), (3, 2)]),
        "shift": (None, {"who": "integer"}, [(1,), (3,)]),
    }
    hierarchy = {"name": "line", "table": "staff", "key": "id", "parent": "lead"}
    shapes = model_document(tables, [])["tables"]
    shapes[1]["base_filter"] = "who > 0"
    model = {"tables": shapes, "hierarchies": [hierarchy], "relationships": [{"from": "shift.who", "to": "staff.id", "carries": "down_and_up"}]}
    base = farm({"name": "r"}, tables=tables, relationships=[], model=model)
    members = [(member["path"], member["rows"]) for member in ask(base, "members", hierarchy="line")["members"]]
    assert members == [([1], 2), ([1, 3], 1)]


def withheld_world(rows: list[tuple[Any, ...]], sentences: list[dict[str, Any]]) -> Evaluator:
    tables: Tables = {"work": (None, {"town": "text", "pay": "number"}, rows)}
    measures = [{"name": "pay", "table": "work", "expression": "SUM(pay)"}, {"name": "jobs", "table": "work", "expression": "COUNT(pay)"}]
    model = {"hierarchies": [{"name": "towns", "table": "work", "levels": ["town"]}], "measures": measures}
    mask = {"mask": {"column": "work.pay", "with": "withhold", "in_totals": {"full": {"at_least": 2}}}}
    return farm({"name": "r", "sentences": [mask, *sentences]}, tables=tables, relationships=[], model=model)


def test_7_3_a_total_all_of_whose_rows_were_withheld_is_withheld_too() -> None:
    answer = ask(withheld_world([("a", 5.0), ("b", 7.0)], []), "totals", by=["work.town"], measures=["jobs"])
    assert (answer["total"], answer["withheld"]) == ([None], [[["a"], "jobs"], [["b"], "jobs"], [[], "jobs"]])


def test_7_3_a_row_withheld_in_a_line_is_withheld_where_whole_totals_lift_others() -> None:
    """Only a is seen, with whole totals: the row withheld in its line enters no total, the two rows of b do."""
    whole = {"members": {"hierarchy": "towns", "totals": "whole", "list": [{"path": ["a"], "see": True}]}}
    answer = ask(withheld_world([("a", 90.0), ("b", 4.0), ("b", 6.0)], [whole]), "totals", by=["work.town"], measures=["pay"])
    assert (answer["withheld"], answer["total"], answer["basis"]) == ([[["a"], "pay"]], [10.0], [2])


def test_7_3_a_masked_key_does_not_tell_the_withheld_row_from_the_others() -> None:
    """Towns are shown as one word in lines, so every row has the same key; only the withheld row is left out of the total."""
    whole = {"members": {"hierarchy": "towns", "totals": "whole", "list": [{"path": ["a"], "see": True}]}}
    fixed = {"mask": {"column": "work.town", "with": {"fixed": {"text": "somewhere"}}}}
    answer = ask(withheld_world([("a", 90.0), ("b", 4.0), ("b", 6.0)], [whole, fixed]), "totals", by=["work.town"], measures=["pay"])
    assert (answer["withheld"], answer["total"]) == ([[["somewhere"], "pay"]], [10.0])


def test_9_2_a_row_that_only_its_old_self_held_in_sight_may_not_be_changed() -> None:
    """Job → site and visit → crew carry up, in a circle: the crew is in sight by the visit, that by site 1, and that by the job as it was."""
    tables: Tables = {
        "site": ("id", {"id": "integer"}, [(1,), (2,)]),
        "crew": ("id", {"id": "integer"}, [(1,)]),
        "job": ("id", {"id": "integer", "site": "integer", "crew": "integer"}, [(1, 1, 1)]),
        "visit": ("id", {"id": "integer", "site": "integer", "crew": "integer"}, [(1, 1, 1)]),
    }
    steps = [{"from": f"{many}.{one}", "to": f"{one}.id"} for many in ("job", "visit") for one in ("site", "crew")]
    up = [{**step, "carries": "down_and_up"} if step["from"] in ("job.site", "visit.crew") else step for step in steps]
    sentences = [{"rows": {"table": "site", "where": "id > 0"}}, {"change": {"table": "job", "update": "TRUE"}}]
    base = farm({"name": "r", "sentences": sentences}, tables=tables, relationships=up)
    assert visible_ids(base, "job") == [1]
    answer = ask(base, "change", table="job", update={"set": {"site": 2}})
    assert (answer["meant"], answer["allowed"]) == (1, 0)


def test_9_2_a_column_that_is_set_is_clear_in_the_new_row_too() -> None:
    mask = {"mask": {"column": "site.rent", "with": "withhold", "when": "rent > 100"}}
    base = farm({"name": "r", "sentences": [mask, {"change": {"table": "site", "update": "TRUE"}}]})
    assert ask(base, "change", table="site", update={"set": {"rent": 50.0}, "where": "id = 1"})["allowed"] == 1
    assert ask(base, "change", table="site", update={"set": {"rent": 500.0}, "where": "id = 1"})["allowed"] == 0


WHO: Tables = {"desk": ("id", {"id": "integer", "who": "text"}, [(1, "ANN"), (2, "B.BIRK"), (3, "b.birk"), (4, None)])}


@pytest.mark.parametrize(
    ("where", "expected"),
    [
        ("who IN (viewer.login, 'B.BIRK')", [1, 2]),
        ("who NOT IN (viewer.login, 'B.BIRK')", [3]),
        ("viewer.login IN (who, 'B.BIRK')", [1]),
        ("who IN (viewer.login)", [1]),
    ],
)
def test_4_5_only_the_identity_itself_is_compared_without_letter_case(where: str, expected: list[int]) -> None:
    base = farm({"name": "r", "sentences": [{"rows": {"table": "desk", "where": where}}]}, tables=WHO, relationships=[])
    assert visible_ids(base, "desk") == expected


def test_remedies_propose_only_values_an_attribute_can_have() -> None:
    tables: Tables = {"shop": ("id", {"id": "integer", "rating": "number"}, [(1, 0.25), (2, 3.0)])}
    role = {"name": "r", "sentences": [{"rows": {"table": "shop", "where": "rating = viewer.code"}}]}
    base = farm(role, tables=tables, relationships=[], attributes=[{"name": "code", "type": "integer"}])
    viewer = RealViewer(login="ann")
    proposed = remedies(base, viewer, Traced(model="farm", table="shop", row=1))
    assert [remedy.kind for remedy in proposed] == ["sentence"]


def test_a_tag_that_nothing_carries_is_no_error() -> None:
    assert visible_ids(farm({"name": "r", "sentences": [{"objects": {"hide": ["tag:nowhere", "folder:none"]}}]}), "site") == [1, 2, 3, 4, 5]
