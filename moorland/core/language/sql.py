"""Checked conditions as SQL expressions of a dialect; values of viewers are bound, never written (semantics.md 4).

What a dialect cannot say with the same meaning raises NotInSql.
"""

import datetime
from collections.abc import Callable
from typing import Any

from sqlglot import exp

from moorland.core.bundle.structure import identity
from moorland.core.bundle.values import type_of_value
from moorland.core.language import tree
from moorland.core.language.dialects import Dialect
from moorland.core.language.sql_parts import NotInSql, cast, function, is_null, number, text

#: A statement grows with what guards each step against overflow; an expression that would be longer than so many parts is refused.
MOST_PARTS = 20_000

_COMPARISONS = {"=": exp.EQ, "<>": exp.NEQ, "<": exp.LT, "<=": exp.LTE, ">": exp.GT, ">=": exp.GTE}


class Parameters:
    """The values bound to a statement, by name."""

    def __init__(self, dialect: Dialect) -> None:
        self.dialect = dialect
        self.values: dict[str, Any] = {}
        #: By name the type of each value, by 1.1; an engine may keep another form of it.
        self.types: dict[str, str] = {}

    def bind(self, value: Any) -> exp.Expression:
        """A placeholder for a value, in the form the dialect keeps it."""
        if value is None:
            return exp.Null()
        name = f"p{len(self.values) + 1}"
        self.values[name] = self.dialect.stored(value)
        self.types[name] = type_of_value(value)
        return exp.Placeholder(this=name)


class Rendering:
    """Renders expressions for one viewer. `cell` gives a column's SQL, `inner` the rows of an inner query's table under an alias."""

    def __init__(
        self,
        dialect: Dialect,
        parameters: Parameters,
        as_of: datetime.date,
        viewer_values: Callable[[str], tuple[Any, ...] | None],
        cell: Callable[[str, str], exp.Expression],
        inner: Callable[[tree.InnerQuery], exp.Expression],
        aggregate: Callable[[tree.Aggregate], exp.Expression] | None = None,
    ) -> None:
        self.dialect, self.parameters, self.as_of = dialect, parameters, as_of
        self.viewer_values, self.cell, self.inner, self.aggregate = viewer_values, cell, inner, aggregate
        self._parts: dict[int, tuple[exp.Expression, int]] = {}

    def of(self, node: tree.Node) -> exp.Expression:
        """The SQL of a checked node."""
        method = getattr(self, f"of_{type(node).__name__.lower()}", None)
        if method is None:
            raise NotInSql(f"{type(node).__name__} is not answered in SQL yet")
        result: exp.Expression = method(node)
        if self._size(result) > MOST_PARTS:
            raise NotInSql("an expression nested so deep would make a statement too long to answer in SQL")
        return result

    def _size(self, whole: exp.Expression) -> int:
        """Of how many parts an expression is written, those that stand in it several times counted each time."""
        known = self._parts.get(id(whole))
        if known is None:
            known = self._parts[id(whole)] = (whole, 1 + sum(self._size(part) for part in whole.iter_expressions()))
        return known[1]

    def of_literal(self, node: tree.Literal) -> exp.Expression:
        value = node.value
        if value is None:
            return exp.Null()
        if isinstance(value, bool):
            return self.dialect.truth(value)
        if isinstance(value, str):
            return self.parameters.bind(value) if "%" in value else text(value)
        if isinstance(value, datetime.date):
            return self.dialect.day(value, str(node.type))
        return self.dialect.number(value)

    def of_currentdate(self, node: tree.CurrentDate) -> exp.Expression:
        return self.of_literal(tree.Literal(value=self.as_of, type="date"))

    def of_columnref(self, node: tree.ColumnRef) -> exp.Expression:
        return self.cell(node.table, node.column)

    def of_viewerref(self, node: tree.ViewerRef) -> exp.Expression:
        values = self.viewer_values(node.name)
        return self.parameters.bind(values[0]) if values else exp.Null()

    def of_aggregate(self, node: tree.Aggregate) -> exp.Expression:
        assert self.aggregate is not None
        return self.aggregate(node)

    def of_negative(self, node: tree.Negative) -> exp.Expression:
        return self._checked(exp.Neg(this=exp.Paren(this=self.of(node.operand))), node)

    def of_arithmetic(self, node: tree.Arithmetic) -> exp.Expression:
        if isinstance(node.right, tree.Interval):
            sign = 1 if node.operator == "+" else -1
            return self.dialect.moved(self.of(node.left), sign * node.right.count, node.right.unit, str(node.type))
        left, right = self.of(node.left), self.of(node.right)
        if node.operator == "||":
            return exp.Paren(this=exp.DPipe(this=left, expression=right))
        if node.operator == "/":
            double = self.dialect.types["number"]
            return exp.Paren(this=exp.Div(this=cast(left, double), expression=function("NULLIF", cast(right, double), number(0.0)), typed=True))
        kinds: dict[str, type[exp.Expression]] = {"+": exp.Add, "-": exp.Sub, "*": exp.Mul}
        return self._checked(kinds[node.operator](this=left, expression=right), node)

    def _checked(self, whole: exp.Expression, node: tree.Node) -> exp.Expression:
        """Arithmetic on whole numbers that gives null beyond 64 bits (1.4)."""
        if node.type != "integer":
            return exp.Paren(this=whole)
        return exp.Case(ifs=[exp.If(this=self.dialect.fits(whole), true=whole)])

    def of_comparison(self, node: tree.Comparison) -> exp.Expression:
        left, right = self._side(node.left, node.identity), self._side(node.right, node.identity)
        if node.operator not in ("=", "<>"):
            left, right = self._by_code_point(left, node.left), self._by_code_point(right, node.right)
        return exp.Paren(this=_COMPARISONS[node.operator](this=left, expression=right))

    def _by_code_point(self, side: exp.Expression, node: tree.Node) -> exp.Expression:
        """Texts compare by code point (1.3)."""
        return self.dialect.by_code_point(side) if node.type == "text" else side

    def _side(self, node: tree.Node, folded: bool) -> exp.Expression:
        """One side of a comparison; of identities, without letter case and surrounding spaces (4.5)."""
        if not folded:
            return self.of(node)
        if isinstance(node, tree.ViewerRef):
            values = self.viewer_values(node.name)
            return self.parameters.bind(identity(values[0])) if values else exp.Null()
        return function("LOWER", function("TRIM", self.of(node)))

    def of_and(self, node: tree.And) -> exp.Expression:
        return exp.Paren(this=exp.and_(*(self.of(item) for item in node.items), copy=False))

    def of_or(self, node: tree.Or) -> exp.Expression:
        return exp.Paren(this=exp.or_(*(self.of(item) for item in node.items), copy=False))

    def of_not(self, node: tree.Not) -> exp.Expression:
        return exp.Not(this=exp.Paren(this=self.of(node.operand)))

    def of_isnull(self, node: tree.IsNull) -> exp.Expression:
        found = exp.Paren(this=exp.Is(this=self.of(node.operand), expression=exp.Null()))
        return exp.Not(this=found) if node.negated else found

    def of_isin(self, node: tree.IsIn) -> exp.Expression:
        operand = self._side(node.operand, node.identity)
        first = node.items[0]
        if isinstance(first, tree.InnerQuery):
            selected = self.inner(first)
            if node.identity:
                selected.set("expressions", [function("LOWER", function("TRIM", selected.expressions[0]))])
            found: exp.Expression = exp.In(this=operand, query=exp.Subquery(this=selected))
        elif isinstance(first, tree.ViewerRef) and first.many:
            values = self.viewer_values(first.name)
            if values is None:
                return exp.Null()
            if not values:
                return self.dialect.truth(node.negated)
            folded = [identity(value) if node.identity else value for value in values]
            found = exp.In(this=operand, expressions=[self.parameters.bind(value) for value in folded])
        else:
            found = exp.In(this=operand, expressions=[self._side(item, node.identity) for item in node.items])
        if node.exact:
            exact = exp.In(this=self._side(node.operand, folded=False), expressions=[self.of(item) for item in node.exact])
            found = exp.Or(this=found, expression=exact)
        found = exp.Paren(this=found)
        return exp.Not(this=found) if node.negated else found

    def of_between(self, node: tree.Between) -> exp.Expression:
        sides = [self._by_code_point(self.of(part), part) for part in (node.operand, node.low, node.high)]
        found = exp.Paren(this=exp.Between(this=sides[0], low=sides[1], high=sides[2]))
        return exp.Not(this=found) if node.negated else found

    def of_like(self, node: tree.Like) -> exp.Expression:
        found = exp.Paren(this=self._like(node))
        return exp.Not(this=found) if node.negated else found

    def _like(self, node: tree.Like) -> exp.Expression:
        operand, pattern, escape = self.of(node.operand), node.pattern, node.escape
        values: tuple[Any, ...] | None = (pattern.value,) if isinstance(pattern, tree.Literal) else None
        if isinstance(pattern, tree.ViewerRef):
            values = self.viewer_values(pattern.name) or (None,)
        if values is not None and (escape is None or isinstance(escape, tree.Literal)):
            sign = str(escape.value or "") if isinstance(escape, tree.Literal) else ""
            known = self.dialect.like_known(values[0], sign)
            if known is not None:
                return known[0](this=operand, expression=self.parameters.bind(known[1]))
        return self.dialect.like(operand, self.of(pattern), self.of(escape) if escape is not None else text(""))

    def of_case(self, node: tree.Case) -> exp.Expression:
        ifs = [exp.If(this=self.of(condition), true=self.of(result)) for condition, result in zip(node.conditions, node.results, strict=True)]
        return exp.Paren(this=exp.Case(ifs=ifs, default=self.of(node.otherwise) if node.otherwise is not None else None))

    def of_call(self, node: tree.Call) -> exp.Expression:
        parts = [self.of(argument) for argument in node.arguments]
        match node.function:
            case "CHAR_LENGTH":
                return function("LENGTH", *parts)
            case "COALESCE":
                return function("COALESCE", *parts) if len(parts) > 1 else exp.Paren(this=parts[0])
            case "SUBSTRING":
                return self._substring(parts)
            case "ROUND":
                return self._rounded(node, parts)
            case "LOWER" | "UPPER" | "TRIM" | "NULLIF" | "ABS":
                return function(node.function, *parts)
        raise NotInSql(f"{node.function} is not answered in SQL yet")

    def _substring(self, parts: list[exp.Expression]) -> exp.Expression:
        value, start = parts[0], parts[1]
        largest, least = self.dialect.greatest, self.dialect.least
        begin = function(largest, start, number(1))
        if len(parts) == 2:
            return self._unless_null(parts, function("SUBSTR", value, cast(begin, "INTEGER")))
        before = function(least, exp.Paren(this=exp.Sub(this=start, expression=number(1))), number(0))
        length = function(largest, exp.Paren(this=exp.Add(this=parts[2], expression=before)), number(0))
        piece = function("SUBSTR", value, cast(begin, "INTEGER"), cast(length, "INTEGER"))
        return exp.Case(ifs=[exp.If(this=exp.GTE(this=parts[2], expression=number(0)), true=self._unless_null(parts, piece))])

    def _unless_null(self, parts: list[exp.Expression], whole: exp.Expression) -> exp.Expression:
        """A dialect may leave nulls out of the greatest and the least; a function of null is null."""
        null = exp.or_(*(is_null(part) for part in parts))
        return exp.Case(ifs=[exp.If(this=null, true=exp.Null())], default=whole)

    def _rounded(self, node: tree.Call, parts: list[exp.Expression]) -> exp.Expression:
        """Half away from zero."""
        if node.type == "integer" and len(parts) == 1:
            return parts[0]
        if len(parts) > 1 and not isinstance(node.arguments[1], tree.Literal):
            raise NotInSql("ROUND to a number of digits that is not written out is not answered in SQL yet")
        written = node.arguments[1].value if len(parts) > 1 and isinstance(node.arguments[1], tree.Literal) else 0
        digits = int(written) if isinstance(written, int) else 0
        if node.type == "integer" and digits >= 0:
            return parts[0]
        double = self.dialect.types["number"]
        value, scale = cast(parts[0], double), number(10.0**digits)
        scaled = exp.Paren(this=exp.Add(this=exp.Mul(this=function("ABS", value), expression=scale), expression=number(0.5)))
        down = self.dialect.floor(scaled)
        signed = exp.Case(ifs=[exp.If(this=exp.LT(this=value, expression=number(0)), true=number(-1.0))], default=number(1.0))
        result = exp.Paren(this=exp.Div(this=exp.Mul(this=exp.Paren(this=signed), expression=down), expression=scale, typed=True))
        return cast(result, self.dialect.types["integer"]) if node.type == "integer" else result

    def of_extract(self, node: tree.Extract) -> exp.Expression:
        return self.dialect.extract(node.part, self.of(node.operand))

    def of_cast(self, node: tree.Cast) -> exp.Expression:
        operand, source = self.of(node.operand), str(node.operand.type)
        if source == node.to:
            return operand
        types = self.dialect.types
        match source, node.to:
            case "null", _:
                return self.dialect.null(node.to)
            case "number", "integer":
                half = exp.Paren(this=exp.Add(this=function("ABS", operand), expression=number(0.5)))
                sign = exp.Paren(this=exp.Case(ifs=[exp.If(this=exp.LT(this=operand, expression=number(0)), true=number(-1))], default=number(1)))
                fits = exp.LT(this=function("ABS", operand), expression=number(9.2e18))
                return exp.Case(ifs=[exp.If(this=fits, true=exp.Mul(this=sign, expression=cast(self.dialect.floor(half), types["integer"])))])
            case ("integer", "number") | ("integer", "text"):
                return cast(operand, types[node.to])
            case "date", "text":
                return self.dialect.day_text(operand)
            case "boolean", "text":
                true = exp.If(this=self.dialect.is_true(operand), true=text("true"))
                return exp.Case(ifs=[exp.If(this=is_null(operand), true=exp.Null()), true], default=text("false"))
        raise NotInSql(f"CAST from {source} to {node.to} is not answered in SQL yet")
