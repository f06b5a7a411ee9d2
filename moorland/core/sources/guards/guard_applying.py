"""A guard in its database: put there in one transaction, known again, and compared with the evaluator cell by cell (channels.md)."""

import math
from collections import Counter
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np
import psycopg
from psycopg import sql

from moorland.core.engine.columns import TableData
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.in_place import KeptRows
from moorland.core.engine.mask_kinds import Hash
from moorland.core.engine.questions import Refused
from moorland.core.engine.table_view import TableView, listed_table
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import Array
from moorland.core.people import Viewer
from moorland.core.sources.engine_postgres import Postgres
from moorland.core.sources.engines import DatabaseEngine, said
from moorland.core.sources.guards.guard_plan import GuardPlan
from moorland.core.sources.guards.guard_views import GuardedTable
from moorland.core.sources.tables_in_place import Engine, SqlTable

GuardState = Literal["none", "current", "out of date"]
#: So many rows of a table are compared.
MOST_COMPARED = 200_000


@contextmanager
def connected(engine: DatabaseEngine) -> Iterator[psycopg.Connection[Any]]:
    """A connection of its own that may write. Raises SourceFailed."""
    source = engine.name
    if not isinstance(engine, Postgres):
        raise SourceFailed(source, f"{source} is no PostgreSQL database.")
    try:
        address = psycopg.conninfo.make_conninfo(engine.address) if isinstance(engine.address, str) else psycopg.conninfo.make_conninfo(**engine.address)
        with psycopg.connect(address, connect_timeout=10, autocommit=True, options="-c timezone=UTC") as connection:
            yield connection
    except psycopg.Error as wrong:
        raise SourceFailed(source, f"{source} refuses: {said(wrong)}.") from None


def applied(connection: psycopg.Connection[Any], plan: GuardPlan) -> None:
    """Puts a plan into the database, whole or not at all. Raises SourceFailed where something outside hangs on the guard that is there."""
    with connection.transaction():
        hanging = connection.execute(
            "SELECT DISTINCT n.nspname || '.' || c.relname FROM pg_depend d JOIN pg_rewrite r ON r.oid = d.objid JOIN pg_class c ON c.oid = r.ev_class"
            " JOIN pg_namespace n ON n.oid = c.relnamespace JOIN pg_class own ON own.oid = d.refobjid JOIN pg_namespace o ON o.oid = own.relnamespace"
            " WHERE o.nspname = %s AND n.nspname <> %s",
            (plan.schema, plan.schema),
        ).fetchall()
        if hanging:
            raise SourceFailed(plan.source, f"{hanging[0][0]} reads from the guard that is there; take it away first. Nothing was changed.")
        for statement in plan.statements:
            connection.execute(statement.encode())


def state_of(connection: psycopg.Connection[Any], plan: GuardPlan) -> tuple[GuardState, str | None]:
    """Whether the guard in the database is the plan's, and the day it was made on."""
    row = connection.execute("SELECT obj_description(oid, 'pg_namespace') FROM pg_namespace WHERE nspname = %s", (plan.schema,)).fetchone()
    if row is None:
        return "none", None
    mark, _, day = (row[0] or "").partition(" ")
    return ("current" if mark == plan.mark else "out of date"), day or None


@dataclass
class Verified:
    """What the comparison found: of how many viewers and cells, which do not agree, who has no user of their own, and what is left out closed."""

    viewers: int = 0
    cells: int = 0
    without_user: list[str] = field(default_factory=list)
    more: list[str] = field(default_factory=list)
    less: list[str] = field(default_factory=list)

    @property
    def agrees(self) -> bool:
        """Whether nobody is shown more, and nobody less but where it is told."""
        return not self.more and not self.less


def verified(connection: psycopg.Connection[Any], plan: GuardPlan, evaluator: Evaluator, engine: Engine, logins: Iterable[str] | None = None) -> Verified:
    """Asks the views as many viewers, and compares every cell with the evaluator on the same rows. The connection has to be able to become others."""
    held = {
        table.name: SqlTable(engine, evaluator_relation(evaluator, plan, table.name), table)
        for table in evaluator.models[plan.model].schema.model.tables
        if table.in_place is not None and table.in_place.source == plan.source
    }
    here = evaluator.with_content(lambda model, name: _in_memory(held[name]) if model.name == plan.model and name in held else None)
    users = {row[0] for row in connection.execute("SELECT rolname FROM pg_roles").fetchall()}
    found = Verified()
    wanted = set(logins) if logins is not None else None
    for viewer in here.everyone():
        login = viewer.login or ""
        if wanted is not None and login not in wanted:
            continue
        if login not in users:
            if any(here.roles[name].role.model == plan.model for name in viewer.held):
                found.without_user.append(login)
            continue
        found.viewers += 1
        connection.execute(sql.SQL("SET SESSION AUTHORIZATION {}").format(sql.Identifier(login)))
        try:
            for table in plan.tables:
                _compared(connection, plan, here, viewer, table, found)
        finally:
            connection.execute("RESET SESSION AUTHORIZATION")
    return found


def evaluator_relation(evaluator: Evaluator, plan: GuardPlan, table: str) -> list[str]:
    """The relation a table stays in."""
    source = next(item for item in evaluator.bundle.sources if item.name == plan.source)
    shape = evaluator.models[plan.model].schema.tables[table]
    assert shape.in_place is not None
    return source.relation(shape.in_place.relation)


def _in_memory(held: SqlTable) -> TableData:
    names = [column.name for column in held.table.columns if not column.derived]
    page = held.page(names, KeptRows(None), 0, MOST_COMPARED + 1)
    one = page.pop("")
    rows = len(one.codes if one.codes is not None else one.values) - 1
    if rows > MOST_COMPARED:
        raise Refused("invalid", f"{held.table.title} has more than {MOST_COMPARED:,} rows, which are not compared cell by cell.")
    return TableData(f"compared {held.table.name}", rows, page)


def _compared(connection: psycopg.Connection[Any], plan: GuardPlan, here: Evaluator, viewer: Viewer, table: GuardedTable, found: Verified) -> None:
    try:
        there = connection.execute(sql.SQL("SELECT * FROM {}").format(sql.Identifier(plan.schema, table.table))).fetchall()
    except psycopg.errors.InsufficientPrivilege:
        there = []
    seen = Counter(tuple(map(_plain, row)) for row in there)
    meant = Counter(_meant(here, viewer, plan.model, table))
    found.cells += sum(seen.values()) * len(table.columns)
    whom = f"{viewer.login} in {table.table}"
    found.more += [f"{whom} is shown {_rows(times)} otherwise: {_told(table.columns, row)}" for row, times in (seen - meant).items()]
    found.less += [f"{whom} is not shown {_rows(times)}: {_told(table.columns, row)}" for row, times in (meant - seen).items()]


def _meant(here: Evaluator, viewer: Viewer, model: str, table: GuardedTable) -> Iterator[tuple[Any, ...]]:
    """The rows a viewer may list, as they are shown; by what the view does not leave out."""
    if any(here.roles[name].role.kind == "limit" for name in table.roles & viewer.held.keys()):
        return
    try:
        on = here.viewer_model(replace(viewer, held={name: how for name, how in viewer.held.items() if name not in table.roles}), model)
    except Refused:
        return
    if table.table not in on.objects.tables:
        return
    view = listed_table(on, table.table)
    rows = np.flatnonzero(view.rows)
    cells = [_cells(view, (table.table, name), rows, here.secret) if name not in table.empty else [None] * len(rows) for name in table.columns]
    yield from (tuple(map(_plain, row)) for row in zip(*cells, strict=True))


def _cells(view: TableView, key: ColumnKey, rows: Array, secret: bytes) -> list[Any]:
    """What is shown of a column; nothing in place of a code, whose key stays in Moorland."""
    if key not in view.model.objects.columns:
        return [None] * len(rows)
    kinds = view.model.ladder.kinds
    coded = [isinstance(kinds[state], Hash) for state in view.states_in(key, rows).tolist()]
    return [None if hidden else value for value, hidden in zip(view.shown(key, secret).values(rows), coded, strict=True)]


def _rows(times: int) -> str:
    return "a row" if times == 1 else f"{times:,} rows"


def _plain(value: Any) -> Any:
    """A value as both sides write it; numbers to 12 digits."""
    if isinstance(value, bool) or value is None:
        return value
    if isinstance(value, int | float) or hasattr(value, "as_tuple"):
        number = float(value)
        return None if math.isnan(number) else float(f"{number:.12g}")
    return value.isoformat() if hasattr(value, "isoformat") else value


def _told(columns: list[str], row: tuple[Any, ...]) -> str:
    return ", ".join(f"{name} {value}" for name, value in zip(columns, row, strict=True))[:300]
