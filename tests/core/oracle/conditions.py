"""Conditions and expressions as tuples: evaluated here one row at a time, and written as text for the core.

Operands: ("col", "table.column"), ("lit", value), ("viewer", name), ("+", a, b), ("coalesce", a, b), ("||", a, b).
Conditions: ("and" | "or", …), ("not", c), (comparison, a, b), ("in", a, [values]), ("in_viewer", a, name),
("in_some", a, name of the viewer, [values]), ("in_query", a, table, column, condition), ("null", a), ("between", a, low, high), ("like", a, pattern).
"""

import datetime
import math
import re
from collections.abc import Callable
from typing import Any, Protocol

Node = tuple[Any, ...]
IDENTITIES = ("login", "email", "mail_domain", "groups")


class Sight(Protocol):
    """What a condition sees: the cells of a row, the viewer, and whole tables for inner queries."""

    def cell(self, name: str) -> Any: ...

    def viewer(self, name: str) -> Any: ...

    def selected(self, table: str, column: str, where: Node | None) -> list[Any]: ...


def fold(value: Any) -> Any:
    return value.strip(" ").casefold() if isinstance(value, str) else value


def value_of(node: Node, sight: Sight) -> Any:
    kind = node[0]
    if kind == "col":
        return sight.cell(node[1])
    if kind == "lit":
        return node[1]
    if kind == "viewer":
        return sight.viewer(node[1])
    left, right = value_of(node[1], sight), value_of(node[2], sight)
    if kind == "coalesce":
        return right if left is None else left
    if left is None or right is None:
        return None
    return within(left + right)


def within(value: Any) -> Any:
    """A result, or null where it is beyond its type (1.4)."""
    if isinstance(value, int) and not isinstance(value, bool):
        return value if -(2**63) <= value < 2**63 else None
    return None if isinstance(value, float) and not math.isfinite(value) else value


def truth(node: Node, sight: Sight) -> bool | None:
    """True, False, or None for unknown."""
    kind = node[0]
    if kind == "not":
        inner = truth(node[1], sight)
        return None if inner is None else not inner
    if kind in ("and", "or"):
        decisive = kind == "or"
        parts = [truth(part, sight) for part in node[1:]]
        return decisive if decisive in parts else None if None in parts else not decisive
    if kind == "null":
        return value_of(node[1], sight) is None
    value = value_of(node[1], sight)
    if kind == "in":
        return member(value, node[2], False)
    if kind == "in_viewer":
        values = sight.viewer(node[2])
        return None if values is None else member(value, values, node[2] in IDENTITIES)
    if kind == "in_some":
        own = sight.viewer(node[2])
        same = compare("=", fold(value), fold(own)) if node[2] in IDENTITIES else compare("=", value, own)
        beside = member(value, node[3], False)
        return True if True in (same, beside) else None if None in (same, beside) else False
    if kind == "in_query":
        return member(value, sight.selected(*node[2:]), node[1][0] == "viewer" and node[1][1] in IDENTITIES)
    if kind == "between":
        return both(compare(">=", value, value_of(node[2], sight)), compare("<=", value, value_of(node[3], sight)))
    if kind == "like":
        pattern = re.escape(node[2]).replace("%", ".*").replace("_", ".")
        return None if value is None else re.fullmatch(pattern, value, re.DOTALL) is not None
    other = value_of(node[2], sight)
    if kind in ("=", "<>") and any(side[0] == "viewer" and side[1] in IDENTITIES for side in node[1:]):
        value, other = fold(value), fold(other)
    return compare(kind, value, other)


def both(left: bool | None, right: bool | None) -> bool | None:
    return False if False in (left, right) else None if None in (left, right) else True


def member(value: Any, values: Any, identity: bool) -> bool | None:
    items = list(values)
    if not items:
        return False
    if value is None:
        return None
    if identity:
        value, items = fold(value), [fold(item) for item in items]
    return True if value in [item for item in items if item is not None] else None if None in items else False


def compare(sign: str, left: Any, right: Any) -> bool | None:
    if left is None or right is None:
        return None
    tests: dict[str, Callable[[], bool]] = {
        "=": lambda: left == right,
        "<>": lambda: left != right,
        "<": lambda: left < right,
        "<=": lambda: left <= right,
        ">": lambda: left > right,
        ">=": lambda: left >= right,
    }
    return bool(tests[sign]())


def columns_of(node: Node | None) -> set[str]:
    """The columns a condition reads, those of inner queries left out."""
    if node is None:
        return set()
    if node[0] == "col":
        return {node[1]}
    parts = node[1:2] if node[0] == "in_query" else node[1:]
    return set().union(*(columns_of(part) for part in parts if isinstance(part, tuple)), set())


def queried(node: Node | None) -> set[str]:
    """The tables that inner queries of a condition read."""
    if node is None:
        return set()
    own = {node[2]} | queried(node[4]) if node[0] == "in_query" else set()
    return own.union(*(queried(part) for part in node[1:] if isinstance(part, tuple) and part), set())


def text(node: Node) -> str:
    """The node in the language of the core."""
    kind = node[0]
    if kind == "col":
        return str(node[1])
    if kind == "lit":
        return literal(node[1])
    if kind == "viewer":
        return f"viewer.{node[1]}"
    if kind == "coalesce":
        return f"COALESCE({text(node[1])}, {text(node[2])})"
    if kind in ("and", "or"):
        return "(" + f" {kind.upper()} ".join(text(part) for part in node[1:]) + ")"
    if kind == "not":
        return f"NOT ({text(node[1])})"
    left = text(node[1])
    if kind == "null":
        return f"{left} IS NULL"
    if kind == "in":
        return f"{left} IN ({', '.join(literal(value) for value in node[2])})"
    if kind == "in_viewer":
        return f"{left} IN viewer.{node[2]}"
    if kind == "in_some":
        return f"{left} IN (viewer.{node[2]}, {', '.join(literal(value) for value in node[3])})"
    if kind == "in_query":
        where = f" WHERE {text(node[4])}" if node[4] is not None else ""
        return f"{left} IN (SELECT {node[3]} FROM {node[2]}{where})"
    if kind == "between":
        return f"{left} BETWEEN {text(node[2])} AND {text(node[3])}"
    if kind == "like":
        return f"{left} LIKE {literal(node[2])}"
    return f"({left} {kind} {text(node[2])})" if kind in ("+", "||") else f"{left} {kind} {text(node[2])}"


def literal(value: Any) -> str:
    if value is None:
        return "NULL"
    if isinstance(value, datetime.date):
        return f"DATE '{value.isoformat()}'"
    return "'" + value.replace("'", "''") + "'" if isinstance(value, str) else repr(value)
