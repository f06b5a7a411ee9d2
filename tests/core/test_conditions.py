"""Conditions on columns: three-valued logic, types and functions (semantics.md 1 and 4)."""

import datetime
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from moorland.core.bundle.model import Model
from moorland.core.bundle.people import AttributeDefinition
from moorland.core.bundle.schema import build_schema
from moorland.core.engine.model_data import ModelData
from moorland.core.language.checking import Scope, check_condition, check_expression
from moorland.core.language.evaluation import evaluate, true_rows
from moorland.core.language.vectors import Domain
from moorland.core.sources.files import to_table_data
from tests.core.worlds import arrow_table

COLUMNS = {"id": "integer", "t": "text", "i": "integer", "n": "number", "b": "boolean", "d": "date"}
ROWS: list[tuple[Any, ...]] = [
    (1, "alpha", 10, 1.5, True, "2026-01-31"),
    (2, "Beta", -3, -2.5, False, "2025-12-15"),
    (3, " beta ", 0, 0.0, None, "2024-02-29"),
    (4, None, None, None, None, None),
    (5, "100%_x", 7, 2.5, True, "9999-12-31"),
]
ATTRIBUTES = {
    "areas": AttributeDefinition(name="areas", type="text", multiple=True),
    "level": AttributeDefinition(name="level", type="integer"),
}
VIEWER = {"login": ("Ann",), "email": None, "groups": ("Beta",), "areas": ("alpha", "100%_x"), "level": (7,), "roles": (), "name": ("Ann",)}
MODEL = Model.model_validate_json(
    '{"name": "m", "tables": [{"name": "x", "key": "id", "columns": ['
    + ", ".join(f'{{"name": "{name}", "type": "{type_}"}}' for name, type_ in COLUMNS.items())
    + "]}]}"
)
SCHEMA = build_schema(MODEL)
DATA = ModelData(SCHEMA, {"x": to_table_data(arrow_table(COLUMNS, ROWS), MODEL.tables[0])}, datetime.date(2026, 3, 31))
SCOPE = Scope(schema=SCHEMA, table="x", attributes=ATTRIBUTES)


def matching(condition: str, viewer: dict[str, Any] | None = None) -> list[int]:
    """The ids of the rows for which the condition is true."""
    checked = check_condition(condition, SCOPE)
    values = VIEWER if viewer is None else {**VIEWER, **viewer}
    mask = true_rows(checked, DATA.frame("x", values.get), "x", len(ROWS))
    return [row[0] for row, true in zip(ROWS, mask, strict=True) if true]


def values(expression: str) -> list[Any]:
    """The value of an expression in each row, None for null."""
    frame = DATA.frame("x", VIEWER.get)
    vector = frame.lift(evaluate(check_expression(expression, SCOPE), frame), Domain("x"))
    count = len(ROWS)
    known = vector.known.tolist() * (count if len(vector.known) == 1 else 1)
    found = vector.values.tolist() * (count if len(vector.values) == 1 else 1)
    return [value if is_known else None for value, is_known in zip(found, known, strict=False)][:count]


@pytest.mark.parametrize(
    ("condition", "expected"),
    [
        ("t = 'alpha'", [1]),
        ("t <> 'alpha'", [2, 3, 5]),
        ("t = 'beta'", []),
        ("t < 'a'", [2, 3, 5]),
        ("i > 0", [1, 5]),
        ("i >= 0 AND n < 2", [1, 3]),
        ("i = 7.0", [5]),
        ("NOT i > 0", [2, 3]),
        ("i > 0 OR t IS NULL", [1, 4, 5]),
        ("i > 0 AND NULL", []),
        ("i > 0 OR NULL", [1, 5]),
        ("NOT (i > 0 AND NULL)", [2, 3]),
        ("t IN ('alpha', 'Beta')", [1, 2]),
        ("t NOT IN ('alpha', 'Beta')", [3, 5]),
        ("t IN ('alpha', NULL)", [1]),
        ("t NOT IN ('alpha', NULL)", []),
        ("i IN (10, n)", [1, 3]),
        ("i BETWEEN 0 AND 9", [3, 5]),
        ("i NOT BETWEEN 0 AND 9", [1, 2]),
        ("i BETWEEN 9 AND 0", []),
        ("t LIKE '%eta%'", [2, 3]),
        ("t LIKE '_eta'", [2]),
        ("t LIKE '100#%#_x' ESCAPE '#'", [5]),
        ("t NOT LIKE '%a%'", [5]),
        ("t IS NULL", [4]),
        ("t IS NOT NULL AND b IS NULL", [3]),
        ("b = TRUE", [1, 5]),
        ("NOT b = TRUE", [2]),
        ("b", [1, 5]),
        ("d < DATE '2026-01-01'", [2, 3]),
        ("d = DATE '2024-02-29'", [3]),
        ("d > CURRENT_DATE", [5]),
        ("d >= CURRENT_DATE - INTERVAL '4' MONTH AND d < CURRENT_DATE", [1, 2]),
        ("EXTRACT(YEAR FROM d) = 2025", [2]),
        ("EXTRACT(QUARTER FROM d) = 1", [1, 3]),
        ("LOWER(TRIM(t)) = 'beta'", [2, 3]),
        ("CHAR_LENGTH(t) = 6", [3, 5]),
        ("t || '!' = 'alpha!'", [1]),
        ("SUBSTRING(t FROM 2 FOR 3) = 'lph'", [1]),
        ("COALESCE(i, 99) = 99", [4]),
        ("NULLIF(i, 0) IS NULL", [3, 4]),
        ("ABS(n) = 2.5", [2, 5]),
        ("ROUND(n) = 3", [5]),
        ("ROUND(n) = -3", [2]),
        ("i / 0 IS NULL", [1, 2, 3, 4, 5]),
        ("7 / 2 = 3.5", [1, 2, 3, 4, 5]),
        ("i / 4 = 1.75", [5]),
        ("CASE WHEN i > 5 THEN 'big' WHEN i IS NULL THEN 'none' END = 'big'", [1, 5]),
        ("CASE WHEN i > 5 THEN 1 ELSE 0 END = 0", [2, 3, 4]),
        ("CAST(i AS TEXT) = '10'", [1]),
        ("CAST(t AS INTEGER) IS NULL", [1, 2, 3, 4, 5]),
        ("x.t = 'alpha' -- a comment", [1]),
        ("/* why */ t = 'alpha'", [1]),
        ("t = 'it''s'", []),
        ("\"t\" = 'alpha'", [1]),
    ],
)
def test_condition_is_true_for(condition: str, expected: list[int]) -> None:
    assert matching(condition) == expected


@pytest.mark.parametrize(
    ("condition", "expected"),
    [
        ("t IN viewer.areas", [1, 5]),
        ("t NOT IN viewer.areas", [2, 3]),
        ("i = viewer.level", [5]),
        ("viewer.level > 6", [1, 2, 3, 4, 5]),
        ("t = viewer.email", []),
        ("t <> viewer.email", []),
        ("viewer.email IS NULL AND i = 0", [3]),
    ],
)
def test_viewer_values_stand_for_the_viewers_own(condition: str, expected: list[int]) -> None:
    assert matching(condition) == expected


@pytest.mark.parametrize(("condition", "expected"), [("t IN viewer.areas", []), ("t NOT IN viewer.areas", []), ("NOT t IN viewer.areas", [])])
def test_2_6_an_attribute_not_set_makes_every_comparison_unknown(condition: str, expected: list[int]) -> None:
    assert matching(condition, {"areas": None}) == expected


def test_2_6_the_sets_that_are_always_known_are_false_when_empty() -> None:
    assert matching("t IN viewer.roles") == []
    assert matching("i NOT IN (99) AND t NOT IN viewer.roles") == [1, 2, 3, 5]


def test_4_5_identities_ignore_letter_case_and_surrounding_spaces() -> None:
    assert matching("t IN viewer.groups") == [2, 3]
    assert matching("t = viewer.login", {"login": ("ALPHA ",)}) == [1]
    assert matching("viewer.login IN ('ann', 'bob')") == [1, 2, 3, 4, 5]


def test_4_5_other_viewer_values_compare_exactly() -> None:
    assert matching("t = viewer.name", {"name": ("ALPHA",)}) == []


def test_1_4_overflow_is_null() -> None:
    assert values("i * 9223372036854775807") == [None, None, 0, None, None]
    assert values("i + 9223372036854775807")[0] is None
    assert values("-9223372036854775807 - i")[0] is None


def test_12_7_a_month_added_to_the_31st_gives_the_last_day_of_a_shorter_month() -> None:
    assert values("d + INTERVAL '1' MONTH")[0] == datetime.date(2026, 2, 28)
    assert values("d + INTERVAL '1' YEAR")[2] == datetime.date(2025, 2, 28)


def test_12_7_beyond_the_calendar_is_null() -> None:
    assert values("d + INTERVAL '1' DAY")[4] is None


def test_12_7_a_number_cast_to_integer_rounds_half_away_from_zero() -> None:
    assert values("CAST(n AS INTEGER)") == [2, -3, 0, None, 3]


@pytest.mark.parametrize(("expression", "expected"), [("1 + 2 * 3", 7), ("(1 + 2) * 3", 9), ("-2 - -3", 1), ("10 - 3 - 2", 5), ("8 / 2 / 2", 2.0)])
def test_arithmetic_binds_as_in_school(expression: str, expected: float) -> None:
    assert values(expression)[0] == expected


TRUTHS = {"TRUE": True, "FALSE": False, "NULL": None}
logic = st.recursive(
    st.sampled_from(sorted(TRUTHS)),
    lambda inner: st.one_of(st.tuples(st.just("NOT"), inner), st.tuples(st.sampled_from(["AND", "OR"]), inner, inner)),
    max_leaves=8,
)


def written(tree: Any) -> str:
    if isinstance(tree, str):
        return tree
    return f"(NOT {written(tree[1])})" if tree[0] == "NOT" else f"({written(tree[1])} {tree[0]} {written(tree[2])})"


def meant(tree: Any) -> bool | None:
    if isinstance(tree, str):
        return TRUTHS[tree]
    parts = [meant(part) for part in tree[1:]]
    if tree[0] == "NOT":
        return None if parts[0] is None else not parts[0]
    decisive = tree[0] == "OR"
    return decisive if decisive in parts else None if None in parts else not decisive


@given(logic)
def test_1_2_logic_is_three_valued(tree: Any) -> None:
    assert values(f"CASE WHEN {written(tree)} THEN 1 WHEN NOT {written(tree)} THEN 0 END")[0] == {True: 1, False: 0, None: None}[meant(tree)]
