"""A wrong condition: what is wrong, where, and the nearest name (semantics.md 4.3, 4.4, 1.3)."""

import pytest

from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.errors import ConditionError
from moorland.core.language.parser import parse
from tests.core.test_conditions import SCHEMA, SCOPE


def error_of(condition: str, scope: Scope = SCOPE) -> ConditionError:
    with pytest.raises(ConditionError) as raised:
        check_condition(condition, scope)
    return raised.value


@pytest.mark.parametrize(
    ("condition", "code", "place", "nearest"),
    [
        ("tt = 'a'", "unknown_name", "tt", "t"),
        ("x.tt = 'a'", "unknown_name", "x.tt", "x.t"),
        ("y.t = 'a'", "unknown_name", "y.t", "x.t"),
        ("t IN viewer.area", "unknown_name", "viewer.area", "viewer.areas"),
        ("t = CURRENT_USER", "session_user", "CURRENT_USER", "viewer.login"),
        ("LOWR(t) = 'a'", "unknown_function", "LOWR", "LOWER"),
        ("t = 5", "type", "t = 5", None),
        ("i = 'five'", "type", "i = 'five'", None),
        ("d = '2026-01-01'", "type", "d = '2026-01-01'", None),
        ("b < TRUE", "type", "b < TRUE", None),
        ("t + 1 = 2", "type", "t + 1", None),
        ("i", "type", "i", None),
        ("t = viewer.areas", "many", "viewer.areas", None),
        ("t IN (SELECT t FROM x)", "inner_query", "SELECT t FROM x", None),
        ("SUM(i) > 1", "aggregate", "SUM(i)", None),
        ("t = 'open", "syntax", "'open", None),
        ("t != 'a'", "syntax", "!", None),
        ("t = 'a';", "syntax", ";", None),
        ("t = 'a' AND", "syntax", "", None),
        ("t = 'a' t", "syntax", "t", None),
        ("i = 99999999999999999999", "literal", "99999999999999999999", None),
        ("d = DATE '2026-02-30'", "literal", "'2026-02-30'", None),
        ("viewer.login.x = 'a'", "syntax", ".", None),
    ],
)
def test_error_says_what_and_where(condition: str, code: str, place: str, nearest: str | None) -> None:
    error = error_of(condition)
    assert (error.code, error.nearest) == (code, nearest)
    assert condition[error.start : error.end] == place


def test_nesting_is_bounded() -> None:
    assert error_of("(" * 500 + "TRUE" + ")" * 500).code == "syntax"


def test_4_3_a_table_that_is_not_a_lookup_cannot_be_named() -> None:
    from tests.core.worlds import farm

    schema = farm({"name": "all"}).models["farm"].schema
    error = error_of("run.kwh > 1", Scope(schema=schema, table="site"))
    assert error.code == "unreachable"
    assert "run is not a lookup of site" in error.message


def test_4_3_the_nearest_name_exists_for_the_asker() -> None:
    seen = frozenset({("x", "id"), ("x", "t")})
    assert error_of("nn = 1", Scope(schema=SCHEMA, table="x", columns=seen)).nearest is None


@pytest.mark.parametrize("text", ["NOT " * 4000 + "TRUE", "n" + " + 1" * 4000 + " > 0", "'a'" + " || 'a'" * 2000 + " = 'b'", "(" * 2000 + "TRUE" + ")" * 2000])
def test_an_endless_expression_is_told_and_exhausts_nothing(text: str) -> None:
    with pytest.raises(ConditionError, match="nested deeper than"):
        parse(text)


def test_long_lists_of_alternatives_are_no_nesting() -> None:
    assert isinstance(parse("n = 1" + " OR n = 1" * 1500), tree.Or)
