"""Which tables stay in their engine and which are read as a snapshot, for an evaluator (sources.md 18.1)."""

import hashlib
import os
import threading
from collections import OrderedDict
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import Any

import pyarrow as pa
from sqlglot import exp

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.model import Model, Table
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.sources import Source
from moorland.core.engine.columns import StoredColumn, TableData
from moorland.core.engine.evaluator import TableLoader
from moorland.core.engine.in_place import KeptRows
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.sources.engines import DatabaseEngine, LaterEngine, SqliteFile
from moorland.core.sources.tables_in_place import SqlTable

#: A table that others look up is read as a snapshot up to so many rows.
MOST_SNAPSHOT_ROWS = 2_000_000
#: Of a table that is read anew for every question so many rows are looked at.
MOST_READ_ANEW = 200_000
#: So many snapshots are kept, with so many bytes; those used last.
MOST_SNAPSHOTS, MOST_SNAPSHOT_BYTES = 64, 2 * 1024**3
_snapshots: OrderedDict[str, TableData] = OrderedDict()
_lock = threading.Lock()
#: The engine of a source, by the values that choose its settings.
EngineFor = Callable[[Source, Mapping[str, str]], DatabaseEngine]
#: What PostgreSQL calls the ways to secure a connection.
_TLS = {"off": "disable", "required": "require", "verified": "verify-full"}


def engine_of(source: Source, secret: str | None, folders: list[Path], hosts: list[str]) -> DatabaseEngine:
    """The engine of a source; its file lies in one of the folders named on the machine, its host is one of the list (17.1). Raises SourceFailed."""
    if source.file is not None:
        file = _inside(source, folders)
        if source.kind == "sqlite":
            return SqliteFile(source.name, file)
        from moorland.core.sources.engine_duckdb import DuckDbFile

        return DuckDbFile(source.name, file)
    if source.host not in hosts:
        raise SourceFailed(source.name, f"{source.host} is none of the hosts that sources may be on. Name it in MOORLAND_SOURCE_HOSTS.")
    if source.kind == "spark":
        try:
            from moorland.core.sources.engine_spark import SparkConnect
        except ImportError:
            raise SourceFailed(source.name, "The client of Spark Connect is not installed on this machine: install moorland[spark].") from None

        return SparkConnect(source.name, source.host or "", source.port or 15_002, secret, source.tls != "off")
    address: dict[str, Any] = {"host": source.host, "dbname": source.database, "sslmode": _TLS[source.tls]}
    more = {"port": source.port, "user": source.user, "password": secret}
    # Loaded where it is used: most workspaces have no such source, and every command would wait for it.
    from moorland.core.sources.engine_postgres import Postgres

    return Postgres(source.name, {**address, **{name: value for name, value in more.items() if value is not None}})


def _inside(source: Source, folders: list[Path]) -> Path:
    """The file of a source. Raises SourceFailed where it is in none of the folders, or leads out of one."""
    assert source.file is not None
    for folder in folders:
        file = (folder / source.file).resolve()
        if file.is_relative_to(folder.resolve()) and file.is_file():
            return file
    raise SourceFailed(source.name, f"There is no file {source.file} in a folder that sources may be in. Name its folder in MOORLAND_SOURCE_FOLDERS.")


def machine_folders() -> list[Path]:
    """The folders that sources may be in, as they are named on the machine."""
    return [Path(folder) for folder in os.environ.get("MOORLAND_SOURCE_FOLDERS", "").split(os.pathsep) if folder]


def machine_hosts() -> list[str]:
    """The hosts that sources may be on, as they are named on the machine."""
    return [host.strip() for host in os.environ.get("MOORLAND_SOURCE_HOSTS", "localhost").split(",") if host.strip()]


def machine_secret(source: Source) -> str | None:
    """The secret of a source as a command finds it: never in a bundle."""
    return os.environ.get(f"MOORLAND_SOURCE_SECRET_{''.join(sign if sign.isalnum() else '_' for sign in source.name).upper()}")


def marked(engine: DatabaseEngine, relation: Sequence[str], column: str) -> str:
    """What the marker of a source says now. Raises SourceFailed where it is not one value."""
    names = [exp.to_identifier(part, quoted=True) for part in relation]
    named = dict(zip(("db", "catalog"), reversed(names[:-1]), strict=False))
    select = exp.select(exp.column(column, quoted=True)).from_(exp.Table(this=names[-1], **named)).limit(2)
    rows = engine.rows(select.sql(dialect=engine.dialect.name))
    if len(rows) != 1:
        raise SourceFailed(engine.name, f"The marker {'.'.join(relation)} has {len(rows) or 'no'} rows; a marker has one.")
    return str(rows[0][0])


def fingerprint(held: SqlTable, columns: Sequence[str]) -> str:
    """What a relation holds now, as a hash of its first rows in order. Raises SourceFailed."""
    rows = held.arrow(columns, KeptRows(None, order=[(name, False) for name in columns]), 0, MOST_READ_ANEW)
    sink = pa.BufferOutputStream()
    with pa.ipc.new_stream(sink, rows.schema) as written:
        written.write_table(rows.combine_chunks())
    return hashlib.sha256(sink.getvalue()).hexdigest()


def placed(load: TableLoader, bundle: Bundle, engine: EngineFor, content: Callable[[Source, str, str], str]) -> "PlacedTables":
    """Loads tables that are left in place as such, tables others look up as snapshots, and all others as `load` does.

    `content` names what a source holds now of a model's table; while it is the same, so is the data.
    """
    return PlacedTables(load, {source.name: source for source in bundle.sources}, engine, content)


class PlacedTables:
    """Loads the tables of a bundle from where they are; where settings depend on who asks, by the values that choose (sources.md 17.2, 18.1)."""

    def __init__(self, load: TableLoader, sources: dict[str, Source], engine: EngineFor, content: Callable[[Source, str, str], str]) -> None:
        self._load, self._sources, self._engine, self._content = load, sources, engine, content

    def __call__(self, model: Model, name: str) -> TableData:
        return self.chosen(model, name, {})

    def chosen(self, model: Model, name: str, values: Mapping[str, str]) -> TableData:
        """The data of a table by the values that choose its source."""
        table = next(table for table in model.tables if table.name == name)
        if table.in_place is None:
            return self._load(model, name)
        written = self._sources[table.in_place.source]
        source = written.resolved(values)
        later = LaterEngine(source.name, source.kind, partial(self._engine, written, values))
        held = SqlTable(later, source.relation(table.in_place.relation), table)
        chosen = [source.file, source.database, source.schema_] if written.attributes else ""
        return _placed(model, table, held, f"{chosen}{self._content(source, model.name, name)}")


def _placed(model: Model, table: Table, held: SqlTable, content: str) -> TableData:
    columns = [(column.name, column.type) for column in table.columns if not column.derived]
    version = f"{held.engine.name} {'.'.join(held.relation)} {columns} {content}"
    if not is_looked_up(model, table.name):
        return TableData(version, 0, {}, held)
    with _lock:
        if version in _snapshots:
            _snapshots.move_to_end(version)
            return _snapshots[version]
    rows = held.rows()
    if rows > MOST_SNAPSHOT_ROWS:
        return TableData(version, 0, {}, held)
    read = held.page([name for name, _ in columns], KeptRows(None), 0, MOST_SNAPSHOT_ROWS)
    one = read.pop("")
    length = len(one.codes if one.codes is not None else one.values) - 1
    _check_key(table, read)
    snapshot = TableData(hashlib.sha256(version.encode()).hexdigest(), length, read)
    with _lock:
        _snapshots[version] = snapshot
        while len(_snapshots) > 1 and (len(_snapshots) > MOST_SNAPSHOTS or sum(kept.bytes for kept in _snapshots.values()) > MOST_SNAPSHOT_BYTES):
            _snapshots.popitem(last=False)
    return snapshot


def is_looked_up(model: Model, table: str) -> bool:
    """Whether other tables refer to a table, or to another name of it."""
    names = {table, *(item.name for item in model.tables if item.alias_of == table)}
    return any(relationship.one[0] in names for relationship in model.relationships)


def _check_key(table: Table, columns: dict[str, StoredColumn]) -> None:
    """Raises BundleError where a key is null or stands twice."""
    if table.key is None or table.key not in columns:
        return
    stored = columns[table.key]
    index = stored.codes[:-1] if stored.codes is not None else slice(0, len(stored.values) - 1)
    values, known = stored.values[index], stored.known[index]
    if not known.all():
        raise BundleError([Problem("key", f"the key {table.key} of {table.name} is null in {int((~known).sum()):,} rows of its source.")])
    if len(set(values.tolist())) < len(values):
        raise BundleError([Problem("key", f"the key {table.key} of {table.name} stands twice in its source.")])
