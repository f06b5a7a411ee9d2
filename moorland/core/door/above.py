"""What a statement computes on answers: a general-purpose SQL engine that has nothing but them (channels.md 13.4)."""

import contextlib
import threading
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import duckdb
import pyarrow as pa
from sqlglot import exp

from moorland.core.bundle.shape import ValueType
from moorland.core.door.errors import NO_FUNCTION, NO_TABLE, NOT_SUPPORTED, SqlRefused
from moorland.core.door.expressions import position_of
from moorland.core.door.relations import folded
from moorland.core.door.translation import Base, Plan
from moorland.core.engine.cells import arrow_of
from moorland.core.engine.listing import ListedRows
from moorland.core.engine.questions import TotalsAnswer
from moorland.core.price import asker_gone, step

MEMORY = "256MB"
#: How long what is computed on answers may take, in seconds.
SECONDS = 10.0
#: Seconds between two looks at whether it is still wanted.
LOOK_SECONDS = 0.1
#: An answer of a statement has at most so many rows.
MOST_ROWS = 1_000_000
#: LPAD and RPAD make texts of at most so many signs.
MOST_PADDED = 10_000

#: What a statement may be made of above the relations; anything else is refused by name.
_STRUCTURE = (
    exp.Select, exp.Subquery, exp.From, exp.Join, exp.Where, exp.Group, exp.Having, exp.Order, exp.Ordered, exp.Limit, exp.Offset, exp.Fetch,
    exp.With, exp.CTE, exp.TableAlias, exp.Table, exp.Alias, exp.Column, exp.Identifier, exp.Star, exp.Literal, exp.Boolean, exp.Null, exp.Paren,
    exp.Union, exp.Intersect, exp.Except, exp.Distinct, exp.Tuple, exp.Values, exp.Exists, exp.DataType, exp.DataTypeParam, exp.Var,
    exp.Window, exp.WindowSpec, exp.Filter, exp.If, exp.Interval, exp.Collate,
)  # fmt: skip
_OPERATORS = (
    exp.EQ, exp.NEQ, exp.LT, exp.LTE, exp.GT, exp.GTE, exp.And, exp.Or, exp.Not, exp.Neg, exp.Add, exp.Sub, exp.Mul, exp.Div, exp.Mod, exp.DPipe,
    exp.Is, exp.Between, exp.In, exp.Like, exp.ILike, exp.Escape, exp.NullSafeEQ, exp.NullSafeNEQ, exp.Case, exp.Cast, exp.Pow,
)  # fmt: skip
#: The functions that may be used on answers; docs/channels.md lists them.
FUNCTIONS = (
    exp.Sum, exp.Avg, exp.Min, exp.Max, exp.Count, exp.Stddev, exp.StddevSamp, exp.StddevPop, exp.Variance, exp.VariancePop, exp.Median,
    exp.RowNumber, exp.Rank, exp.DenseRank, exp.PercentRank, exp.CumeDist, exp.Ntile, exp.Lag, exp.Lead, exp.FirstValue, exp.LastValue, exp.NthValue,
    exp.Coalesce, exp.Nullif, exp.Greatest, exp.Least, exp.Abs, exp.Round, exp.Ceil, exp.Floor, exp.Sign, exp.Sqrt, exp.Exp, exp.Ln, exp.Log,
    exp.Lower, exp.Upper, exp.Initcap, exp.Trim, exp.Length, exp.Substring, exp.Left, exp.Right, exp.Concat, exp.ConcatWs, exp.Replace, exp.StrPosition,
    exp.Reverse, exp.Extract, exp.DateTrunc, exp.TimestampTrunc, exp.CurrentTimestamp, exp.Chr, exp.Ascii, exp.Trunc, exp.Pad, exp.SplitPart, exp.LogicalAnd, exp.LogicalOr,
)  # fmt: skip
ALLOWED = (*_STRUCTURE, *_OPERATORS, *FUNCTIONS)
#: Functions known by a name alone.
_NAMED = frozenset(("age",))
#: Types of the engine that are types of a model, too.
_KNOWN = ("BOOLEAN", "TINYINT", "SMALLINT", "INTEGER", "BIGINT", "UTINYINT", "USMALLINT", "UINTEGER", "FLOAT", "DOUBLE", "DECIMAL", "DATE", "VARCHAR")
#: An engine without files, network and settings that could be changed.
LOCKED = (
    "SET GLOBAL python_enable_replacements = false",
    "SET GLOBAL enable_external_access = false",
    "SET GLOBAL autoinstall_known_extensions = false",
    "SET GLOBAL autoload_known_extensions = false",
    "SET GLOBAL allow_community_extensions = false",
    "SET GLOBAL threads = 1",
    f"SET GLOBAL memory_limit = '{MEMORY}'",
    "SET GLOBAL error_on_division_by_zero = false",
    "SET GLOBAL ieee_floating_point_ops = false",
    "SET GLOBAL default_null_order = 'nulls_last'",
    "SET GLOBAL lock_configuration = true",
)


@dataclass(frozen=True)
class Result:
    """What a statement gives: names and types of its columns, and its rows; notices say what is not all."""

    names: list[str]
    types: list[ValueType]
    table: pa.Table
    notices: list[str]

    @property
    def rows(self) -> list[tuple[Any, ...]]:
        """The rows as Python values."""
        return list(zip(*(column.to_pylist() for column in self.table.columns), strict=True)) if self.table.num_columns else []


def refuse_unknown(plan: Plan) -> None:
    """Raises SqlRefused for anything in what is computed on answers that is not on the list."""
    answers = {base.name for base in plan.bases}
    named = {folded(part.args["alias"].this) for part in plan.query.find_all(exp.CTE)}
    for node in plan.query.walk():
        if isinstance(node, exp.Anonymous):
            if str(node.this).lower() not in _NAMED:
                raise SqlRefused(NO_FUNCTION, f"function {str(node.this).lower()} does not exist", position=position_of(node))
        elif not isinstance(node, ALLOWED):
            if isinstance(node, exp.Func):
                raise SqlRefused(NO_FUNCTION, f"function {node.sql_name().lower()} does not exist", position=_position(node))
            raise SqlRefused(NOT_SUPPORTED, f"{type(node).__name__.upper()} is not answered here.", position=_position(node))
        if isinstance(node, exp.Pad) and not _is_bounded(node.expression):
            hint = f"LPAD and RPAD take a number of signs of at most {MOST_PADDED:,}."
            raise SqlRefused("54000", "This would put longer texts together than may be.", hint, position_of(node))
        if isinstance(node, exp.Table):
            name = folded(node.this)
            if isinstance(node.this, exp.Func):
                raise SqlRefused(NO_FUNCTION, f"function {node.this.sql_name().lower()} does not exist", position=_position(node))
            if not isinstance(node.this, exp.Identifier) or node.args.get("db") or name not in answers | named:
                raise SqlRefused(NO_TABLE, f'relation "{name}" does not exist', position=position_of(node))
        if isinstance(node, exp.With) and node.args.get("recursive"):
            raise SqlRefused(NOT_SUPPORTED, "WITH RECURSIVE is not answered here.", position=position_of(node))


def _is_bounded(count: object) -> bool:
    """Whether a number of signs is written out, and not too large: texts are put together before anything could stop it."""
    return isinstance(count, exp.Literal) and str(count.this).isdigit() and int(count.this) <= MOST_PADDED


def refuse_capped(plan: Plan, capped: Sequence[str]) -> None:
    """Raises SqlRefused where a number would be computed over rows of which only some are listed (13.4)."""
    if not capped:
        return
    query, plain = plan.query, ("expressions", "from_")
    whole = (
        isinstance(query, exp.Select)
        and len(plan.bases) == 1
        and all(not value or key in (*plain, "kind", "operation_modifiers") for key, value in query.args.items())
    )
    counts = any(isinstance(node, exp.AggFunc | exp.Window | exp.Distinct) for node in query.walk())
    if not whole or counts:
        hint = "Ask for totals in one SELECT over the relation, or narrow it with WHERE: then the question itself counts, orders and filters."
        raise SqlRefused("54000", f"{'; '.join(capped)}. What is computed over them would not be of all.", hint)


def table_of(base: Base, answer: ListedRows | TotalsAnswer) -> pa.Table:
    """An answer as a table of the engine."""
    columns = {}
    for column in base.columns:
        if isinstance(answer, ListedRows):
            columns[column.name] = answer.arrow(column.place, column.type)
            continue
        if base.grouped:
            values = [line.key[column.place] if column.source == "key" else line.values[column.place] for line in answer.lines]
        else:
            values = [answer.total[column.place]]
        columns[column.name] = arrow_of(values, column.type)
    return pa.table(columns)


#: Engines that are idle: one takes longer to be made than most statements.
_idle: list[duckdb.DuckDBPyConnection] = []
MOST_IDLE = 6


@contextlib.contextmanager
def _engine() -> Iterator[duckdb.DuckDBPyConnection]:
    """A connection of its own to an engine nobody else uses meanwhile; what is registered goes with the connection."""
    try:
        engine = _idle.pop()
    except IndexError:
        engine = duckdb.connect(":memory:")
        for setting in LOCKED:
            engine.execute(setting)
    connection = engine.cursor()
    try:
        yield connection
    finally:
        connection.close()
        if len(_idle) < MOST_IDLE:
            _idle.append(engine)
        else:
            engine.close()


def computed(plan: Plan, tables: dict[str, pa.Table], notices: list[str]) -> Result:
    """What the statement gives over its answers. Raises SqlRefused."""
    with _engine() as connection:
        return _computed(connection, plan, tables, notices)


def _computed(connection: duckdb.DuckDBPyConnection, plan: Plan, tables: dict[str, pa.Table], notices: list[str]) -> Result:
    try:
        for name, table in tables.items():
            connection.register(name, table)
        with interrupted(connection):
            relation = connection.sql(plan.query.sql(dialect="duckdb"))
            names = list(relation.columns)
            relation = relation.project(", ".join(_as_known(place, str(kind)) for place, kind in enumerate(relation.types, start=1)))
            # One more than may be given: an answer is never made whole only to be found too long.
            found: pa.Table = relation.limit(MOST_ROWS + 1).to_arrow_table()
    except RecursionError:
        raise SqlRefused("54001", "The statement nests deeper than can be answered.") from None
    except duckdb.InterruptException:
        step()
        raise SqlRefused("57014", f"This takes longer than the {SECONDS:g} seconds that may be computed on answers.") from None
    except duckdb.OutOfMemoryException:
        raise SqlRefused("53200", "This takes more memory than may be used on answers. Ask for less at a time.") from None
    except duckdb.Error as error:
        raise SqlRefused("42601", _sentence(str(error))) from None
    if found.num_rows > MOST_ROWS:
        raise SqlRefused("54000", f"This gives more than {MOST_ROWS:,} rows. Ask for fewer with LIMIT or WHERE.")
    plain = [_plain(column) for column in found.columns]
    types = [kind for _, kind in plain]
    return Result(names, types, pa.table([column for column, _ in plain], names=[str(place) for place in range(len(plain))]), notices)


@contextlib.contextmanager
def interrupted(connection: duckdb.DuckDBPyConnection) -> Iterator[None]:
    """Stops what the engine computes inside when it takes too long, or nobody waits for it any more."""
    unwanted, done = asker_gone(), threading.Event()
    until = time.monotonic() + SECONDS

    def look() -> None:
        while not done.wait(LOOK_SECONDS):
            if time.monotonic() > until or unwanted():
                connection.interrupt()
                return

    looking = threading.Thread(target=look, name="interrupts", daemon=True)
    looking.start()
    try:
        yield
    finally:
        done.set()


def _as_known(place: int, kind: str) -> str:
    """A column of the result, as text where its type is none of the model's."""
    if kind.startswith("TIMESTAMP"):
        return f"CAST(#{place} AS TIMESTAMP)"
    if kind in ("HUGEINT", "UHUGEINT", "UBIGINT"):
        return f"TRY_CAST(#{place} AS BIGINT)"
    return f"#{place}" if kind.startswith(_KNOWN) else f"CAST(#{place} AS VARCHAR)"


def _plain(column: pa.ChunkedArray) -> tuple[pa.ChunkedArray, ValueType]:
    """A column in one of the types of the model: what the engine makes besides becomes the nearest of them."""
    kind = column.type
    if pa.types.is_boolean(kind):
        return column, "boolean"
    if pa.types.is_integer(kind):
        return column.cast(pa.int64()), "integer"
    if pa.types.is_floating(kind) or pa.types.is_decimal(kind):
        return column.cast(pa.float64(), safe=False), "number"
    if pa.types.is_date(kind):
        return column.cast(pa.date32()), "date"
    if pa.types.is_timestamp(kind):
        return column.cast(pa.timestamp("us")), "timestamp"
    return column.cast(pa.string()), "text"


def _position(node: object) -> int | None:
    return position_of(node) if isinstance(node, exp.Expression) else None


def _sentence(message: str) -> str:
    """The first line of what the engine says, without its kind; it has seen nothing but answers."""
    first = message.splitlines()[0]
    return first.partition(": ")[2] or first
