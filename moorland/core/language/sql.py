"""Checked conditions as SQL expressions of SQLite or PostgreSQL; values of viewers are bound, never written (semantics.md 4).

What a dialect cannot say with the same meaning raises NotInSql.
"""

import datetime
from collections.abc import Callable
from typing import Any, Literal

from sqlglot import exp

from moorland.core.bundle.structure import identity
from moorland.core.language import tree
from moorland.core.language.functions import like_parts

Dialect = Literal["sqlite", "postgres"]
SQL_TYPES = {
    "sqlite": {"text": "TEXT", "integer": "INTEGER", "number": "REAL", "boolean": "INTEGER", "date": "TEXT", "timestamp": "TEXT"},
    "postgres": {"text": "TEXT", "integer": "BIGINT", "number": "DOUBLE PRECISION", "boolean": "BOOLEAN", "date": "DATE", "timestamp": "TIMESTAMP"},
}
_COMPARISONS = {"=": exp.EQ, "<>": exp.NEQ, "<": exp.LT, "<=": exp.LTE, ">": exp.GT, ">=": exp.GTE}
_LARGEST = 2**63


class NotInSql(Exception):
    """Says what cannot be answered in SQL yet."""


class Parameters:
    """The values bound to a statement, by name."""

    def __init__(self, dialect: Dialect) -> None:
        self.dialect = dialect
        self.values: dict[str, Any] = {}

    def bind(self, value: Any) -> exp.Expression:
        """A placeholder for a value, in the form the dialect keeps it."""
        if value is None:
            return exp.Null()
        name = f"p{len(self.values) + 1}"
        self.values[name] = stored_value(value, self.dialect)
        return exp.Placeholder(this=name)


def stored_value(value: Any, dialect: Dialect) -> Any:
    """A value as a dialect keeps it: SQLite has dates as ISO text and booleans as numbers."""
    if dialect == "sqlite":
        if isinstance(value, bool):
            return int(value)
        if isinstance(value, datetime.datetime):
            return value.isoformat(sep=" ")
        if isinstance(value, datetime.date):
            return value.isoformat()
    return value


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

    def of(self, node: tree.Node) -> exp.Expression:
        """The SQL of a checked node."""
        method = getattr(self, f"of_{type(node).__name__.lower()}", None)
        if method is None:
            raise NotInSql(f"{type(node).__name__} is not answered in SQL yet")
        result: exp.Expression = method(node)
        return result

    def of_literal(self, node: tree.Literal) -> exp.Expression:
        value = node.value
        if value is None:
            return exp.Null()
        if isinstance(value, bool):
            return exp.Boolean(this=value) if self.dialect == "postgres" else number(int(value))
        if isinstance(value, str):
            return self.parameters.bind(value) if "%" in value else text(value)
        if isinstance(value, datetime.date):
            written = text(str(stored_value(value, "sqlite")))
            return written if self.dialect == "sqlite" else cast(written, SQL_TYPES["postgres"][str(node.type)])
        return number(value)

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
            return self._moved(self.of(node.left), node, node.right)
        left, right = self.of(node.left), self.of(node.right)
        if node.operator == "||":
            return exp.Paren(this=exp.DPipe(this=left, expression=right))
        if node.operator == "/":
            double = SQL_TYPES[self.dialect]["number"]
            return exp.Paren(this=exp.Div(this=cast(left, double), expression=function("NULLIF", cast(right, double), number(0.0)), typed=True))
        kinds: dict[str, type[exp.Expression]] = {"+": exp.Add, "-": exp.Sub, "*": exp.Mul}
        return self._checked(kinds[node.operator](this=left, expression=right), node)

    def _checked(self, whole: exp.Expression, node: tree.Node) -> exp.Expression:
        """Arithmetic on whole numbers that gives null beyond 64 bits (1.4)."""
        if node.type != "integer":
            return exp.Paren(this=whole)
        if self.dialect == "sqlite":
            fits: exp.Expression = exp.EQ(this=function("TYPEOF", whole.copy()), expression=text("integer"))
        else:
            wide = whole.copy().transform(lambda part: part)
            for side in ("this", "expression"):
                if wide.args.get(side) is not None:
                    wide.set(side, cast(wide.args[side], "NUMERIC"))
            fits = exp.Between(this=exp.Paren(this=wide), low=number(-_LARGEST), high=number(_LARGEST - 1))
        return exp.Case(ifs=[exp.If(this=fits, true=whole)])

    def _moved(self, moment: exp.Expression, node: tree.Arithmetic, interval: tree.Interval) -> exp.Expression:
        """A date moved; the 31st becomes the last day of a shorter month (12.7)."""
        count = interval.count if node.operator == "+" else -interval.count
        if node.type == "timestamp" and self.dialect == "sqlite":
            raise NotInSql("a timestamp moved by an interval is not answered in SQLite yet")
        if self.dialect == "postgres":
            moved = exp.Paren(this=exp.Add(this=moment, expression=cast(text(f"{count} {interval.unit}"), "INTERVAL")))
            return cast(moved, SQL_TYPES["postgres"][str(node.type)])
        if interval.unit == "DAY":
            return function("DATE", moment, text(f"{count:+d} days"))
        months = count * (12 if interval.unit == "YEAR" else 1)
        first = function("DATE", moment, text("start of month"), text(f"{months:+d} months"))
        last = function("DATE", moment, text("start of month"), text(f"{months + 1:+d} months"), text("-1 day"))
        day = exp.Paren(this=exp.Sub(this=cast(function("STRFTIME", text("%d"), moment), "INTEGER"), expression=number(1)))
        offset = exp.DPipe(this=exp.DPipe(this=text("+"), expression=day), expression=text(" days"))
        return function("MIN", last, function("DATE", first, exp.Paren(this=offset)))

    def of_comparison(self, node: tree.Comparison) -> exp.Expression:
        left, right = self._side(node.left, node.identity), self._side(node.right, node.identity)
        if node.operator not in ("=", "<>"):
            left, right = self._by_code_point(left, node.left), self._by_code_point(right, node.right)
        return exp.Paren(this=_COMPARISONS[node.operator](this=left, expression=right))

    def _by_code_point(self, side: exp.Expression, node: tree.Node) -> exp.Expression:
        """Texts in PostgreSQL compared by code point (1.3)."""
        if self.dialect == "postgres" and node.type == "text":
            return exp.Paren(this=exp.Collate(this=exp.Paren(this=side), expression=exp.to_identifier("C", quoted=True)))
        return side

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
                return self.truth(node.negated)
            folded = [identity(value) if node.identity else value for value in values]
            found = exp.In(this=operand, expressions=[self.parameters.bind(value) for value in folded])
        else:
            found = exp.In(this=operand, expressions=[self._side(item, node.identity) for item in node.items])
        found = exp.Paren(this=found)
        return exp.Not(this=found) if node.negated else found

    def truth(self, value: bool) -> exp.Expression:
        """TRUE or FALSE."""
        return exp.Boolean(this=value) if self.dialect == "postgres" else number(int(value))

    def of_between(self, node: tree.Between) -> exp.Expression:
        sides = [self._by_code_point(self.of(part), part) for part in (node.operand, node.low, node.high)]
        found = exp.Paren(this=exp.Between(this=sides[0], low=sides[1], high=sides[2]))
        return exp.Not(this=found) if node.negated else found

    def of_like(self, node: tree.Like) -> exp.Expression:
        operand, pattern = self.of(node.operand), node.pattern
        if self.dialect == "postgres":
            escape = self.of(node.escape) if node.escape is not None else text("")
            found: exp.Expression = exp.Escape(this=exp.Like(this=operand, expression=self.of(pattern)), expression=escape)
        else:
            values: tuple[Any, ...] | None = (pattern.value,) if isinstance(pattern, tree.Literal) else None
            if isinstance(pattern, tree.ViewerRef):
                values = self.viewer_values(pattern.name) or (None,)
            if values is None or (node.escape is not None and not isinstance(node.escape, tree.Literal)):
                raise NotInSql("LIKE with a pattern from a column is not answered in SQLite yet")
            escape_sign = node.escape.value if isinstance(node.escape, tree.Literal) else ""
            found = exp.Glob(this=operand, expression=self.parameters.bind(_glob(values[0], str(escape_sign or ""))))
        found = exp.Paren(this=found)
        return exp.Not(this=found) if node.negated else found

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
        largest = "GREATEST" if self.dialect == "postgres" else "MAX"
        least = "LEAST" if self.dialect == "postgres" else "MIN"
        begin = function(largest, start, number(1))
        if len(parts) == 2:
            return self._unless_null(parts, function("SUBSTR", value, cast(begin, "INTEGER")))
        before = function(least, exp.Paren(this=exp.Sub(this=start, expression=number(1))), number(0))
        length = function(largest, exp.Paren(this=exp.Add(this=parts[2], expression=before)), number(0))
        piece = function("SUBSTR", value, cast(begin, "INTEGER"), cast(length, "INTEGER"))
        return exp.Case(ifs=[exp.If(this=exp.GTE(this=parts[2], expression=number(0)), true=self._unless_null(parts, piece))])

    def _unless_null(self, parts: list[exp.Expression], whole: exp.Expression) -> exp.Expression:
        """PostgreSQL's GREATEST and LEAST leave nulls out; a function of null is null."""
        null = exp.or_(*(exp.Is(this=exp.Paren(this=part), expression=exp.Null()) for part in parts))
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
        double = SQL_TYPES[self.dialect]["number"]
        value, scale = cast(parts[0], double), number(10.0**digits)
        scaled = exp.Paren(this=exp.Add(this=exp.Mul(this=function("ABS", value), expression=scale), expression=number(0.5)))
        down = function("FLOOR", scaled) if self.dialect == "postgres" else cast(scaled, "INTEGER")
        signed = exp.Case(ifs=[exp.If(this=exp.LT(this=value, expression=number(0)), true=number(-1.0))], default=number(1.0))
        result = exp.Paren(this=exp.Div(this=exp.Mul(this=exp.Paren(this=signed), expression=down), expression=scale, typed=True))
        return cast(result, SQL_TYPES[self.dialect]["integer"]) if node.type == "integer" else result

    def of_extract(self, node: tree.Extract) -> exp.Expression:
        operand = self.of(node.operand)
        if self.dialect == "postgres":
            return cast(exp.Extract(this=exp.Var(this=node.part), expression=operand), "BIGINT")
        letter = {"YEAR": "%Y", "MONTH": "%m", "QUARTER": "%m", "DAY": "%d"}[node.part]
        part = cast(function("STRFTIME", text(letter), operand), "INTEGER")
        if node.part != "QUARTER":
            return part
        return exp.Paren(this=exp.Div(this=exp.Paren(this=exp.Add(this=part, expression=number(2))), expression=number(3), typed=True))

    def of_cast(self, node: tree.Cast) -> exp.Expression:
        operand, source = self.of(node.operand), str(node.operand.type)
        if source == node.to:
            return operand
        if source == "null":
            return exp.Null() if self.dialect == "sqlite" else cast(exp.Null(), SQL_TYPES["postgres"][node.to])
        if (source, node.to) == ("number", "integer"):
            half = exp.Paren(this=exp.Add(this=function("ABS", operand), expression=number(0.5)))
            down = function("FLOOR", half) if self.dialect == "postgres" else half
            sign = exp.Paren(this=exp.Case(ifs=[exp.If(this=exp.LT(this=operand, expression=number(0)), true=number(-1))], default=number(1)))
            fits = exp.LT(this=function("ABS", operand), expression=number(9.2e18))
            return exp.Case(ifs=[exp.If(this=fits, true=exp.Mul(this=sign, expression=cast(down, SQL_TYPES[self.dialect]["integer"])))])
        if (source, node.to) in (("integer", "number"), ("integer", "text")) or (source, node.to, self.dialect) == ("date", "text", "sqlite"):
            return cast(operand, SQL_TYPES[self.dialect][node.to])
        if (source, node.to) == ("date", "text"):
            return function("TO_CHAR", operand, text("YYYY-MM-DD"))
        if (source, node.to) == ("boolean", "text"):
            true = operand if self.dialect == "postgres" else exp.EQ(this=operand, expression=number(1))
            null = exp.Is(this=exp.Paren(this=operand), expression=exp.Null())
            return exp.Case(ifs=[exp.If(this=null, true=exp.Null()), exp.If(this=true, true=text("true"))], default=text("false"))
        raise NotInSql(f"CAST from {source} to {node.to} is not answered in SQL yet")


def number(value: float) -> exp.Expression:
    """A number as a literal, negative ones in parentheses."""
    written = exp.Literal.number(repr(abs(value)))
    return exp.Paren(this=exp.Neg(this=written)) if value < 0 else written


def text(value: str) -> exp.Expression:
    """A text as a literal."""
    return exp.Literal.string(value)


def function(name: str, *arguments: exp.Expression) -> exp.Expression:
    """A call, written as it is."""
    return exp.Anonymous(this=name, expressions=[argument.copy() for argument in arguments])


def cast(value: exp.Expression, type_: str) -> exp.Expression:
    """A cast to a type of the dialect."""
    return exp.Cast(this=value, to=exp.DataType.build(type_, udt=True))


def _glob(pattern: str | None, escape: str) -> str | None:
    """A LIKE pattern as SQLite's case-sensitive GLOB."""
    signs = like_parts(pattern, escape) if pattern is not None else None
    if signs is None:
        return None
    return "".join(("*" if sign == "%" else "?") if wild else f"[{sign}]" if sign in "*?[" else sign for sign, wild in signs)
