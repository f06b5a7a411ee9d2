"""The tree of a condition or measure: what the parser makes, what the checker types, what evaluation reads."""

import datetime
from collections.abc import Iterator
from dataclasses import dataclass, fields, replace
from typing import Any

from moorland.core.bundle.shape import ValueType

#: The type of an expression; `null` is the bare literal, `interval` stands only beside a date.
ExpressionType = ValueType | str


@dataclass(frozen=True, kw_only=True)
class Node:
    """An expression with its place in the text (start, end) and, once checked, its type."""

    start: int = 0
    end: int = 0
    type: ExpressionType = ""

    def children(self) -> Iterator["Node"]:
        """The expressions directly inside this one, left to right."""
        for name in _parts(self.__class__):
            value = getattr(self, name)
            for item in value if isinstance(value, tuple) else (value,):
                if isinstance(item, Node):
                    yield item

    def walk(self) -> Iterator["Node"]:
        """This expression and everything inside it."""
        yield self
        for child in self.children():
            yield from child.walk()


def _parts(kind: type[Node]) -> tuple[str, ...]:
    """The fields of a kind of expression that may hold others."""
    if kind not in _known_parts:
        _known_parts[kind] = tuple(field.name for field in fields(kind) if field.name not in ("start", "end", "type"))
    return _known_parts[kind]


_known_parts: dict[type[Node], tuple[str, ...]] = {}


@dataclass(frozen=True, kw_only=True)
class Literal(Node):
    value: bool | int | float | str | datetime.date | None


@dataclass(frozen=True, kw_only=True)
class Interval(Node):
    count: int
    unit: str


@dataclass(frozen=True, kw_only=True)
class CurrentDate(Node):
    pass


@dataclass(frozen=True, kw_only=True)
class Name(Node):
    """A name as written, before checking: `column`, or `qualifier.column`."""

    qualifier: str | None
    name: str


@dataclass(frozen=True, kw_only=True)
class ColumnRef(Node):
    table: str
    column: str


@dataclass(frozen=True, kw_only=True)
class ViewerRef(Node):
    """A value of the viewer (4.4)."""

    name: str
    many: bool


@dataclass(frozen=True, kw_only=True)
class PageRef(Node):
    """A property of a page, in pages sentences (5.9)."""

    name: str
    many: bool


@dataclass(frozen=True, kw_only=True)
class MeasureRef(Node):
    name: str


@dataclass(frozen=True, kw_only=True)
class Negative(Node):
    operand: Node


@dataclass(frozen=True, kw_only=True)
class Arithmetic(Node):
    operator: str
    left: Node
    right: Node


@dataclass(frozen=True, kw_only=True)
class Comparison(Node):
    """`identity` comparisons ignore letter case and surrounding spaces (4.5)."""

    operator: str
    left: Node
    right: Node
    identity: bool = False


@dataclass(frozen=True, kw_only=True)
class And(Node):
    items: tuple[Node, ...]


@dataclass(frozen=True, kw_only=True)
class Or(Node):
    items: tuple[Node, ...]


@dataclass(frozen=True, kw_only=True)
class Not(Node):
    operand: Node


@dataclass(frozen=True, kw_only=True)
class InnerQuery(Node):
    """`SELECT column FROM table WHERE where`, read whole and without security (4.6).

    What it reads is no part of the expression around it: `walk` does not enter it.
    """

    table: str
    column: Node
    where: Node | None = None

    def children(self) -> Iterator[Node]:
        return iter(())


@dataclass(frozen=True, kw_only=True)
class IsIn(Node):
    """`operand IN (items)`, or `operand IN viewer.many` or an inner query, where `items` is that one.

    Beside identities, `exact` holds the items of the list that are none: they compare exactly (4.5).
    """

    operand: Node
    items: tuple[Node, ...]
    exact: tuple[Node, ...] = ()
    negated: bool = False
    identity: bool = False


@dataclass(frozen=True, kw_only=True)
class Between(Node):
    operand: Node
    low: Node
    high: Node
    negated: bool = False


@dataclass(frozen=True, kw_only=True)
class Like(Node):
    operand: Node
    pattern: Node
    escape: Node | None = None
    negated: bool = False


@dataclass(frozen=True, kw_only=True)
class IsNull(Node):
    operand: Node
    negated: bool = False


@dataclass(frozen=True, kw_only=True)
class Case(Node):
    """`CASE WHEN … THEN … ELSE … END`; conditions and results have the same length."""

    conditions: tuple[Node, ...]
    results: tuple[Node, ...]
    otherwise: Node | None = None


@dataclass(frozen=True, kw_only=True)
class Call(Node):
    function: str
    arguments: tuple[Node, ...]


@dataclass(frozen=True, kw_only=True)
class Extract(Node):
    part: str
    operand: Node


@dataclass(frozen=True, kw_only=True)
class Cast(Node):
    operand: Node
    to: ValueType


@dataclass(frozen=True, kw_only=True)
class Aggregate(Node):
    """`SUM(x)` and the like; `argument` is None for `COUNT(*)`. Once checked, `table` is whose rows it counts."""

    function: str
    argument: Node | None
    distinct: bool = False
    table: str = ""


def bare(node: Node) -> Node:
    """The node without its places in the text, so that equal expressions are equal."""
    changes: dict[str, Any] = {"start": 0, "end": 0}
    for name, value in vars(node).items():
        if isinstance(value, Node):
            changes[name] = bare(value)
        elif isinstance(value, tuple):
            changes[name] = tuple(bare(item) if isinstance(item, Node) else item for item in value)
    return replace(node, **changes)


def columns_read(node: Node) -> frozenset[tuple[str, str]]:
    """The (table, column) pairs an expression reads."""
    return frozenset((item.table, item.column) for item in node.walk() if isinstance(item, ColumnRef))


def inner_queries(node: Node) -> list[InnerQuery]:
    """The inner queries of an expression, those inside one another included."""
    found = [item for item in node.walk() if isinstance(item, InnerQuery)]
    return [*found, *(deeper for query in found if query.where for deeper in inner_queries(query.where))]


def viewer_values_read(node: Node) -> frozenset[str]:
    """The names of `viewer.` an expression reads, in inner queries too."""
    parts = [node, *(query.where for query in inner_queries(node) if query.where)]
    return frozenset(item.name for part in parts for item in part.walk() if isinstance(item, ViewerRef))
