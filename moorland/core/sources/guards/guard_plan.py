"""The plan of a guard: SQL that can be read and kept, and puts the policy of a model into its database (channels.md)."""

import datetime
import hashlib
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from sqlglot import exp

from moorland.core.bundle.model import Table
from moorland.core.bundle.sources import Source
from moorland.core.bundle.structure import identity
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Refused
from moorland.core.engine.visible import ViewerModel
from moorland.core.language.dialects import DIALECTS
from moorland.core.people import Viewer
from moorland.core.sources.guards.guard_views import GuardedTable, GuardWriting, copy_of
from moorland.core.sources.guards.session_values import HOLDS, KNOWN, VALUES, SessionTables, WrittenOut, today_in_sql
from moorland.core.sources.tables_in_place import SqlTable, plain_column

#: So many rows of tables that lie elsewhere are copied into a guard, and so many rows stand in one statement.
MOST_COPIED, ROWS_A_STATEMENT = 50_000, 500
#: The group whose members read through the guard.
GROUP = "moorland_readers"


@dataclass(frozen=True)
class GuardPlan:
    """A plan: in which source and schema, its statements, its views, what of them is left out closed, and a mark by which it is known again."""

    model: str
    source: str
    schema: str
    group: str
    statements: list[str]
    tables: list[GuardedTable]
    mark: str

    @property
    def left_out(self) -> list[str]:
        """What views cannot say, table by table."""
        return [f"{table.table}: {text}" for table in self.tables for text in table.left_out]

    def sql(self) -> str:
        """The whole plan as one transaction, to be read and kept."""
        notes = "".join(f"-- {line}\n" for line in (f"Guard of {self.model} in {self.source}, for members of {self.group}.", *self.left_out))
        return f"{notes}BEGIN;\n" + "".join(f"{statement};\n" for statement in self.statements) + "COMMIT;\n"


def guarded_sources(evaluator: Evaluator, model: str) -> list[Source]:
    """The PostgreSQL sources that tables of a model stay in."""
    shape = evaluator.bundle.model(model)
    used = {table.in_place.source for table in shape.tables if table.in_place is not None} if shape is not None else set()
    return [source for source in evaluator.bundle.sources if source.name in used and source.kind == "postgres"]


def guard_plan(evaluator: Evaluator, model: str, group: str = GROUP) -> GuardPlan:
    """The plan for a model whose tables stay in one PostgreSQL source. Raises Refused where there is no such source, or a guard cannot be made."""
    sources = guarded_sources(evaluator, model)
    if len(sources) != 1:
        raise Refused("invalid", f"A guard is for tables that stay in one PostgreSQL source; those of {model} stay in {len(sources) or 'none'}.")
    (source,) = sources
    if evaluator.choosing.get(model) or source.attributes:
        raise Refused("invalid", f"Where tables of {model} are is chosen by who asks: a guard is for one database.")
    shape = evaluator.models[model].schema.model
    session = SessionTables(f"{model}_seen", DIALECTS["postgres"])
    held = {table.name: _held(source, table, session) for table in shape.tables if table.in_place is not None and table.in_place.source == source.name}
    roles = [role for role in evaluator.roles.values() if role.role.model == model]
    whole = ViewerModel(evaluator.all_data(), roles, evaluator.data(model))
    writing = GuardWriting(whole, held, session, today_in_sql(evaluator.bundle.time_zone))
    views = [writing.view(table) for table in shape.tables if table.name in held and not table.quarantine]
    copies = list(_copies(evaluator, model, writing, session))
    statements = [*_begin(session, group), *_people(evaluator, model, session), *copies]
    for view in views:
        statements += list(_view(view, session, group))
    mark = hashlib.sha256("\n".join(statements).encode()).hexdigest()
    comment = exp.Literal.string(f"{mark} {evaluator.as_of.isoformat()}").sql(dialect="postgres")
    statements.append(f"COMMENT ON SCHEMA {_quoted(session.schema)} IS {comment}")
    return GuardPlan(model, source.name, session.schema, group, statements, views, mark)


def _held(source: Source, table: Table, session: SessionTables) -> SqlTable:
    assert table.in_place is not None
    relation = source.relation(table.in_place.relation)
    return SqlTable(_Unasked(source.name, session), relation, table)


class _Unasked:
    """An engine that is written for and not asked."""

    def __init__(self, name: str, session: SessionTables) -> None:
        self.name, self.dialect = name, session.dialect

    def arrow(self, sql: str, parameters: dict[str, Any], types: dict[str, Any]) -> Any:
        raise NotImplementedError


def _begin(session: SessionTables, group: str) -> Iterator[str]:
    schema = _quoted(session.schema)
    yield f"DROP SCHEMA IF EXISTS {schema} CASCADE"
    yield f"CREATE SCHEMA {schema}"
    yield f'CREATE TABLE {schema}."{HOLDS}" ("member" TEXT NOT NULL, "role" TEXT NOT NULL, "until" DATE)'
    yield f'CREATE TABLE {schema}."{KNOWN}" ("member" TEXT NOT NULL, "name" TEXT NOT NULL)'
    yield f'CREATE TABLE {schema}."{VALUES}" ("member" TEXT NOT NULL, "name" TEXT NOT NULL, "value" TEXT NOT NULL, "folded" TEXT NOT NULL)'
    for table in (HOLDS, KNOWN, VALUES):
        yield f'CREATE INDEX ON {schema}."{table}" ("member", "{"role" if table == HOLDS else "name"}")'
    yield f"GRANT USAGE ON SCHEMA {schema} TO {_quoted(group)}"


def _people(evaluator: Evaluator, model: str, session: SessionTables) -> Iterator[str]:
    """Who holds which role of the model until when, and the values those roles read."""
    names = sorted({name for role in evaluator.roles.values() if role.role.model == model for name in evaluator.viewer_reads[role.role.name]})
    holds: list[list[Any]] = []
    known: list[list[Any]] = []
    values: list[list[Any]] = []
    for viewer in evaluator.everyone():
        held = [name for name in viewer.held if evaluator.roles[name].role.model == model]
        if not viewer.enabled or not held:
            continue
        holds += [[viewer.login, name, _until(evaluator, viewer, name)] for name in held]
        for name in names:
            found = viewer.values(name)
            if found is not None:
                known.append([viewer.login, name])
                values += [[viewer.login, name, _text(value), identity(value) if isinstance(value, str) else _text(value)] for value in found]
    for table, rows in ((HOLDS, holds), (KNOWN, known), (VALUES, values)):
        yield from _inserted(session, table, rows)


def _until(evaluator: Evaluator, viewer: Viewer, role: str) -> datetime.date | None:
    """The last day on which a grant is held as it is; a limit has none: it never opens by itself."""
    days = [assignment.until if assignment is not None else None for assignment, _ in viewer.held[role].paths]
    user = evaluator.people.users.get(viewer.login or "")
    ends = [day for day in (None if None in days else max(day for day in days if day is not None), user.until if user is not None else None) if day is not None]
    return min(ends) if ends and evaluator.roles[role].role.kind == "grant" else None


def _copies(evaluator: Evaluator, model: str, writing: GuardWriting, session: SessionTables) -> Iterator[str]:
    """Tables that views look up and that lie elsewhere, as copies only Moorland writes."""
    data, rows_so_far = evaluator.data(model), 0
    for name in sorted(writing.copied):
        columns = [column for column in data.schema.tables[name].columns if not column.derived]
        rows_so_far += data.rows(name)
        if rows_so_far > MOST_COPIED:
            raise Refused("invalid", f"The views look up {name}, which does not stay there and has too many rows to copy; leave it in the same database.")
        shape = ", ".join(f"{_quoted(column.name)} {session.dialect.types[column.type]}" for column in columns)
        yield f"CREATE TABLE {_quoted(session.schema)}.{_quoted(copy_of(name))} ({shape})"
        cells = [plain_column(data.stored(name, column.name)) for column in columns]
        yield from _inserted(session, copy_of(name), [list(row) for row in zip(*cells, strict=True)])


def _view(view: GuardedTable, session: SessionTables, group: str) -> Iterator[str]:
    named = f"{_quoted(session.schema)}.{_quoted(view.table)}"
    yield f"CREATE VIEW {named} WITH (security_barrier = true) AS\n{view.select.sql(dialect='postgres', pretty=True)}"
    yield f"REVOKE ALL ON {named} FROM PUBLIC"
    yield f"GRANT SELECT ON {named} TO {_quoted(group)}"


def _inserted(session: SessionTables, table: str, rows: Sequence[Sequence[Any]]) -> Iterator[str]:
    written = WrittenOut(session.dialect)
    for start in range(0, len(rows), ROWS_A_STATEMENT):
        lines = ",\n  ".join(_line(written, row) for row in rows[start : start + ROWS_A_STATEMENT])
        yield f"INSERT INTO {_quoted(session.schema)}.{_quoted(table)} VALUES\n  {lines}"


def _line(written: WrittenOut, row: Iterable[Any]) -> str:
    return f"({', '.join(written.bind(value).sql(dialect='postgres') for value in row)})"


def _text(value: Any) -> str:
    return str(value).lower() if isinstance(value, bool) else value.isoformat() if hasattr(value, "isoformat") else str(value)


def _quoted(name: str) -> str:
    return exp.to_identifier(name, quoted=True).sql(dialect="postgres")
