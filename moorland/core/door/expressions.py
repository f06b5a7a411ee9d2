"""What stands in an innermost SELECT, written in the condition language (semantics.md 4). What that does not have is refused by name."""

import datetime
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, cast

from sqlglot import exp

from moorland.core.bundle.shape import ValueType
from moorland.core.door.errors import NO_FUNCTION, NOT_SUPPORTED, SYNTAX, WRONG_TYPE, SqlRefused
from moorland.core.language.writing import literal_text

_SIGNS: dict[type[exp.Expression], str] = {
    exp.EQ: "=",
    exp.NEQ: "<>",
    exp.LT: "<",
    exp.LTE: "<=",
    exp.GT: ">",
    exp.GTE: ">=",
    exp.Add: "+",
    exp.Sub: "-",
    exp.Mul: "*",
    exp.Div: "/",
    exp.DPipe: "||",
    exp.And: "AND",
    exp.Or: "OR",
}
#: What is read of every node, and of some besides.
_READ = frozenset(("this", "expression", "expressions"))
_READ_OF: dict[type[exp.Expression], tuple[str, ...]] = {
    exp.Column: ("table", "db", "catalog"),
    exp.Literal: ("is_string",),
    exp.Between: ("low", "high"),
    exp.Case: ("ifs", "default"),
    exp.If: ("true", "false"),
    exp.Cast: ("to",),
    exp.In: ("query", "unnest", "field"),
    exp.Round: ("decimals",),
    exp.Trim: ("position",),
    exp.Substring: ("start", "length"),
    exp.Interval: ("unit",),
    exp.Count: ("big_int",),
    exp.Div: ("typed", "safe"),
    exp.DPipe: ("safe",),
    exp.Coalesce: ("is_nvl", "is_null"),
}
_COMPARISONS = (exp.EQ, exp.NEQ, exp.LT, exp.LTE, exp.GT, exp.GTE)
_FUNCTIONS: dict[type[exp.Expression], str] = {
    exp.Lower: "LOWER",
    exp.Upper: "UPPER",
    exp.Length: "CHAR_LENGTH",
    exp.Abs: "ABS",
    exp.Nullif: "NULLIF",
}
_AGGREGATES: dict[type[exp.Expression], str] = {exp.Sum: "SUM", exp.Avg: "AVG", exp.Min: "MIN", exp.Max: "MAX"}
_CASTS: dict[str, ValueType] = {
    **dict.fromkeys(("TEXT", "VARCHAR", "CHAR", "NCHAR", "BPCHAR", "NAME"), "text"),
    **dict.fromkeys(("INT", "BIGINT", "SMALLINT"), "integer"),
    **dict.fromkeys(("DOUBLE", "FLOAT", "DECIMAL"), "number"),
    "BOOLEAN": "boolean",
    "DATE": "date",
    "TIMESTAMP": "timestamp",
}
_PARTS = ("YEAR", "QUARTER", "MONTH", "DAY")


@dataclass(frozen=True)
class Named:
    """What a name stands for in the condition language: its text there, and its type where it is a column."""

    text: str
    type: ValueType


#: Finds what a column of the statement stands for. Raises SqlRefused.
Resolve = Callable[[exp.Column], Named]


def position_of(node: exp.Expression) -> int | None:
    """Where a node stands in the text, as far as the parser tells."""
    for part in node.walk():
        start = part.meta.get("start")
        if isinstance(start, int):
            return start
    return None


class Writing:
    """Writes expressions; `resolve` says what columns stand for."""

    def __init__(self, resolve: Resolve) -> None:
        self._resolve = resolve

    def of(self, node: exp.Expression) -> str:
        """The expression as text of the condition language. Raises SqlRefused for what it does not have."""
        self._refuse_unread(node)
        match node:
            case exp.Column():
                return self._resolve(node).text
            case exp.Paren():
                return f"({self.of(node.this)})"
            case exp.Literal() | exp.Boolean() | exp.Null():
                return self._literal(node)
            case exp.CurrentDate():
                return "CURRENT_DATE"
            case exp.Neg():
                return f"-({self.of(node.this)})"
            case exp.Not():
                return f"NOT ({self.of(node.this)})"
            case exp.Is():
                return self._is(node)
            case exp.Between():
                subject = node.this
                return f"({self.of(subject)} BETWEEN {self._beside(node.args['low'], subject)} AND {self._beside(node.args['high'], subject)})"
            case exp.In():
                return self._in(node)
            case exp.Like():
                return f"({self.of(node.this)} LIKE {self.of(node.expression)})"
            case exp.Escape():
                return f"{self.of(node.this)[:-1]} ESCAPE {self.of(node.expression)})" if isinstance(node.this, exp.Like) else self._refuse(node)
            case exp.Case():
                return self._case(node)
            case exp.Cast():
                return self._cast(node)
            case exp.Extract():
                part = str(node.this.name).upper()
                return f"EXTRACT({part} FROM {self.of(node.expression)})" if part in _PARTS else self._refuse(node)
            case exp.Coalesce():
                return f"COALESCE({', '.join(self.of(part) for part in (node.this, *node.expressions))})"
            case exp.Round():
                decimals = node.args.get("decimals")
                return f"ROUND({self.of(node.this)}{f', {self.of(decimals)}' if decimals is not None else ''})"
            case exp.Trim():
                return self._refuse(node) if node.expression or node.args.get("position") else f"TRIM({self.of(node.this)})"
            case exp.Substring():
                parts = [part for part in (node.this, node.args.get("start"), node.args.get("length")) if part is not None]
                return f"SUBSTRING({', '.join(self.of(part) for part in parts)})"
            case exp.Filter() | exp.Count() | exp.Sum() | exp.Avg() | exp.Min() | exp.Max():
                return self._aggregate(node)
        sign = _SIGNS.get(type(node))
        if sign is not None:
            left, right = node.this, node.expression
            if isinstance(node, exp.Add | exp.Sub) and isinstance(right, exp.Interval):
                return f"({self.of(left)} {sign} {_interval(right)})"
            if isinstance(node, _COMPARISONS):
                return f"({self._beside(left, right)} {sign} {self._beside(right, left)})"
            return f"({self.of(left)} {sign} {self.of(right)})"
        function = _FUNCTIONS.get(type(node))
        if function is not None:
            parts = [part for part in (node.this, node.args.get("expression")) if isinstance(part, exp.Expression)]
            return f"{function}({', '.join(self.of(part) for part in parts)})"
        return self._refuse(node)

    def _refuse_unread(self, node: exp.Expression) -> None:
        """Raises SqlRefused for anything about a node that would be passed over: what the parser adds to its trees is refused until it is read here."""
        for name, value in node.args.items():
            if value and name not in _READ and name not in _READ_OF.get(type(node), ()):
                raise SqlRefused(NOT_SUPPORTED, f"{name.upper()} of {type(node).__name__.upper()} is not answered here.", position=position_of(node))

    def _beside(self, node: exp.Expression, other: exp.Expression) -> str:
        """An expression; a text written beside a column of another type is a value of that type, as clients write dates."""
        column = other.this if isinstance(other, exp.Paren) else other
        if isinstance(node, exp.Literal) and node.is_string and isinstance(column, exp.Column):
            return _of_type(node, self._resolve(column).type)
        return self.of(node)

    def _literal(self, node: exp.Expression) -> str:
        if isinstance(node, exp.Null):
            return "NULL"
        if isinstance(node, exp.Boolean):
            return "TRUE" if node.this else "FALSE"
        text = str(node.this)
        if node.args.get("is_string"):
            return literal_text(text, "text")
        if not all(sign in "0123456789.eE+-" for sign in text):
            raise SqlRefused(SYNTAX, f"{text} is not a number as the standard writes it.", position=position_of(node))
        return text

    def _is(self, node: exp.Is) -> str:
        subject, what = self.of(node.this), node.expression
        negated = isinstance(what, exp.Not)
        what = what.this if isinstance(what, exp.Not) else what
        if isinstance(what, exp.Null):
            return f"({subject} IS {'NOT ' if negated else ''}NULL)"
        if isinstance(what, exp.Boolean):
            same = f"COALESCE({subject} = {'TRUE' if what.this else 'FALSE'}, FALSE)"
            return f"NOT ({same})" if negated else f"({same})"
        return self._refuse(node)

    def _in(self, node: exp.In) -> str:
        if node.args.get("query") is not None or node.args.get("unnest") is not None or node.args.get("field") is not None:
            hint = "Join the relations along their keys, or filter on the answer in an outer SELECT."
            raise SqlRefused(NOT_SUPPORTED, "A subquery cannot stand in the WHERE of a SELECT over a relation.", hint, position_of(node))
        items = ", ".join(self._beside(item, node.this) for item in node.expressions)
        return f"({self.of(node.this)} IN ({items}))"

    def _case(self, node: exp.Case) -> str:
        whens = []
        for branch in node.args["ifs"]:
            condition = branch.this if node.this is None else exp.EQ(this=node.this.copy(), expression=branch.this)
            whens.append(f"WHEN {self.of(condition)} THEN {self.of(branch.args['true'])}")
        default = node.args.get("default")
        return f"CASE {' '.join(whens)}{f' ELSE {self.of(default)}' if default is not None else ''} END"

    def _cast(self, node: exp.Cast) -> str:
        kind = _CASTS.get(node.to.this.name if isinstance(node.to, exp.DataType) else "")
        if kind is None:
            raise SqlRefused(
                NOT_SUPPORTED, f"A cast to {node.to.sql('postgres')} cannot stand here.", "Cast on the answer, in an outer SELECT.", position_of(node)
            )
        if isinstance(node.this, exp.Literal) and node.this.is_string:
            return _of_type(node.this, kind)
        return f"CAST({self.of(node.this)} AS {kind.upper()})"

    def _aggregate(self, node: exp.Expression) -> str:
        """An aggregate over rows; `FILTER (WHERE …)` is a CASE around what it takes."""
        condition: exp.Expression | None = None
        if isinstance(node, exp.Filter):
            condition, node = node.expression.this, node.this
        name = "COUNT" if isinstance(node, exp.Count) else _AGGREGATES.get(type(node))
        if name is None:
            return self._refuse(node)
        taken, distinct = node.this, ""
        if isinstance(taken, exp.Distinct):
            if len(taken.expressions) != 1:
                return self._refuse(node)
            taken, distinct = taken.expressions[0], "DISTINCT "
        if isinstance(taken, exp.Star) or (name == "COUNT" and isinstance(taken, exp.Literal)):
            return f"COUNT(CASE WHEN {self.of(condition)} THEN 1 END)" if condition is not None else "COUNT(*)"
        text = self.of(taken)
        return f"{name}({distinct}CASE WHEN {self.of(condition)} THEN {text} END)" if condition is not None else f"{name}({distinct}{text})"

    def _refuse(self, node: exp.Expression) -> str:
        if isinstance(node, exp.Subquery | exp.Select | exp.Exists | exp.Union):
            raise SqlRefused(NOT_SUPPORTED, "A subquery cannot stand inside a SELECT over a relation.", "Put it in FROM.", position_of(node))
        if isinstance(node, exp.Func | exp.Anonymous):
            name = node.name if isinstance(node, exp.Anonymous) else node.sql_name()
            hint = "Use it on the answer: SELECT … FROM (SELECT … FROM the relation) AS answer."
            raise SqlRefused(NO_FUNCTION, f"There is no function {str(name).lower()} over the rows of a relation.", hint, position_of(node))
        what = type(node).__name__.upper()
        raise SqlRefused(NOT_SUPPORTED, f"{what} cannot stand in a SELECT over a relation.", "Use it on the answer, in an outer SELECT.", position_of(node))


def _of_type(node: exp.Literal, kind: ValueType) -> str:
    """A text as a literal of a type. Raises SqlRefused where it is none."""
    text = str(node.this)
    try:
        if kind in ("integer", "number"):
            return literal_text(int(text) if kind == "integer" else float(text), kind)
        if kind == "boolean":
            return {"true": "TRUE", "t": "TRUE", "1": "TRUE", "false": "FALSE", "f": "FALSE", "0": "FALSE"}[text.strip().lower()]
        if kind == "timestamp":
            return literal_text(datetime.datetime.fromisoformat(text).replace(tzinfo=None), kind)
        if kind == "date":
            return literal_text(text.strip()[:10], kind)
        return literal_text(text, "text")
    except (ValueError, KeyError):
        raise SqlRefused("22007" if kind in ("date", "timestamp") else "22P02", f"“{text}” is no {kind}.", position=position_of(node)) from None


def _interval(node: exp.Interval) -> str:
    count, unit = node.this, str(node.args.get("unit") or "").upper().removesuffix("S")
    text = str(count.this).strip() if isinstance(count, exp.Literal) else ""
    if unit == "WEEK" and text.lstrip("+-").isdigit():
        text, unit = str(int(text) * 7), "DAY"
    if unit not in ("DAY", "MONTH", "YEAR") or not text.lstrip("+-").isdigit():
        raise SqlRefused(WRONG_TYPE, "An interval is a whole number of days, weeks, months or years.", position=position_of(node))
    return f"INTERVAL '{text}' {unit}"


def bound_value(value: Any) -> exp.Expression:
    """The value of a parameter as part of a statement: never as text of it."""
    if isinstance(value, datetime.datetime):
        return exp.cast(exp.Literal.string(value.isoformat(sep=" ")), exp.DType.TIMESTAMP)
    if isinstance(value, datetime.date):
        return exp.cast(exp.Literal.string(value.isoformat()), exp.DType.DATE)
    if isinstance(value, list):
        return exp.Array(expressions=[bound_value(item) for item in value])
    return cast(exp.Expression, exp.convert(value))
