"""Conditions as groups of clauses that can be edited without typing, and that read back as they stood."""

import dataclasses
from typing import Any

import pytest
from hypothesis import given, settings

from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.clauses import Clause, Group, grouped_clauses
from moorland.core.language.parser import parse
from moorland.core.language.writing import all_of_text, literal_text, one_of_text
from tests.core.test_against_sqlite import SCOPE as GENERATED
from tests.core.test_against_sqlite import conditions
from tests.core.test_conditions import SCOPE


@pytest.mark.parametrize(
    ("condition", "expected"),
    [
        ("t = 'a'", [("t", "values", False, ["a"])]),
        ("t NOT IN ('a', 'b') AND i = viewer.level", [("t", "values", True, ["a", "b"]), ("i", "viewer", False, [])]),
        ("d BETWEEN DATE '2026-01-01' AND DATE '2026-02-01'", [("d", "range", False, [])]),
        ("t IS NOT NULL", [("t", "blank", True, [])]),
        ("t IN viewer.areas", [("t", "viewer", False, [])]),
    ],
)
def test_simple_conditions_are_clauses(condition: str, expected: list[tuple[object, ...]]) -> None:
    group = grouped_clauses(check_condition(condition, SCOPE), condition)
    assert group.joined == "and"
    assert [(part.column, part.kind, part.negated, part.values) for part in group.parts if isinstance(part, Clause)] == expected


@pytest.mark.parametrize("condition", ["LOWER(t) = 'a'", "NOT t = 'a'", "i > 5", "t IN ('a', NULL)", "(i + 1) * 2 > (i)", "(i) * (i) = 4"])
def test_a_clause_that_says_more_stays_text_as_it_is_written(condition: str) -> None:
    group = grouped_clauses(check_condition(condition, SCOPE), condition)
    assert [(part.kind, part.text) for part in group.parts if isinstance(part, Clause)] == [("text", condition)]


def test_brackets_are_groups_inside_groups() -> None:
    condition = "t = 'a' AND (i = 1 OR NOT (i = 2 AND t IS NULL))"
    group = grouped_clauses(check_condition(condition, SCOPE), condition)
    assert _shape(group) == ["and", "t = 'a'", ["or", "i = 1", ["not and", "i = 2", "t IS NULL"]]]


def _shape(group: Group) -> list[object]:
    return [("not " if group.negated else "") + group.joined, *(part.text if isinstance(part, Clause) else _shape(part) for part in group.parts)]


@settings(deadline=None)
@given(text=conditions)
def test_every_part_reads_back_as_it_stood(text: str) -> None:
    checked = check_condition(text, GENERATED)
    assert _bare(parse(_written(grouped_clauses(checked, text)))) == _bare(parse(text))


def _written(group: Group) -> str:
    """A group as text again, every part in brackets."""
    joined = f" {group.joined.upper()} ".join(f"({part.text if isinstance(part, Clause) else _written(part)})" for part in group.parts)
    return f"NOT ({joined})" if group.negated else joined


def _bare(node: tree.Node) -> Any:
    """The tree without places; brackets around AND in AND, OR in OR make no difference."""
    if isinstance(node, tree.And | tree.Or):
        flat: list[Any] = []
        for item in node.items:
            flat += list(_bare(item)[1]) if isinstance(item, type(node)) else [_bare(item)]
        return (type(node).__name__, tuple(flat))
    values = [getattr(node, field.name) for field in dataclasses.fields(node) if field.name not in ("start", "end")]
    return (type(node).__name__, *(_part(value) for value in values))


def _part(value: Any) -> Any:
    if isinstance(value, tuple):
        return tuple(_part(item) for item in value)
    return _bare(value) if isinstance(value, tree.Node) else value


@pytest.mark.parametrize(
    ("condition", "table", "column", "kind"),
    [
        ("'monthly' IN page.tags", "page", "tags", "has"),
        ("page.owner = viewer.login", "page", "owner", "viewer"),
        ("page.shelf <> 'money'", "page", "shelf", "values"),
        ("viewer.level >= 3", "viewer", "level", "range"),
        ("'board' NOT IN viewer.groups", "viewer", "groups", "has"),
    ],
)
def test_properties_of_pages_and_viewers_are_clauses_too(condition: str, table: str, column: str, kind: str) -> None:
    group = grouped_clauses(check_condition(condition, Scope(attributes=SCOPE.attributes, page=True)), condition)
    part = group.parts[0]
    assert isinstance(part, Clause)
    assert (part.table, part.column, part.kind) == (table, column, kind)


def test_values_are_written_as_the_language_reads_them() -> None:
    assert one_of_text("x.t", ["it's", None], "text") == "(x.t = 'it''s' OR x.t IS NULL)"
    assert one_of_text("x.d", ["2026-01-01"], "date") == "x.d = DATE '2026-01-01'"
    assert one_of_text("x.i", [], "integer") == "FALSE"
    assert all_of_text([None, "a = 1", "b = 2"]) == "(a = 1) AND (b = 2)"


@pytest.mark.parametrize(("value", "type_"), [("5", "integer"), (True, "number"), (1, "text"), ("yes", "boolean"), ("soon", "date")])
def test_a_value_of_another_type_is_not_written(value: Any, type_: Any) -> None:
    with pytest.raises(ValueError):
        literal_text(value, type_)
