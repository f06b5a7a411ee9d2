"""Checks and types a tree against a scope: what may be named, and which types go together (semantics.md 1.3, 4)."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

from moorland.core.bundle.people import AttributeDefinition
from moorland.core.bundle.problems import nearest_name
from moorland.core.bundle.schema import Schema
from moorland.core.bundle.structure import VIEWER_MANY, VIEWER_SINGLE
from moorland.core.language import tree
from moorland.core.language.errors import ConditionError
from moorland.core.language.parser import parse
from moorland.core.language.types import check_call, check_cast, common_type, comparable, is_numeric

PAGE_NAMES = {"name": False, "shelf": False, "owner": False, "tags": True}
_IDENTITIES = ("login", "email", "mail_domain", "groups")


@dataclass(frozen=True)
class Scope:
    """What a condition may name.

    `table` is the sentence's table (bare names are its columns); with `anywhere` every table may be named, as in the
    filter of a totals question. `columns`, where given, are all that exists for the asker. With `aggregates` the
    expression is a measure's, and `measure` gives the checked tree of another measure it names. `inner` allows inner
    queries (4.6); inside one, `own_only` keeps to the columns of its one table.
    """

    schema: Schema | None = None
    table: str | None = None
    attributes: Mapping[str, AttributeDefinition] = field(default_factory=dict)
    viewer: bool = True
    viewer_roles: bool = True
    page: bool = False
    aggregates: bool = False
    anywhere: bool = False
    columns: frozenset[tuple[str, str]] | None = None
    measure: Callable[[tree.MeasureRef], tree.Node] | None = None
    inner: bool = False
    own_only: bool = False

    def within(self, query: tree.InnerQuery) -> "Scope":
        """What may be named inside an inner query: its table's columns, whole and without security, and the viewer as outside.

        Raises ConditionError where inner queries are not allowed, or there is no such table.
        """
        if not self.inner or self.schema is None:
            raise ConditionError("inner_query", "inner queries are not allowed here.", query.start, query.end)
        if query.table not in self.schema.tables:
            raise ConditionError("unknown_name", f"there is no table {query.table}.", query.start, query.end, nearest_name(query.table, self.schema.tables))
        return replace(self, table=query.table, own_only=True, columns=None, anywhere=False)

    def column_exists(self, table: str, column: str) -> bool:
        """Whether the column exists for the asker."""
        assert self.schema is not None
        return (table, column) in (self.schema.columns if self.columns is None else self.columns)

    def names(self, qualifier: str | None) -> list[str]:
        """The names that may follow a qualifier (None: bare names and qualifiers) and exist for the asker."""
        if qualifier == "viewer":
            single_many = [*VIEWER_SINGLE, *VIEWER_MANY] if self.viewer else []
            return [name for name in [*single_many, *(self.attributes if self.viewer else ())] if self.viewer_roles or name != "roles"]
        if qualifier == "page":
            return list(PAGE_NAMES) if self.page else []
        if self.schema is None:
            return []
        if qualifier == "measure":
            return list(self.schema.measures) if self.aggregates else []
        columns = self.schema.columns if self.columns is None else self.columns
        return [column for table, column in columns if table == (self.table if qualifier is None else qualifier)]

    def qualified_names(self) -> list[str]:
        """Every `table.column` that may be named here and exists for the asker."""
        if self.schema is None:
            return []
        columns = self.schema.columns if self.columns is None else self.columns
        reachable = {name for name in self.schema.tables if self.anywhere or self.table is None or self.schema.reaches(self.table, name)}
        return [f"{table}.{column}" for table, column in columns if table in reachable]


def check_condition(text: str, scope: Scope) -> tree.Node:
    """The typed tree of a search condition.

    Raises ConditionError: names first, then reachability and types (7.6).
    """
    checked = check_expression(text, scope)
    if checked.type not in ("boolean", "null"):
        raise ConditionError("type", f"a condition is true or false, but this is {checked.type}.", checked.start, checked.end)
    return checked


def check_expression(text: str, scope: Scope) -> tree.Node:
    """The typed tree of any expression in the scope. Raises ConditionError as `check_condition` does."""
    return check_parsed(parse(text), scope)


def check_parsed(parsed: tree.Node, scope: Scope) -> tree.Node:
    """The same of an expression that was parsed already."""
    check_names(parsed, scope)
    return _Checker(scope).check(parsed)


def check_names(parsed: tree.Node, scope: Scope) -> None:
    """Raises ConditionError (`unknown_name`) for the first name that stands for nothing in the scope, and for nothing else but inner queries."""
    _find_all(parsed, scope)


def _find_all(parsed: tree.Node, scope: Scope) -> None:
    """Raises ConditionError for the first name that stands for nothing, inner queries included."""
    for node in parsed.walk():
        if isinstance(node, tree.Name):
            _find(node, scope)
        elif isinstance(node, tree.InnerQuery):
            within = scope.within(node)
            _find_all(node.column, within)
            if node.where is not None:
                _find_all(node.where, within)


def _find(node: tree.Name, scope: Scope) -> tree.Node:
    """The reference a name stands for; ConditionError `unknown_name` where there is none for the asker."""
    place = {"start": node.start, "end": node.end}
    if node.qualifier == "viewer":
        if node.name in scope.names("viewer"):
            if node.name in VIEWER_SINGLE or node.name in VIEWER_MANY:
                return tree.ViewerRef(name=node.name, many=node.name in VIEWER_MANY, type="text", **place)
            definition = scope.attributes[node.name]
            return tree.ViewerRef(name=node.name, many=definition.multiple, type=definition.type, **place)
    elif node.qualifier == "page" and scope.page:
        if node.name in PAGE_NAMES:
            return tree.PageRef(name=node.name, many=PAGE_NAMES[node.name], type="text", **place)
    elif node.qualifier == "measure" and scope.aggregates:
        assert scope.schema is not None
        if node.name in scope.schema.measures:
            return tree.MeasureRef(name=node.name, start=node.start, end=node.end)
    elif scope.schema is not None:
        table = node.qualifier if node.qualifier is not None else scope.table
        if table is not None and scope.column_exists(table, node.name):
            return tree.ColumnRef(table=table, column=node.name, type=scope.schema.columns[table, node.name].type, **place)
    written = f"{node.qualifier}.{node.name}" if node.qualifier else node.name
    raise ConditionError("unknown_name", f"there is nothing named {written} here.", node.start, node.end, _nearest(node, scope))


def _nearest(node: tree.Name, scope: Scope) -> str | None:
    found = nearest_name(node.name, scope.names(node.qualifier))
    if found is not None:
        return f"{node.qualifier}.{found}" if node.qualifier else found
    qualified = scope.qualified_names() + [f"viewer.{name}" for name in scope.names("viewer")]
    if node.qualifier is None:
        by_column = {name.partition(".")[2]: name for name in qualified}
        close = nearest_name(node.name, by_column)
        return by_column[close] if close else None
    return nearest_name(f"{node.qualifier}.{node.name}", qualified)


class _Checker:
    """One pass over the tree, leaves first; returns the same tree typed and with names resolved."""

    def __init__(self, scope: Scope) -> None:
        self.scope = scope
        self.inside_aggregate = False

    def check(self, node: tree.Node) -> tree.Node:
        method = getattr(self, f"check_{type(node).__name__.lower()}")
        checked: tree.Node = method(node)
        return checked

    def value(self, node: tree.Node) -> tree.Node:
        """A checked expression that has one value."""
        return self.single(self.check(node), node)

    def single(self, checked: tree.Node, node: tree.Node) -> tree.Node:
        """What was checked already, where it has one value."""
        if isinstance(checked, tree.ViewerRef | tree.PageRef) and checked.many:
            name = f"{'viewer' if isinstance(checked, tree.ViewerRef) else 'page'}.{checked.name}"
            raise ConditionError("many", f"{name} holds many values; write … IN {name}.", node.start, node.end)
        if checked.type == "interval":
            raise ConditionError("type", "an interval stands only after a date and + or -.", node.start, node.end)
        return checked

    def condition(self, node: tree.Node) -> tree.Node:
        checked = self.value(node)
        if checked.type not in ("boolean", "null"):
            raise ConditionError("type", f"true or false is expected here, but this is {checked.type}.", node.start, node.end)
        return checked

    def pair(self, left: tree.Node, right: tree.Node, sign: str) -> None:
        if not comparable(str(left.type), str(right.type), sign in ("=", "<>", "IN")):
            raise ConditionError("type", f"{left.type} and {right.type} cannot be compared with {sign}.", left.start, right.end)

    def check_literal(self, node: tree.Literal) -> tree.Node:
        kind = {bool: "boolean", int: "integer", float: "number", str: "text", type(None): "null"}.get(type(node.value))
        return replace(node, type=kind or ("timestamp" if hasattr(node.value, "hour") else "date"))

    def check_interval(self, node: tree.Interval) -> tree.Node:
        return replace(node, type="interval")

    def check_currentdate(self, node: tree.CurrentDate) -> tree.Node:
        return replace(node, type="date")

    def check_name(self, node: tree.Name) -> tree.Node:
        found = _find(node, self.scope)
        schema = self.scope.schema
        if isinstance(found, tree.MeasureRef):
            return self.check_measureref(found)
        if isinstance(found, tree.ColumnRef) and schema is not None:
            table = self.scope.table
            if self.scope.own_only and found.table != table:
                raise ConditionError("unreachable", f"an inner query reads one table, {table}, and nothing of {found.table}.", node.start, node.end)
            if table is not None and not self.scope.anywhere and not schema.reaches(table, found.table):
                raise ConditionError("unreachable", f"{found.table} is not a lookup of {table}.", node.start, node.end)
            if self.scope.aggregates and not self.inside_aggregate:
                raise ConditionError("aggregate", "a measure reads columns only inside SUM, AVG, MIN, MAX or COUNT.", node.start, node.end)
        return found

    def check_negative(self, node: tree.Negative) -> tree.Node:
        operand = self.value(node.operand)
        if not is_numeric(str(operand.type)):
            raise ConditionError("type", f"{operand.type} has no negative.", node.start, node.end)
        return replace(node, operand=operand, type="number" if operand.type == "null" else operand.type)

    def check_arithmetic(self, node: tree.Arithmetic) -> tree.Node:
        left, right = self.value(node.left), self.check(node.right)
        if right.type == "interval":
            if left.type not in ("date", "timestamp", "null") or node.operator not in ("+", "-"):
                raise ConditionError("type", "an interval is added to or taken from a date.", node.start, node.end)
            return replace(node, left=left, right=right, type=left.type)
        right = self.single(right, node.right)
        if node.operator == "||":
            if {str(left.type), str(right.type)} - {"text", "null"}:
                raise ConditionError("type", f"|| joins texts, not {left.type} and {right.type}; use CAST(… AS TEXT).", node.start, node.end)
            return replace(node, left=left, right=right, type="text")
        if not is_numeric(str(left.type)) or not is_numeric(str(right.type)):
            raise ConditionError("type", f"{node.operator} takes numbers, not {left.type} and {right.type}.", node.start, node.end)
        result = "number" if node.operator == "/" else common_type([str(left.type), str(right.type)])
        return replace(node, left=left, right=right, type="number" if result in (None, "null") else str(result))

    def check_comparison(self, node: tree.Comparison) -> tree.Node:
        left, right = self.value(node.left), self.value(node.right)
        self.pair(left, right, node.operator)
        identity = node.operator in ("=", "<>") and (_is_identity(left) or _is_identity(right))
        return replace(node, left=left, right=right, identity=identity, type="boolean")

    def check_and(self, node: tree.And) -> tree.Node:
        return replace(node, items=tuple(self.condition(item) for item in node.items), type="boolean")

    def check_or(self, node: tree.Or) -> tree.Node:
        return replace(node, items=tuple(self.condition(item) for item in node.items), type="boolean")

    def check_not(self, node: tree.Not) -> tree.Node:
        return replace(node, operand=self.condition(node.operand), type="boolean")

    def check_isin(self, node: tree.IsIn) -> tree.Node:
        operand = self.value(node.operand)
        first = self.check(node.items[0])
        if isinstance(first, tree.InnerQuery) or (isinstance(first, tree.ViewerRef | tree.PageRef) and first.many and len(node.items) == 1):
            items: tuple[tree.Node, ...] = (first,)
        else:
            items = (self.single(first, node.items[0]), *(self.value(item) for item in node.items[1:]))
        for item in items:
            self.pair(operand, item, "IN")
        whole = _is_identity(operand)
        own = tuple(item for item in items if whole or _is_identity(item))
        # Only the identities themselves compare without case; a literal beside them compares exactly (4.5).
        exact = tuple(item for item in items if item not in own) if own else ()
        return replace(node, operand=operand, items=own or items, exact=exact, identity=bool(own), type="boolean")

    def check_innerquery(self, node: tree.InnerQuery) -> tree.Node:
        inside = _Checker(self.scope.within(node))
        column = inside.value(node.column)
        if not isinstance(column, tree.ColumnRef):
            raise ConditionError("inner_query", "an inner query selects one column of its table.", node.column.start, node.column.end)
        where = inside.condition(node.where) if node.where is not None else None
        return replace(node, column=column, where=where, type=column.type)

    def check_between(self, node: tree.Between) -> tree.Node:
        operand, low, high = self.value(node.operand), self.value(node.low), self.value(node.high)
        self.pair(operand, low, "BETWEEN")
        self.pair(operand, high, "BETWEEN")
        return replace(node, operand=operand, low=low, high=high, type="boolean")

    def check_like(self, node: tree.Like) -> tree.Node:
        operand, pattern = self.value(node.operand), self.value(node.pattern)
        escape = self.value(node.escape) if node.escape else None
        if {str(part.type) for part in (operand, pattern, escape) if part} - {"text", "null"}:
            raise ConditionError("type", "LIKE compares texts.", node.start, node.end)
        if isinstance(escape, tree.Literal) and isinstance(escape.value, str) and len(escape.value) != 1:
            raise ConditionError("literal", "ESCAPE takes one character.", escape.start, escape.end)
        return replace(node, operand=operand, pattern=pattern, escape=escape, type="boolean")

    def check_isnull(self, node: tree.IsNull) -> tree.Node:
        return replace(node, operand=self.value(node.operand), type="boolean")

    def check_case(self, node: tree.Case) -> tree.Node:
        conditions = tuple(self.condition(item) for item in node.conditions)
        results = tuple(self.value(item) for item in node.results)
        otherwise = self.value(node.otherwise) if node.otherwise else None
        result = common_type([str(item.type) for item in (*results, otherwise) if item])
        if result is None:
            raise ConditionError("type", "the results of CASE have different types.", node.start, node.end)
        return replace(node, conditions=conditions, results=results, otherwise=otherwise, type=result)

    def check_call(self, node: tree.Call) -> tree.Node:
        arguments = tuple(self.value(item) for item in node.arguments)
        return replace(node, arguments=arguments, type=check_call(node, [str(item.type) for item in arguments]))

    def check_extract(self, node: tree.Extract) -> tree.Node:
        operand = self.value(node.operand)
        if operand.type not in ("date", "timestamp", "null"):
            raise ConditionError("type", f"EXTRACT takes a date, not {operand.type}.", node.start, node.end)
        return replace(node, operand=operand, type="integer")

    def check_cast(self, node: tree.Cast) -> tree.Node:
        operand = self.value(node.operand)
        check_cast(node, str(operand.type))
        return replace(node, operand=operand, type=node.to)

    def check_aggregate(self, node: tree.Aggregate) -> tree.Node:
        if not self.scope.aggregates:
            raise ConditionError("aggregate", f"{node.function} belongs in a measure, not in a condition.", node.start, node.end)
        if self.inside_aggregate:
            raise ConditionError("aggregate", "an aggregate cannot stand inside another.", node.start, node.end)
        self.inside_aggregate = True
        argument = self.value(node.argument) if node.argument else None
        self.inside_aggregate = False
        if argument is not None and node.function in ("SUM", "AVG") and not is_numeric(str(argument.type)):
            raise ConditionError("type", f"{node.function} takes numbers, not {argument.type}.", node.start, node.end)
        if argument is not None and node.function in ("MIN", "MAX") and argument.type == "boolean":
            raise ConditionError("type", f"{node.function} does not take true and false.", node.start, node.end)
        result = "integer" if node.function == "COUNT" else "number" if node.function == "AVG" or argument is None else argument.type
        return replace(node, argument=argument, table=self.scope.table or "", type=result)

    def check_measureref(self, node: tree.MeasureRef) -> tree.Node:
        if self.inside_aggregate or self.scope.measure is None:
            raise ConditionError("aggregate", "a measure cannot stand inside an aggregate.", node.start, node.end)
        return replace(self.scope.measure(node), start=node.start, end=node.end)


def _is_identity(node: tree.Node) -> bool:
    return isinstance(node, tree.ViewerRef) and node.name in _IDENTITIES
