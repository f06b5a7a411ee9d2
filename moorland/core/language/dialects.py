"""The words of each database engine, an object each: types, collation, functions, and the form in which it keeps values (semantics.md 1, 4).

An operation a dialect does not have is one it does not override: it raises NotInSql by itself. A new dialect is a class here and a name in DIALECTS.
"""

import datetime
import json
import sys
from collections.abc import Callable
from typing import Any, ClassVar

from sqlglot import exp

from moorland.core.language.like import like_parts
from moorland.core.language.sql_parts import NotInSql, cast, function, number, text

_LARGEST = 2**63
_LARGEST_NUMBER = sys.float_info.max


class Dialect:
    """What every dialect is asked for. Types are by the names of semantics.md 1.1."""

    name: ClassVar[str]
    title: ClassVar[str]
    types: ClassVar[dict[str, str]]
    #: The names of the functions that give the largest and the smallest of their arguments.
    greatest: ClassVar[str]
    least: ClassVar[str]

    def missing(self, what: str) -> NotInSql:
        """What this dialect has no words for."""
        return NotInSql(f"{what} is not answered in {self.title} yet")

    def stored(self, value: Any) -> Any:
        """A value as the engine keeps it, to be bound."""
        return value

    def number(self, value: float) -> exp.Expression:
        """A number as a literal."""
        return number(value)

    def truth(self, value: bool) -> exp.Expression:
        """TRUE or FALSE."""
        raise self.missing("a truth value")

    def is_true(self, value: exp.Expression) -> exp.Expression:
        """That a boolean that is not null is true."""
        raise self.missing("a truth value")

    def day(self, value: datetime.date, type_: str) -> exp.Expression:
        """A date or timestamp as a literal."""
        raise self.missing("a date")

    def null(self, type_: str) -> exp.Expression:
        """A null of a type."""
        return exp.Null()

    def fits(self, whole: exp.Expression) -> exp.Expression:
        """That arithmetic on whole numbers stays within 64 bits (1.4)."""
        raise self.missing("arithmetic on whole numbers")

    def moved(self, moment: exp.Expression, count: int, unit: str, type_: str) -> exp.Expression:
        """A date moved by days, months or years; the 31st becomes the last day of a shorter month (12.7)."""
        raise self.missing("a date moved by an interval")

    def by_code_point(self, value: exp.Expression) -> exp.Expression:
        """A text that compares and sorts by code point (1.3)."""
        return value

    def like(self, operand: exp.Expression, pattern: exp.Expression, escape: exp.Expression) -> exp.Expression:
        """`operand LIKE pattern`, for any pattern (1.2)."""
        raise self.missing("LIKE with a pattern from a column")

    def like_known(self, pattern: str | None, escape: str) -> tuple[type[exp.Expression], str | None] | None:
        """For a pattern known beforehand the sign and the pattern to bind, where the dialect has others than LIKE; None where it has not."""
        return None

    def floor(self, value: exp.Expression) -> exp.Expression:
        """A positive number without its fraction."""
        raise self.missing("rounding")

    def extract(self, part: str, moment: exp.Expression) -> exp.Expression:
        """YEAR, QUARTER, MONTH or DAY of a date, as a whole number."""
        raise self.missing("EXTRACT")

    def day_text(self, day: exp.Expression) -> exp.Expression:
        """A date as ISO text."""
        raise self.missing("CAST from date to text")

    def items(self, cell: exp.Expression, separator: str, bound: exp.Expression) -> exp.Expression:
        """The items of a cell that is a list, as a table `items` of one column `item`; `bound` is the separator as a bound value."""
        raise self.missing("a list in a cell")

    def finite(self, value: exp.Expression) -> exp.Expression:
        """A number; null where it is none or without end (sources.md 17.1)."""
        raise self.missing("numbers without end")

    def rows_given(self, columns: dict[str, tuple[str, list[Any]]], bind: Callable[[Any], exp.Expression]) -> exp.Expression:
        """Rows that are sent along, as a table to stand in FROM: by column its type and its values, in the form the engine keeps them."""
        raise self.missing("rows sent along")


class Sqlite(Dialect):
    """SQLite: dates are ISO text, booleans numbers."""

    name = "sqlite"
    title = "SQLite"
    types = {"text": "TEXT", "integer": "INTEGER", "number": "REAL", "boolean": "INTEGER", "date": "TEXT", "timestamp": "TEXT"}
    greatest, least = "MAX", "MIN"

    def stored(self, value: Any) -> Any:
        if isinstance(value, bool):
            return int(value)
        if isinstance(value, datetime.datetime):
            return value.isoformat(sep=" ")
        return value.isoformat() if isinstance(value, datetime.date) else value

    def truth(self, value: bool) -> exp.Expression:
        return number(int(value))

    def is_true(self, value: exp.Expression) -> exp.Expression:
        return exp.EQ(this=value, expression=number(1))

    def day(self, value: datetime.date, type_: str) -> exp.Expression:
        return text(str(self.stored(value)))

    def fits(self, whole: exp.Expression) -> exp.Expression:
        return exp.EQ(this=function("TYPEOF", whole), expression=text("integer"))

    def moved(self, moment: exp.Expression, count: int, unit: str, type_: str) -> exp.Expression:
        if type_ == "timestamp":
            raise self.missing("a timestamp moved by an interval")
        if unit == "DAY":
            return function("DATE", moment, text(f"{count:+d} days"))
        months = count * (12 if unit == "YEAR" else 1)
        first = function("DATE", moment, text("start of month"), text(f"{months:+d} months"))
        last = function("DATE", moment, text("start of month"), text(f"{months + 1:+d} months"), text("-1 day"))
        day = exp.Paren(this=exp.Sub(this=cast(function("STRFTIME", text("%d"), moment), "INTEGER"), expression=number(1)))
        offset = exp.DPipe(this=exp.DPipe(this=text("+"), expression=day), expression=text(" days"))
        return function("MIN", last, function("DATE", first, exp.Paren(this=offset)))

    def like_known(self, pattern: str | None, escape: str) -> tuple[type[exp.Expression], str | None] | None:
        """SQLite's LIKE takes letters of either case for the same; GLOB does not."""
        return exp.Glob, _glob(pattern, escape)

    def floor(self, value: exp.Expression) -> exp.Expression:
        return cast(value, "INTEGER")

    def extract(self, part: str, moment: exp.Expression) -> exp.Expression:
        letter = {"YEAR": "%Y", "MONTH": "%m", "QUARTER": "%m", "DAY": "%d"}[part]
        found = cast(function("STRFTIME", text(letter), moment), "INTEGER")
        if part != "QUARTER":
            return found
        return exp.Paren(this=exp.Div(this=exp.Paren(this=exp.Add(this=found, expression=number(2))), expression=number(3), typed=True))

    def day_text(self, day: exp.Expression) -> exp.Expression:
        return cast(day, "TEXT")

    def items(self, cell: exp.Expression, separator: str, bound: exp.Expression) -> exp.Expression:
        if not separator.isprintable() or set(separator) & set('"\\[]{}:'):
            raise self.missing(f"a list separated by {separator!r}")
        quoted = function("REPLACE", function("JSON_QUOTE", cell), bound, text('","'))
        array = exp.DPipe(this=exp.DPipe(this=text("["), expression=quoted), expression=text("]"))
        inner = exp.select(exp.alias_(exp.column("value", quoted=True), "item", quoted=True)).from_(function("JSON_EACH", exp.Paren(this=array)))
        return inner.subquery("items")

    def finite(self, value: exp.Expression) -> exp.Expression:
        return exp.Case(ifs=[exp.If(this=exp.LTE(this=function("ABS", value), expression=number(_LARGEST_NUMBER)), true=value.copy())])

    def rows_given(self, columns: dict[str, tuple[str, list[Any]]], bind: Callable[[Any], exp.Expression]) -> exp.Expression:
        rows = json.dumps(list(zip(*(values for _, values in columns.values()), strict=True)))
        cell = exp.column("value", quoted=True)
        found = exp.select(*(exp.alias_(function("JSON_EXTRACT", cell, text(f"$[{place}]")), name, quoted=True) for place, name in enumerate(columns)))
        return found.from_(function("JSON_EACH", bind(rows))).subquery("kept")


class Postgres(Dialect):
    """PostgreSQL; texts are compared in the collation C."""

    name = "postgres"
    title = "PostgreSQL"
    types = {"text": "TEXT", "integer": "BIGINT", "number": "DOUBLE PRECISION", "boolean": "BOOLEAN", "date": "DATE", "timestamp": "TIMESTAMP"}
    greatest, least = "GREATEST", "LEAST"

    def truth(self, value: bool) -> exp.Expression:
        return exp.Boolean(this=value)

    def is_true(self, value: exp.Expression) -> exp.Expression:
        return value

    def day(self, value: datetime.date, type_: str) -> exp.Expression:
        return cast(text(value.isoformat(sep=" ") if isinstance(value, datetime.datetime) else value.isoformat()), self.types[type_])

    def null(self, type_: str) -> exp.Expression:
        return cast(exp.Null(), self.types[type_])

    def fits(self, whole: exp.Expression) -> exp.Expression:
        wide = whole.copy()
        for side in ("this", "expression"):
            if wide.args.get(side) is not None:
                wide.set(side, cast(wide.args[side], "NUMERIC"))
        return exp.Between(this=exp.Paren(this=wide), low=number(-_LARGEST), high=number(_LARGEST - 1))

    def moved(self, moment: exp.Expression, count: int, unit: str, type_: str) -> exp.Expression:
        moved = exp.Paren(this=exp.Add(this=moment, expression=cast(text(f"{count} {unit}"), "INTERVAL")))
        return cast(moved, self.types[type_])

    def by_code_point(self, value: exp.Expression) -> exp.Expression:
        return exp.Paren(this=exp.Collate(this=exp.Paren(this=value), expression=exp.to_identifier("C", quoted=True)))

    def like(self, operand: exp.Expression, pattern: exp.Expression, escape: exp.Expression) -> exp.Expression:
        return exp.Escape(this=exp.Like(this=operand, expression=pattern), expression=escape)

    def floor(self, value: exp.Expression) -> exp.Expression:
        return function("FLOOR", value)

    def extract(self, part: str, moment: exp.Expression) -> exp.Expression:
        return cast(exp.Extract(this=exp.Var(this=part), expression=moment), "BIGINT")

    def day_text(self, day: exp.Expression) -> exp.Expression:
        return function("TO_CHAR", day, text("YYYY-MM-DD"))

    def items(self, cell: exp.Expression, separator: str, bound: exp.Expression) -> exp.Expression:
        split = function("UNNEST", function("STRING_TO_ARRAY", cell, bound))
        return exp.select(exp.alias_(split, "item", quoted=True)).subquery("items")

    def finite(self, value: exp.Expression) -> exp.Expression:
        return exp.Case(ifs=[exp.If(this=exp.LTE(this=function("ABS", value), expression=number(_LARGEST_NUMBER)), true=value.copy())])

    def rows_given(self, columns: dict[str, tuple[str, list[Any]]], bind: Callable[[Any], exp.Expression]) -> exp.Expression:
        # As a function whose rows are read, not chosen from: so they can be paired by several workers at once.
        named = exp.TableAlias(this=exp.to_identifier("kept"), columns=[exp.to_identifier(name, quoted=True) for name in columns])
        return exp.Unnest(expressions=_arrays(columns, bind, self.types), alias=named)


class DuckDb(Postgres):
    """DuckDB; texts are compared by code point as they are."""

    name = "duckdb"
    title = "DuckDB"
    types = {"text": "VARCHAR", "integer": "BIGINT", "number": "DOUBLE", "boolean": "BOOLEAN", "date": "DATE", "timestamp": "TIMESTAMP"}

    def fits(self, whole: exp.Expression) -> exp.Expression:
        wide = whole.copy()
        for side in ("this", "expression"):
            if wide.args.get(side) is not None:
                wide.set(side, cast(wide.args[side], "HUGEINT"))
        return exp.Between(this=exp.Paren(this=wide), low=number(-_LARGEST), high=number(_LARGEST - 1))

    def by_code_point(self, value: exp.Expression) -> exp.Expression:
        return value

    def day_text(self, day: exp.Expression) -> exp.Expression:
        return function("STRFTIME", day, text("%Y-%m-%d"))

    def items(self, cell: exp.Expression, separator: str, bound: exp.Expression) -> exp.Expression:
        split = function("UNNEST", function("STRING_SPLIT", cell, bound))
        return exp.select(exp.alias_(split, "item", quoted=True)).subquery("items")

    def rows_given(self, columns: dict[str, tuple[str, list[Any]]], bind: Callable[[Any], exp.Expression]) -> exp.Expression:
        pieces = zip(_arrays(columns, bind, self.types), columns, strict=True)
        return exp.select(*(exp.alias_(function("UNNEST", array), name, quoted=True) for array, name in pieces)).subquery("kept")


class Spark(Dialect):
    """Engines that speak Spark Connect; texts are compared by code point as they are."""

    name = "spark"
    title = "Spark"
    types = {"text": "STRING", "integer": "BIGINT", "number": "DOUBLE", "boolean": "BOOLEAN", "date": "DATE", "timestamp": "TIMESTAMP_NTZ"}
    greatest, least = "GREATEST", "LEAST"

    def number(self, value: float) -> exp.Expression:
        """A written fraction is a decimal here, which holds less than a number."""
        return number(value) if isinstance(value, int) else cast(text(repr(value)), self.types["number"])

    def truth(self, value: bool) -> exp.Expression:
        return exp.Boolean(this=value)

    def is_true(self, value: exp.Expression) -> exp.Expression:
        return value

    def day(self, value: datetime.date, type_: str) -> exp.Expression:
        return cast(text(value.isoformat(sep=" ") if isinstance(value, datetime.datetime) else value.isoformat()), self.types[type_])

    def fits(self, whole: exp.Expression) -> exp.Expression:
        wide = whole.copy()
        for side in ("this", "expression"):
            if wide.args.get(side) is not None:
                wide.set(side, cast(wide.args[side], "DECIMAL(20, 0)"))
        return exp.Between(this=exp.Paren(this=wide), low=cast(text(str(-_LARGEST)), "DECIMAL(20, 0)"), high=cast(text(str(_LARGEST - 1)), "DECIMAL(20, 0)"))

    def floor(self, value: exp.Expression) -> exp.Expression:
        return function("FLOOR", value)

    def day_text(self, day: exp.Expression) -> exp.Expression:
        return function("DATE_FORMAT", day, text("yyyy-MM-dd"))

    def finite(self, value: exp.Expression) -> exp.Expression:
        largest = cast(text(repr(_LARGEST_NUMBER)), self.types["number"])
        return exp.Case(ifs=[exp.If(this=exp.LTE(this=function("ABS", value), expression=largest), true=value.copy())])

    def rows_given(self, columns: dict[str, tuple[str, list[Any]]], bind: Callable[[Any], exp.Expression]) -> exp.Expression:
        """A bound value is a text here; each column is one, of JSON. Days stand in it as text."""
        kinds = {"integer": "bigint", "number": "double", "boolean": "boolean"}
        arrays = [
            function("FROM_JSON", bind(json.dumps(values, default=str)), text(f"array<{kinds.get(type_, 'string')}>")) for type_, values in columns.values()
        ]
        named = exp.Aliases(this=function("INLINE", function("ARRAYS_ZIP", *arrays)), expressions=[exp.to_identifier(name, quoted=True) for name in columns])
        return exp.select(named).subquery("kept")


#: Every dialect by its name.
DIALECTS: dict[str, Dialect] = {dialect.name: dialect for dialect in (Sqlite(), Postgres(), DuckDb(), Spark())}


def _glob(pattern: str | None, escape: str) -> str | None:
    """A LIKE pattern as SQLite's case-sensitive GLOB."""
    signs = like_parts(pattern, escape) if pattern is not None else None
    if signs is None:
        return None
    return "".join(("*" if sign == "%" else "?") if wild else f"[{sign}]" if sign in "*?[" else sign for sign, wild in signs)


def _arrays(columns: dict[str, tuple[str, list[Any]]], bind: Callable[[Any], exp.Expression], types: dict[str, str]) -> list[exp.Expression]:
    """Rows that are sent along as one array a column."""
    return [exp.Cast(this=bind(values), to=exp.DataType.build(f"{types[type_]}[]", udt=True)) for type_, values in columns.values()]
