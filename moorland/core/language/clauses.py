"""Conditions as groups of clauses, so that they can be edited without typing."""

import datetime
from typing import Annotated, Any, Literal

from pydantic import Field

from moorland.core.bundle.shape import Shape
from moorland.core.language import tree
from moorland.core.language.errors import ConditionError
from moorland.core.language.parser import parse

ClauseKind = Literal["values", "viewer", "range", "blank", "pattern", "has", "text"]


class Clause(Shape):
    """One comparison of a column, of a property of the page (table `page`) or of the viewer (table `viewer`).

    `values` are as they stand in JSON; `low` and `high` are the included ends of a range, None where it is open. A `has` is
    a value in a set (`'treasury' IN viewer.groups`); a `text` says more than these kinds can. `text` is how it is written.
    """

    table: str
    column: str
    type: str
    kind: ClauseKind
    negated: bool
    values: list[Any] = Field(default_factory=list)
    viewer: str | None = None
    many: bool = False
    low: Any = None
    high: Any = None
    text: str


class Group(Shape):
    """Clauses and groups joined by AND or by OR; negated, none of it may be true."""

    joined: Literal["and", "or"]
    negated: bool = False
    parts: Annotated[list["Clause | Group"], Field(default_factory=list)]


def grouped_clauses(node: tree.Node, text: str) -> Group:
    """A checked condition as a group; every part is text that reads back as the same part of the condition."""
    group = _group(node, text)
    return group if isinstance(group, Group) else Group(joined="and", parts=[group])


def _group(node: tree.Node, text: str) -> Clause | Group:
    if isinstance(node, tree.And | tree.Or):
        return Group(joined="and" if isinstance(node, tree.And) else "or", parts=[_group(item, text) for item in node.items])
    if isinstance(node, tree.Not) and isinstance(node.operand, tree.And | tree.Or):
        inner = _group(node.operand, text)
        assert isinstance(inner, Group)
        return inner.model_copy(update={"negated": True})
    written = _written(node, text)
    clause = _clause(node, written)
    return clause or Clause(table="", column="", type="", kind="text", negated=False, text=written)


def _written(node: tree.Node, text: str) -> str:
    start, end = place_of(node, text)
    return text[start:end]


def place_of(node: tree.Node, text: str) -> tuple[int, int]:
    """The part of the text that a node stands for: brackets that belong to it, but were left out of its place, are taken in."""
    start, end = node.start, node.end
    while True:
        try:
            parse(text[start:end])
        except ConditionError:
            before, after = text[:start].rstrip(), text[end:].lstrip()
            opens, closes = before.endswith("("), after.startswith(")")
            if not opens and not closes:
                return 0, len(text)
            if opens:
                start = len(before) - 1
            if closes:
                end = len(text) - len(after) + 1
        else:
            return start, end


def _clause(node: tree.Node, text: str) -> Clause | None:
    if isinstance(node, tree.IsIn):
        return _membership(node, text)
    if isinstance(node, tree.IsNull):
        return _made(node.operand, "blank", node.negated, text)
    if isinstance(node, tree.Between) and not node.negated and _valued(node.low) and _valued(node.high):
        return _made(node.operand, "range", False, text, low=_plain(node.low), high=_plain(node.high))
    if isinstance(node, tree.Like) and node.escape is None and _valued(node.pattern):
        return _made(node.operand, "pattern", node.negated, text, values=[_plain(node.pattern)])
    if isinstance(node, tree.Comparison):
        return _comparison(node, text)
    if isinstance(node, tree.ColumnRef) and node.type == "boolean":
        return _made(node, "values", False, text, values=[True])
    return None


def _membership(node: tree.IsIn, text: str) -> Clause | None:
    first = node.items[0]
    if node.exact:
        return None
    if len(node.items) == 1 and isinstance(first, tree.ViewerRef | tree.PageRef) and first.many:
        if isinstance(node.operand, tree.Literal) and _valued(node.operand):
            return _made(first, "has", node.negated, text, values=[_plain(node.operand)])
        return _made(node.operand, "viewer", node.negated, text, viewer=first.name, many=True) if isinstance(first, tree.ViewerRef) else None
    if all(_valued(item) for item in node.items):
        return _made(node.operand, "values", node.negated, text, values=[_plain(item) for item in node.items])
    return None


def _comparison(node: tree.Comparison, text: str) -> Clause | None:
    right = node.right
    if node.operator in ("=", "<>") and isinstance(right, tree.ViewerRef):
        return _made(node.left, "viewer", node.operator == "<>", text, viewer=right.name)
    if not _valued(right):
        return None
    if node.operator in ("=", "<>"):
        return _made(node.left, "values", node.operator == "<>", text, values=[_plain(right)])
    if node.operator in (">=", "<="):
        return _made(node.left, "range", False, text, **{"low" if node.operator == ">=" else "high": _plain(right)})
    return None


def _made(subject: tree.Node, kind: ClauseKind, negated: bool, text: str, **more: Any) -> Clause | None:
    """The clause about a column, a property of the page or of the viewer; None where the subject is anything else."""
    if isinstance(subject, tree.ColumnRef):
        table, column = subject.table, subject.column
    elif isinstance(subject, tree.PageRef | tree.ViewerRef):
        table, column = "page" if isinstance(subject, tree.PageRef) else "viewer", subject.name
    else:
        return None
    return Clause(table=table, column=column, type=str(subject.type), kind=kind, negated=negated, text=text, **more)


def _valued(node: tree.Node) -> bool:
    return isinstance(node, tree.Literal) and node.value is not None


def _plain(node: tree.Node) -> Any:
    value = node.value if isinstance(node, tree.Literal) else None
    return value.isoformat() if isinstance(value, datetime.date) else value
