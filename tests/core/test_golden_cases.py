"""Golden cases of the rules of semantics.md that surprise people, named by clause."""

from typing import Any

import pytest

from moorland.core.engine.evaluator import Evaluator
from tests.core.worlds import Tables, ask, evaluator, model_document, visible_ids

TABLES: Tables = {
    "depot": (
        "id",
        {"id": "integer", "region": "text", "town": "text", "rent": "number", "phone": "text", "opened": "date"},
        [
            (1, "north", "ash", 10.0, "555-1001", "2026-02-11"),
            (2, "north", "elm", 20.0, "555-1002", "2026-03-12"),
            (3, "south", "oak", 40.0, None, "2026-05-13"),
            (4, "south", "fir", 80.0, "555-1004", None),
        ],
    ),
    "stock": (
        None,
        {"depot_id": "integer", "from_id": "integer", "part": "text", "value": "number"},
        [(1, 2, "bolt", 1.0), (1, 3, "nut", 2.0), (2, 1, "bolt", 4.0), (3, None, "bolt", 8.0), (4, 4, "nut", 16.0), (9, 1, "nut", 32.0)],
    ),
    "scope": (
        None,
        {"who": "text", "region": "text", "town": "text"},
        [("ANN ", "north", "ash"), ("ann", "south", None), ("bob", None, None), (None, "north", "elm"), ("cat", "ALL", "x"), ("dee", " south , north", "x")],
    ),
}
RELATIONSHIPS = [{"from": "stock.depot_id", "to": "depot.id"}, {"from": "stock.from_id", "to": "source.id"}]
MORE: dict[str, Any] = {
    "hierarchies": [{"name": "place", "table": "depot", "levels": ["region", "town"]}],
    "measures": [
        {"name": "worth", "table": "stock", "expression": "SUM(value)"},
        {"name": "lines", "table": "stock", "expression": "COUNT(*)"},
        {"name": "rents", "table": "depot", "expression": "SUM(rent)"},
        {"name": "phones", "table": "depot", "expression": "COUNT(DISTINCT phone)"},
    ],
}


def depots(*roles: dict[str, Any], derived: dict[str, Any] | None = None, **more: Any) -> Evaluator:
    """The depots with an alias of them, roles held by everyone unless they say otherwise."""
    model = model_document(TABLES, RELATIONSHIPS, **MORE)
    model["tables"].append({"name": "source", "alias_of": "depot"})
    for name, shape in (derived or {}).items():
        model["tables"][0]["columns"].append({"name": name, **shape})
    made = [{"kind": "grant", "model": "farm", "assigned": [{"everyone": True}], **role} for role in roles]
    users = [{"login": login, "name": login.title()} for login in ("ann", "bob", "cat", "dee")]
    attributes = [{"name": "regions", "type": "text", "multiple": True}, {"name": "level", "type": "integer"}]
    return evaluator({"users": users, "attributes": attributes, "models": [model], "roles": made, **more}, TABLES)


def grant(*sentences: dict[str, Any], name: str = "r", **more: Any) -> dict[str, Any]:
    return {"name": name, "sentences": list(sentences), **more}


def limit(*sentences: dict[str, Any], name: str = "l") -> dict[str, Any]:
    return {"name": name, "kind": "limit", "sentences": list(sentences)}


def hidden(*names: str) -> dict[str, Any]:
    return {"objects": {"hide": list(names)}}


def entitled(**more: Any) -> dict[str, Any]:
    return {"entitlement": {"table": "depot", "through": "scope", "person": "who", "person_is": "login", "match": {"region": "region"}, **more}}


def masked(column: str, with_: Any, **more: Any) -> dict[str, Any]:
    return {"mask": {"column": column, "with": with_, **more}}


def cells(base: Evaluator, column: str, login: str = "ann", table: str = "depot") -> list[tuple[Any, str]]:
    answer = ask(base, "rows", login, table=table, columns=[column])
    return [(row[0], state[0]) for row, state in zip(answer["rows"], answer["states"], strict=True)]


def total(base: Evaluator, measure: str, **question: Any) -> Any:
    answer = ask(base, "totals", measures=[measure], **question)
    return answer["total"][0]


def lines(base: Evaluator, measure: str, by: list[str], **question: Any) -> dict[tuple[Any, ...], Any]:
    answer = ask(base, "totals", measures=[measure], by=by, **question)
    return {tuple(line["key"]): line["values"][0] for line in answer["lines"]}


@pytest.mark.parametrize(
    ("login", "more", "expected"),
    [
        ("ann", {}, [1, 2, 3, 4]),
        ("bob", {}, []),
        ("bob", {"everything": "blank"}, [1, 2, 3, 4]),
        ("cat", {}, []),
        ("cat", {"everything": {"text": "ALL"}}, [1, 2, 3, 4]),
        ("cat", {"everything": {"text": "all"}}, []),
        ("dee", {}, []),
        ("dee", {"separator": ","}, [1, 2, 3, 4]),
        ("ann", {"match": {"region": "region", "town": "town"}}, [1]),
        ("ann", {"match": {"region": "region", "town": "town"}, "everything": "blank"}, [1, 3, 4]),
        ("ann", {"where": "region = 'south'"}, [3, 4]),
        ("ann", {"person_is": "email"}, []),
    ],
)
def test_5_3_an_entitlement_opens_what_its_lines_name(login: str, more: dict[str, Any], expected: list[int]) -> None:
    assert visible_ids(depots(grant(entitled(**more))), "depot", login=login) == expected


def test_3_9_an_entitlement_table_is_hidden_in_every_role_but_where_it_is_shown_by_name() -> None:
    other = {"name": "other", "model": "farm", "sentences": [], "assigned": [{"user": "bob"}]}
    base = depots(grant(entitled()), other)
    assert "scope" not in ask(base, "objects", "bob")["tables"]
    shown = depots(grant(entitled(), {"objects": {"show": ["table:scope"]}}))
    assert "scope" in ask(shown, "objects")["tables"]


def test_3_9_a_table_read_by_an_inner_query_is_hidden_under_all_its_names() -> None:
    base = depots(grant({"rows": {"table": "stock", "where": "depot_id IN (SELECT id FROM depot WHERE region = 'north')"}}))
    assert sorted(ask(base, "objects")["tables"]) == ["scope", "stock"]


def test_3_9_quarantine_reaches_what_reads_the_column_even_shown_by_name() -> None:
    derived = {"secret": {"type": "text", "quarantine": True, "expression": "town"}, "loud": {"type": "text", "expression": "UPPER(secret)"}}
    base = depots(grant({"objects": {"show": ["column:depot.loud", "column:depot.secret"]}}), derived=derived)
    assert {"secret", "loud"} & set(ask(base, "objects")["tables"]["depot"]) == set()


def test_3_3_an_alias_is_masked_and_hidden_with_its_original_but_restricted_on_its_own() -> None:
    base = depots(grant(masked("depot.phone", "withhold"), hidden("column:depot.rent"), {"rows": {"table": "source", "where": "region = 'north'"}}))
    assert visible_ids(base, "depot") == [1, 2, 3, 4]
    assert visible_ids(base, "source") == [1, 2]
    assert "rent" not in ask(base, "objects")["tables"]["source"]
    assert set(cells(base, "phone", table="source")) == {(None, "masked")}
    assert visible_ids(base, "stock", "part") == ["bolt", "bolt", "nut"]


def test_3_4_a_derived_column_of_an_unmatched_lookup_is_null() -> None:
    base = depots(grant(), derived={"label": {"type": "text", "expression": "COALESCE(phone, 'none')"}})
    assert (None, "clear") in cells(base, "depot.label", table="stock")
    assert ("none", "clear") in cells(base, "label")


def test_12_4_a_mapping_sends_null_and_unlisted_values_to_else() -> None:
    base = depots(grant(), derived={"line": {"type": "text", "mapping": {"of": "phone", "values": {"555-1001": "first"}, "else": "other"}}})
    assert [value for value, _ in cells(base, "line")] == ["first", "other", "other", "other"]


def test_5_5_a_derived_cell_is_withheld_where_it_reads_a_masked_one_unless_shown_by_name() -> None:
    derived = {"double": {"type": "number", "expression": "rent * 2"}}
    mask = masked("depot.rent", {"round": {"to": 50}}, when="region = 'north'")
    assert cells(depots(grant(mask), derived=derived), "double") == [(None, "masked"), (None, "masked"), (80.0, "clear"), (160.0, "clear")]
    shown = depots(grant(mask, {"objects": {"show": ["column:depot.double"]}}), derived=derived)
    assert {state for _, state in cells(shown, "double")} == {"clear"}


@pytest.mark.parametrize(
    ("column", "with_", "expected"),
    [
        ("depot.phone", "withhold", [None, None, None, None]),
        ("depot.phone", {"fixed": {"text": "—"}}, ["—", "—", "—", "—"]),
        ("depot.phone", {"keep": {"last": 2, "fill": "#"}}, ["######01", "######02", None, "######04"]),
        ("depot.town", {"keep": {"first": 2, "last": 1}}, ["•••", "•••", "•••", "•••"]),
        ("depot.rent", {"round": {"to": 20}}, [20.0, 20.0, 40.0, 80.0]),
        ("depot.opened", {"period": {"to": "quarter"}}, ["2026-01-01", "2026-01-01", "2026-04-01", None]),
    ],
)
def test_5_6_each_kind_of_mask_shows_its_part(column: str, with_: Any, expected: list[Any]) -> None:
    assert [value for value, state in cells(depots(grant(masked(column, with_))), column)] == expected


def test_5_6_a_hash_is_stable_and_another_in_another_column() -> None:
    base = depots(grant(masked("depot.region", "hash"), masked("source.region", "hash")))
    first = [value for value, _ in cells(base, "region")]
    other = [value for value, _ in cells(base, "region", table="source")]
    assert (first[0] == first[1], first[0] == first[2], first[0] == other[0], "north" in first) == (True, False, False, False)


def test_5_6_a_mask_whose_condition_is_unknown_masks() -> None:
    base = depots(grant(masked("depot.rent", "withhold", when="viewer.level < 3")))
    assert {state for _, state in cells(base, "rent")} == {"masked"}


def test_6_5_of_two_grants_the_least_covering_shows_and_a_limit_covers_again() -> None:
    roles = [grant(masked("depot.phone", "withhold")), grant(masked("depot.phone", {"keep": {"last": 1, "fill": "#"}}), name="s")]
    assert cells(depots(*roles), "phone")[0] == ("#######1", "masked")
    assert cells(depots(*roles, limit(masked("depot.phone", {"fixed": {"text": "x"}}))), "phone")[0] == ("x", "masked")


def test_7_1_a_filter_matches_only_clear_cells() -> None:
    base = depots(grant(masked("depot.rent", {"round": {"to": 50}}, when="region = 'north'")))
    assert ask(base, "rows", table="depot", where="rent > 0")["visible"] == 2


def test_7_2_a_masked_input_enters_no_total_unless_it_says_so() -> None:
    mask = masked("depot.rent", {"round": {"to": 50}}, when="region = 'south'")
    assert total(depots(grant(mask)), "rents") == 30.0
    assert total(depots(grant(masked("depot.rent", {"round": {"to": 50}}, when="region = 'south'", in_totals="shown"))), "rents") == 180.0
    assert total(depots(grant(masked("depot.rent", "withhold", in_totals={"full": {"at_least": 3}}))), "rents") == 150.0


def test_7_3_a_line_of_too_few_rows_is_withheld_and_counts_no_further() -> None:
    base = depots(grant(masked("depot.rent", "withhold", in_totals={"full": {"at_least": 2}}), {"rows": {"table": "depot", "where": "id < 4"}}))
    answer = ask(base, "totals", by=["depot.region"], measures=["rents"])
    assert [(line["key"], line["values"]) for line in answer["lines"]] == [(["north"], [30.0]), (["south"], [None])]
    assert (answer["total"], answer["basis"], answer["withheld"]) == ([30.0], [2], [[["south"], "rents"]])


def test_5_6_a_hash_enters_only_where_a_bare_column_is_counted() -> None:
    base = depots(grant(masked("depot.phone", "hash", in_totals="shown")))
    assert total(base, "phones") == 3


def test_7_2_groups_are_the_values_as_shown_and_12_6_an_unmatched_cell_is_masked_too() -> None:
    base = depots(grant(masked("depot.town", {"fixed": {"text": "?"}}, when="region = 'north'")))
    assert lines(base, "lines", ["depot.town"]) == {("?",): 4, ("fir",): 1, ("oak",): 1}


MEMBERS = {"hierarchy": "place", "list": [{"path": ["north"], "see": True}, {"path": ["north", "elm"], "see": False}]}


def test_5_3_the_longest_listed_prefix_decides() -> None:
    assert visible_ids(depots(grant({"members": MEMBERS})), "depot") == [1]
    assert visible_ids(depots(grant({"members": {**MEMBERS, "unlisted": "visible"}})), "depot") == [1, 3, 4]


def test_5_3_an_attribute_that_is_not_set_opens_nothing_and_closes_everything() -> None:
    item = [{"viewer": "regions"}]
    assert visible_ids(depots(grant({"members": {"hierarchy": "place", "list": [{"path": item, "see": True}]}})), "depot") == []
    assert visible_ids(depots(grant({"members": {"hierarchy": "place", "unlisted": "visible", "list": [{"path": item, "see": False}]}})), "depot") == []


def test_8_1_own_totals_are_over_visible_rows_and_8_2_whole_ones_over_all_beneath_a_visible_ancestor() -> None:
    own, whole = depots(grant({"members": MEMBERS})), depots(grant({"members": {**MEMBERS, "totals": "whole"}}))
    assert (total(own, "worth"), total(whole, "worth")) == (3.0, 31.0)
    assert lines(own, "worth", ["depot.region"]) == {("north",): 3.0}
    assert lines(whole, "worth", ["depot.region"]) == {("north",): 7.0}
    assert lines(whole, "worth", ["depot.town"]) == {("ash",): 3.0}
    assert lines(whole, "worth", ["depot.rent"]) == {(10.0,): 3.0}
    assert visible_ids(whole, "depot") == [1]


def test_5_7_rows_are_listed_as_far_as_the_sentences_say() -> None:
    def listed(*roles: dict[str, Any]) -> tuple[int, int]:
        answer = ask(depots(*roles), "rows", table="depot")
        return answer["visible"], len(answer["rows"])

    beneath = {"tables": ["depot"]}
    assert listed(grant({"beneath": {**beneath, "limit": 2}})) == (4, 2)
    assert listed(grant({"beneath": {**beneath, "limit": 2}}), grant(name="s")) == (4, 4)
    assert listed(grant({"beneath": {**beneath, "rows": False}})) == (0, 0)
    assert listed(grant({"beneath": {**beneath, "only_under": 3}})) == (0, 0)
    assert listed(grant({"beneath": {**beneath, "only_under": 3}}, {"rows": {"table": "depot", "where": "id < 4"}})) == (3, 3)
    assert listed(grant(), limit({"beneath": {**beneath, "limit": 1}})) == (4, 1)
    assert listed(grant(), limit({"beneath": {**beneath, "rows": False}})) == (0, 0)


def test_5_7_totals_count_what_is_not_listed() -> None:
    assert total(depots(grant({"beneath": {"tables": ["stock"], "rows": False}})), "lines") == 6


OPEN = {"rows": {"table": "depot", "where": "region = 'north'"}}


def change(base: Evaluator, **kind: Any) -> Any:
    answer = ask(base, "change", table="depot", **kind)
    return (answer["meant"], answer["allowed"]) if "error" not in answer else answer["error"]["code"]


def test_9_2_an_update_may_not_move_a_row_out_of_sight() -> None:
    base = depots(grant(OPEN, {"change": {"table": "depot", "update": "TRUE"}}))
    assert change(base, update={"set": {"rent": 1.5}}) == (2, 2)
    assert change(base, update={"set": {"region": "south"}}) == (2, 0)


def test_9_2_the_condition_holds_for_the_old_and_the_new_row() -> None:
    base = depots(grant({"change": {"table": "depot", "update": "rent < 50"}}))
    assert change(base, update={"set": {"rent": 45.0}}) == (4, 3)
    assert change(base, update={"set": {"rent": 60.0}}) == (4, 0)


def test_9_2_a_limit_role_with_a_change_sentence_narrows_and_one_without_leaves_alone() -> None:
    role = grant({"change": {"table": "depot", "delete": "TRUE"}})
    assert change(depots(role, limit()), delete={"where": "id = 1"}) == (1, 1)
    assert change(depots(role, limit({"change": {"table": "depot", "update": "TRUE"}})), delete={"where": "id = 1"}) == (1, 0)


def test_9_3_a_key_that_is_taken_out_of_sight_is_refused_like_anything_else() -> None:
    base = depots(grant(OPEN, {"change": {"table": "depot", "insert": "TRUE"}}))
    rows = [{"id": 3, "region": "north"}, {"id": 7, "region": "north"}, {"id": 8, "region": "south"}, {"region": "north"}]
    assert change(base, insert={"rows": rows}) == (4, 1)


def test_12_8_aliases_and_derived_columns_cannot_be_set() -> None:
    base = depots(grant({"change": {"table": "depot", "update": "TRUE"}}), derived={"loud": {"type": "text", "expression": "UPPER(town)"}})
    assert change(base, update={"set": {"loud": "X"}}) == "invalid"
    assert ask(base, "change", table="source", delete={})["error"]["code"] == "invalid"
    assert change(base, update={"set": {"nothing": "X"}}) == "not_found"


def test_7_6_an_inner_query_is_invalid_whatever_it_names() -> None:
    answer = ask(depots(grant()), "rows", table="depot", where="nothing IN (SELECT x FROM y)")
    assert answer["error"]["code"] == "invalid"


def test_2_6_nothing_is_in_an_empty_set_not_even_null() -> None:
    base = depots(grant({"rows": {"table": "depot", "where": "phone NOT IN viewer.groups"}}))
    assert visible_ids(base, "depot") == [1, 2, 3, 4]
