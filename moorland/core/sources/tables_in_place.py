"""A table that stays in its engine, asked in SQL: its strata, and the rows of a page (sources.md 18.2, 18.3).

The engine is asked for nothing but combinations of plain columns, their sums, and rows that have some of them. What conditions, masks and roles
say is decided here, on those combinations, by the code that decides in memory; so no engine's way with nulls, texts or dates can change it.
"""

import datetime
import math
from collections.abc import Sequence
from typing import Any, Protocol

import numpy as np
import pyarrow as pa
from sqlglot import exp

from moorland.core.bundle.model import Table
from moorland.core.bundle.shape import VALUE_TYPES, ValueType
from moorland.core.engine.cells import json_values
from moorland.core.engine.columns import ARROW_TYPES, StoredColumn, encode
from moorland.core.engine.exact_sums import Sums
from moorland.core.engine.in_place import KeptRows, StrataRows, TooManyStrata
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.strata import Partial
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.language import tree
from moorland.core.language.dialects import Dialect
from moorland.core.language.sql import Parameters, Rendering
from moorland.core.language.sql_parts import NotInSql, always, cast, function, is_null, number, text
from moorland.core.language.vectors import DTYPES, Array

#: So many strata are looked at; a question that needs more is refused (18.2).
MOST_STRATA = 5_000_000
#: Sums of whole numbers are exact up to here in floating point.
_EXACT = 2**53


class Engine(Protocol):
    """A database that answers SQL: its dialect, and rows as Arrow."""

    name: str
    dialect: Dialect

    def arrow(self, sql: str, parameters: dict[str, Any], types: dict[str, ValueType]) -> pa.Table:
        """The rows of a statement, as columns of these types. Raises SourceFailed."""
        ...


class SqlTable:
    """A relation of an engine as the declared table."""

    def __init__(self, engine: Engine, relation: Sequence[str], table: Table) -> None:
        self.engine, self.relation, self.table = engine, tuple(relation), table
        self._rows: int | None = None
        self._types = {column.name: column.type for column in table.columns if not column.derived}

    def writes(self, condition: tree.Node, data: ModelData) -> bool:
        """Whether the dialect has words for a condition."""
        try:
            self._rendered(condition, Parameters(self.engine.dialect), data)
        except NotInSql:
            return False
        return True

    def strata(self, columns: Sequence[str], truths: Sequence[tree.Node], aggregates: Sequence[tree.Aggregate], data: ModelData) -> StrataRows:
        """The strata by some columns and conditions, in one statement; without sums where the engine has no words for them, or cannot add them up."""
        summed = {node: argument for node in aggregates if (argument := self._argument(node, data)) is not None}
        if summed:
            try:
                return self._strata(columns, truths, summed, aggregates, data)
            except SourceFailed:
                # A sum beyond the engine's numbers is no failure of the source: its values are looked at instead.
                pass
        return self._strata(columns, truths, {}, aggregates, data)

    def _strata(
        self,
        columns: Sequence[str],
        truths: Sequence[tree.Node],
        summed: dict[tree.Aggregate, exp.Expression],
        aggregates: Sequence[tree.Aggregate],
        data: ModelData,
    ) -> StrataRows:
        parameters = Parameters(self.engine.dialect)
        inside = exp.select().from_(self._source("t"))
        outside = exp.select()
        types: dict[str, ValueType] = {}
        for place, name in enumerate(columns):
            inside = inside.select(exp.alias_(self._value("t", name), f"k{place}", quoted=True))
            key = exp.column(f"k{place}", quoted=True)
            outside = outside.select(key).group_by(key.copy())
            types[f"k{place}"] = self._types[name]
        for place, condition in enumerate(truths):
            inside = inside.select(exp.alias_(self._truth(condition, parameters, data), f"q{place}", quoted=True))
            key = exp.column(f"q{place}", quoted=True)
            outside = outside.select(key).group_by(key.copy())
            types[f"q{place}"] = "integer"
        inside = inside.select(exp.alias_(number(1), "one", quoted=True))
        outside = outside.select(exp.alias_(exp.Count(this=exp.Star()), "n", quoted=True))
        types["n"] = "integer"
        for place, node in enumerate(summed):
            assert node.argument is not None
            inside = inside.select(exp.alias_(self._rendered(node.argument, parameters, data), f"a{place}", quoted=True))
            for suffix, (value, type_) in self._sums(node, exp.column(f"a{place}", quoted=True)).items():
                outside = outside.select(exp.alias_(value, f"{suffix}{place}", quoted=True))
                types[f"{suffix}{place}"] = type_
        outside = outside.from_(inside.subquery("read")).limit(MOST_STRATA + 1)
        found = self.engine.arrow(outside.sql(dialect=self.engine.dialect.name), parameters.values, types)
        if found.num_rows > MOST_STRATA:
            raise TooManyStrata(f"{self.table.title} has more than {MOST_STRATA:,} combinations of {', '.join(columns)}. Ask by fewer columns.")
        counts = found.column("n").to_numpy().astype(np.int64)
        if not columns and not truths and not counts.sum():
            found, counts = found.slice(0, 0), counts[:0]
        keys = {name: encode(found.column(f"k{place}"), self._types[name]) for place, name in enumerate(columns)}
        partials: dict[tree.Aggregate, Partial | None] = dict.fromkeys(aggregates)
        for place, node in enumerate(summed):
            partials[node] = _partial(node, found, place)
        told = {condition: found.column(f"q{place}").to_numpy().astype(np.int8) for place, condition in enumerate(truths)}
        return StrataRows(keys, counts, partials, told)

    def rows(self) -> int:
        """How many rows the relation has; counted once."""
        if self._rows is not None:
            return self._rows
        select = exp.select(exp.alias_(exp.Count(this=exp.Star()), "n", quoted=True)).from_(self._source("t"))
        counted: int = self.engine.arrow(select.sql(dialect=self.engine.dialect.name), {}, {"n": "integer"}).column("n")[0].as_py()
        self._rows = counted
        return counted

    def arrow(self, columns: Sequence[str], kept: KeptRows, offset: int, limit: int) -> pa.Table:
        """The same as Arrow columns under their names."""
        found = self._page(columns, kept, offset, limit, None)
        return pa.table({name: found.column(f"c{place}") for place, name in enumerate(columns)})

    def unique(self, columns: Sequence[str], rows: int) -> list[str]:
        """Which of some columns have a value of their own in each of the rows, and could be the key."""
        if not columns or not rows:
            return []
        counts = [
            exp.alias_(exp.Count(this=exp.Distinct(expressions=[self._value("t", name)])), f"c{place}", quoted=True) for place, name in enumerate(columns)
        ]
        types: dict[str, ValueType] = {f"c{place}": "integer" for place in range(len(columns))}
        found = self.engine.arrow(exp.select(*counts).from_(self._source("t")).sql(dialect=self.engine.dialect.name), {}, types)
        return [name for place, name in enumerate(columns) if found.column(f"c{place}")[0].as_py() == rows]

    def _page(self, columns: Sequence[str], kept: KeptRows, offset: int, limit: int, data: ModelData | None) -> pa.Table:
        """Some rows in an order; only those that have one of the combinations kept."""
        dialect = self.engine.dialect
        parameters = Parameters(dialect)
        select = exp.select(*(exp.alias_(self._value("t", name), f"c{place}", quoted=True) for place, name in enumerate(columns)))
        select = select.select(exp.alias_(number(1), "one", quoted=True)).from_(self._source("t"))
        if kept.columns is not None:
            given: dict[str, tuple[str, list[Any]]] = {}
            matches: list[exp.Expression] = []
            for place, (name, stored) in enumerate(kept.columns.items()):
                values = [dialect.stored(value) for value in plain_column(stored)]
                given[f"k{place}"] = (stored.type, values)
                matches += self._equal(self._value("t", name), exp.column(f"k{place}", table="kept", quoted=True), stored.type, any(v is None for v in values))
            for place, (condition, truth) in enumerate(kept.truths.items()):
                assert data is not None
                given[f"q{place}"] = ("integer", truth.tolist())
                matches.append(exp.EQ(this=self._truth(condition, parameters, data), expression=exp.column(f"q{place}", table="kept", quoted=True)))
            for place, rank in enumerate(kept.ranks):
                given[f"r{place}"] = ("integer", rank.tolist())
            if not given:
                given["k"] = ("integer", [1])
            rows = dialect.rows_given(given, lambda value: _bound(parameters, value))
            fits = exp.and_(*matches) if matches else always()
            # Only what is ordered by has to stand beside the rows; without it an engine need not pair them.
            kept_rows = exp.Exists(this=exp.select(number(1)).from_(rows).where(fits))
            select = select.join(rows, on=fits, join_type="inner") if kept.ranks else select.where(kept_rows)
        # What is ordered by stands as columns of its own: not every engine orders by what it does not give.
        outside = exp.select(*(exp.column(f"c{place}", quoted=True) for place in range(len(columns))), exp.column("one", quoted=True))
        for place, (item, descending) in enumerate(kept.order):
            select = select.select(
                exp.alias_(exp.column(f"r{item}", table="kept", quoted=True) if isinstance(item, int) else self._value("t", item), f"o{place}", quoted=True)
            )
            by: exp.Expression = exp.column(f"o{place}", quoted=True)
            if isinstance(item, str) and self._types[item] == "text":
                by = dialect.by_code_point(by)
            outside = outside.order_by(exp.Ordered(this=by, desc=descending, nulls_first=False), copy=False)
        select = outside.from_(select.subquery("page")).limit(limit).offset(offset)
        types: dict[str, ValueType] = {f"c{place}": self._types[name] for place, name in enumerate(columns)}
        return self.engine.arrow(select.sql(dialect=dialect.name), parameters.values, {**types, "one": "integer"})

    def page(self, columns: Sequence[str], kept: KeptRows, offset: int, limit: int, data: ModelData | None = None) -> dict[str, StoredColumn]:
        """Some rows in an order, as the engine keeps them; under the empty name a column that has a value in each."""
        found = self._page(columns, kept, offset, limit, data)
        result = {name: encode(found.column(f"c{place}"), self._types[name]) for place, name in enumerate(columns)}
        result[""] = encode(found.column("one"), "integer")
        return result

    def relation_named(self) -> exp.Table:
        """The relation, its names quoted and never text."""
        *over, name = (exp.to_identifier(part, quoted=True) for part in self.relation)
        names = dict(zip(("db", "catalog"), reversed(over), strict=False))
        return exp.Table(this=name, **names)

    def type_of(self, name: str) -> ValueType:
        """The declared type of a column."""
        return self._types[name]

    def read_value(self, name: str, alias: str | None = None) -> exp.Expression:
        """A column as it is read, of the relation under its own name or under an alias."""
        return self._value(alias, name)

    def _source(self, alias: str) -> exp.Expression:
        named = self.relation_named()
        named.set("alias", exp.TableAlias(this=exp.to_identifier(alias, quoted=True)))
        return named

    def _value(self, alias: str | None, name: str) -> exp.Expression:
        """A column in its declared type; numbers without end are null (17.1)."""
        stored = exp.column(name, table=alias, quoted=True)
        type_ = self._types[name]
        if type_ in ("integer", "number"):
            value: exp.Expression = cast(stored, self.engine.dialect.types[type_])
            return self.engine.dialect.finite(value) if type_ == "number" else value
        return stored

    def _equal(self, own: exp.Expression, given: exp.Expression, type_: str, nulls: bool) -> list[exp.Expression]:
        """That two cells are equal, null and null too, in a form that an engine can join by."""
        given = cast(given, self.engine.dialect.types[type_]) if type_ in ("date", "timestamp") and self.engine.dialect.name != "sqlite" else given
        if not nulls:
            return [exp.EQ(this=own, expression=given)]
        zero: exp.Expression = text("") if type_ == "text" else number(0)
        if type_ == "boolean":
            zero = self.engine.dialect.truth(False)
        if type_ in ("date", "timestamp"):
            zero = cast(text("1970-01-01"), self.engine.dialect.types[type_]) if self.engine.dialect.name != "sqlite" else text("")
        flags = [exp.Case(ifs=[exp.If(this=is_null(side), true=number(1))], default=number(0)) for side in (own, given)]
        cells = [function("COALESCE", side, zero) for side in (own, given)]
        return [exp.EQ(this=flags[0], expression=flags[1]), exp.EQ(this=cells[0], expression=cells[1])]

    def _rendered(self, node: tree.Node, parameters: Parameters, data: ModelData) -> exp.Expression:
        """An expression over the table's columns in SQL. Raises NotInSql."""
        return Rendering(self.engine.dialect, parameters, data.as_of, lambda name: None, lambda _, column: self._value("t", column), _no_inner).of(node)

    def _truth(self, condition: tree.Node, parameters: Parameters, data: ModelData) -> exp.Expression:
        """1 where a condition is true, 0 where it is false, -1 where it is unknown."""
        written = self._rendered(condition, parameters, data)
        false = exp.Not(this=exp.Paren(this=written.copy()))
        return exp.Case(ifs=[exp.If(this=written, true=number(1)), exp.If(this=false, true=number(0))], default=number(-1))

    def _argument(self, node: tree.Aggregate, data: ModelData) -> exp.Expression | None:
        """The argument of an aggregate in SQL; None where the dialect has no words for it."""
        assert node.argument is not None
        try:
            return self._rendered(node.argument, Parameters(self.engine.dialect), data)
        except NotInSql:
            return None

    def _sums(self, node: tree.Aggregate, value: exp.Expression) -> dict[str, tuple[exp.Expression, ValueType]]:
        """What is asked of an argument: how many values, and their sum or extreme."""
        assert node.argument is not None
        type_: Any = node.argument.type
        found: dict[str, tuple[exp.Expression, ValueType]] = {"m": (exp.Count(this=value.copy()), "integer")}
        if node.function in ("MIN", "MAX"):
            compared = self.engine.dialect.by_code_point(value.copy()) if type_ == "text" else value.copy()
            found["s"] = (function(node.function, compared), type_)
        elif node.function in ("SUM", "AVG"):
            double = cast(value.copy(), self.engine.dialect.types["number"])
            found["s"] = (exp.Sum(this=double), "number")
            if type_ == "integer":
                found["w"] = (exp.Sum(this=function("ABS", double.copy())), "number")
        return found


def _no_inner(query: tree.InnerQuery) -> exp.Expression:
    raise NotInSql("an inner query is not asked of a table left in place")


def _bound(parameters: Parameters, value: Any) -> exp.Expression:
    """A list, or a text that holds rows, as a bound value."""
    name = f"p{len(parameters.values) + 1}"
    parameters.values[name], parameters.types[name] = value, "text"
    return exp.Placeholder(this=name)


def plain_column(stored: StoredColumn) -> list[Any]:
    """The values of a column, null as None; dates as dates."""
    index = stored.codes[:-1] if stored.codes is not None else slice(0, len(stored.values) - 1)
    values, known = stored.values[index], stored.known[index]
    if stored.type in ("date", "timestamp"):
        return [
            value if there else None
            for value, there in zip(values.astype(f"M8[{'D' if stored.type == 'date' else 'us'}]").tolist(), known.tolist(), strict=True)
        ]
    return json_values(values, known)


def _partial(node: tree.Aggregate, found: pa.Table, place: int) -> Partial | None:
    """What an aggregate sums up to in each stratum; None where it was not added up without loss."""
    assert node.argument is not None
    counts = found.column(f"m{place}").to_numpy().astype(np.int64)
    if node.function == "COUNT":
        return Partial(counts, counts)
    column = found.column(f"s{place}")
    kind = str(node.argument.type)
    if node.function in ("MIN", "MAX"):
        stored = encode(column, VALUE_TYPES[kind])
        values: Array = (stored.values[stored.codes] if stored.codes is not None else stored.values)[:-1]
        return Partial(counts, values)
    sums = np.nan_to_num(column.to_numpy(zero_copy_only=False).astype(np.float64), nan=0.0, posinf=math.inf, neginf=-math.inf)
    if not np.isfinite(sums).all():
        return None
    if kind == "integer":
        sizes = np.nan_to_num(found.column(f"w{place}").to_numpy(zero_copy_only=False).astype(np.float64))
        return Partial(counts, sums.astype(DTYPES["integer"])) if sizes.sum() < _EXACT else None
    return Partial(counts, Sums.of(sums, np.arange(len(sums)), len(sums)))


def arrow_rows(names: Sequence[str], rows: Sequence[Sequence[Any]], types: dict[str, ValueType]) -> pa.Table:
    """Rows of plain values, as a driver gives them, as Arrow columns of these types. Raises ValueError for a value of another type."""
    columns: list[Sequence[Any]] = list(zip(*rows, strict=True)) if rows else [[] for _ in names]
    return pa.table({name: pa.array(_read(column, types[name]), type=ARROW_TYPES[types[name]]) for name, column in zip(names, columns, strict=True)})


def _read(values: Sequence[Any], type_: ValueType) -> list[Any]:
    match type_:
        case "number":
            return [None if value is None else float(value) for value in values]
        case "integer":
            return [None if value is None else int(value) for value in values]
        case "boolean":
            return [None if value is None else bool(value) for value in values]
        case "date":
            return [datetime.date.fromisoformat(value) if isinstance(value, str) else value for value in values]
        case "timestamp":
            return [datetime.datetime.fromisoformat(value) if isinstance(value, str) else value for value in values]
        case "text":
            return [None if value is None else str(value) for value in values]
