"""Simple conditions as a list of clauses joined by AND, so that they can be edited without typing."""

import datetime
from typing import Any, Literal

from moorland.core.bundle.shape import Shape
from moorland.core.language import tree


class Clause(Shape):
    """One comparison of a column: with values, with a viewer attribute, with a range, or with blank.

    `values` are as they stand in JSON; `low` and `high` are the included ends of a range, None where it is open.
    """

    table: str
    column: str
    type: str
    kind: Literal["values", "viewer", "range", "blank"]
    negated: bool
    values: list[Any]
    viewer: str | None = None
    many: bool = False
    low: Any = None
    high: Any = None


def simple_clauses(node: tree.Node) -> list[Clause] | None:
    """The clauses of a checked condition, or None where it says more than clauses can."""
    parts = node.items if isinstance(node, tree.And) else (node,)
    clauses = [_clause(part) for part in parts]
    return [clause for clause in clauses if clause is not None] if all(clauses) else None


def _clause(node: tree.Node) -> Clause | None:
    if isinstance(node, tree.IsIn) and isinstance(node.operand, tree.ColumnRef):
        first = node.items[0]
        if isinstance(first, tree.ViewerRef) and len(node.items) == 1:
            return _made(node.operand, "viewer", node.negated, viewer=first.name, many=first.many)
        if all(isinstance(item, tree.Literal) and item.value is not None for item in node.items):
            return _made(node.operand, "values", node.negated, values=[_plain(item) for item in node.items])
    if isinstance(node, tree.IsNull) and isinstance(node.operand, tree.ColumnRef):
        return _made(node.operand, "blank", node.negated)
    if isinstance(node, tree.Between) and isinstance(node.operand, tree.ColumnRef) and not node.negated:
        low, high = node.low, node.high
        plain = isinstance(low, tree.Literal) and isinstance(high, tree.Literal) and None not in (low.value, high.value)
        return _made(node.operand, "range", False, low=_plain(low), high=_plain(high)) if plain else None
    if isinstance(node, tree.Comparison) and isinstance(node.left, tree.ColumnRef):
        right = node.right
        if node.operator in ("=", "<>") and isinstance(right, tree.ViewerRef):
            return _made(node.left, "viewer", node.operator == "<>", viewer=right.name)
        if isinstance(right, tree.Literal) and right.value is not None:
            if node.operator in ("=", "<>"):
                return _made(node.left, "values", node.operator == "<>", values=[_plain(right)])
            if node.operator in (">=", "<="):
                return _made(node.left, "range", False, **{"low" if node.operator == ">=" else "high": _plain(right)})
    return None


def _made(column: tree.ColumnRef, kind: Literal["values", "viewer", "range", "blank"], negated: bool, **more: Any) -> Clause:
    return Clause(table=column.table, column=column.column, type=str(column.type), kind=kind, negated=negated, values=more.pop("values", []), **more)


def _plain(node: tree.Node) -> Any:
    value = node.value if isinstance(node, tree.Literal) else None
    return value.isoformat() if isinstance(value, datetime.date) else value
