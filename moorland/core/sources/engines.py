"""Connections to engines that hold tables, one statement at a time; a SQLite file is one (sources.md 17)."""

import contextlib
import sqlite3
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor, wait
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

import pyarrow as pa

from moorland.core.bundle.shape import ValueType
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.language.dialects import DIALECTS, Dialect
from moorland.core.price import step
from moorland.core.sources.tables_in_place import arrow_rows

Result = TypeVar("Result")
#: Seconds between two looks at whether an answer is still wanted.
LOOK_SECONDS = 0.25
#: An engine that has not answered within so many seconds is given up on.
LONGEST_SECONDS = 60


class DatabaseEngine:
    """An engine behind one connection, opened when it is first asked and anew where it broke; one statement at a time."""

    dialect: Dialect

    def __init__(self, name: str, kind: str) -> None:
        self.name, self.dialect = name, DIALECTS[kind]
        self._lock = threading.Lock()
        self._connection: Any = None
        self._worker: ThreadPoolExecutor | None = None
        #: Told of every failure.
        self.troubled: Callable[[SourceFailed], None] | None = None

    def _failed(self, message: str) -> SourceFailed:
        failed = SourceFailed(self.name, message)
        if self.troubled is not None:
            self.troubled(failed)
        return failed

    def arrow(self, sql: str, parameters: dict[str, Any], types: dict[str, ValueType]) -> pa.Table:
        """The rows of a statement, as columns of these types. Raises SourceFailed."""
        try:
            return self._guarded(lambda: self._arrow(sql, parameters, types))
        except (ValueError, TypeError, KeyError, pa.ArrowException) as wrong:
            raise self._failed(f"{self.name} gives a value of another type than was declared: {wrong}.") from None

    def rows(self, sql: str, parameters: dict[str, Any] | None = None) -> list[tuple[Any, ...]]:
        """The rows of a statement. Raises SourceFailed."""
        return self._guarded(lambda: self._rows(sql, parameters or {})[1])

    def columns(self, relation: list[str]) -> list[tuple[Any, ...]]:
        """The names and types of a relation's columns, where the engine tells them otherwise than by a statement. Raises SourceFailed."""
        raise NotImplementedError

    def write(self, statements: Sequence[tuple[str, dict[str, Any]]], relation: str) -> bool:
        """Statements about a relation in one transaction, each of which is to change one row; False, with nothing changed, where one changes another number.

        Raises SourceFailed where the engine refuses, with nothing changed either.
        """
        while not self._lock.acquire(timeout=LOOK_SECONDS):
            step()
        try:
            return self._waited(partial(self._written, statements, relation))
        except (*self.broken, *self.wrong) as wrong:
            raise SourceFailed(self.name, f"{self.name} refuses the change: {said(wrong)}.") from None
        finally:
            self._lock.release()

    def _written(self, statements: Sequence[tuple[str, dict[str, Any]]], relation: str) -> bool:
        # Where an engine keeps one way of opening at a time, the connection that reads makes way.
        self._drop()
        self._connection = self._open_to_write(relation)
        try:
            self._connection.execute("BEGIN")
            if any(self._rows_changed(sql, parameters) != 1 for sql, parameters in statements):
                self._connection.execute("ROLLBACK")
                return False
            self._connection.execute("COMMIT")
            return True
        finally:
            self._drop()

    def _open_to_write(self, relation: str) -> Any:
        """A connection that may write to a relation. Raises SourceFailed where changes are not made through this kind of engine."""
        raise SourceFailed(self.name, f"{self.name} is not written to: rows are changed in SQLite, DuckDB and PostgreSQL only.")

    def _rows_changed(self, sql: str, parameters: dict[str, Any]) -> int:
        """Makes a change; how many rows it was of."""
        found: int = self._connection.execute(sql, parameters).rowcount
        return found

    def _guarded(self, ask: Callable[[], Result]) -> Result:
        """One statement at a time; a connection that was open already and broke is opened anew, once."""
        while not self._lock.acquire(timeout=LOOK_SECONDS):
            step()
        try:
            for fresh in (self._connection is None, True):
                try:
                    return self._waited(partial(self._on_connection, ask))
                except self.broken as wrong:
                    self._drop()
                    if fresh:
                        raise self._failed(f"{self.name} cannot be reached: {said(wrong)}.") from None
                except self.wrong as wrong:
                    raise self._failed(f"{self.name} refuses a statement: {said(wrong)}.") from None
        finally:
            self._lock.release()
        raise AssertionError("a second try is the last")

    def _on_connection(self, ask: Callable[[], Result]) -> Result:
        if self._connection is None:
            self._connection = self._open()
        return ask()

    def _waited(self, ask: Callable[[], Result]) -> Result:
        """What a statement gives. Where nobody waits for it any more, or it takes too long, the engine is told to end it."""
        if self._worker is None:
            self._worker = ThreadPoolExecutor(max_workers=1, thread_name_prefix="source")
        until, asked = time.monotonic() + LONGEST_SECONDS, self._worker.submit(ask)
        try:
            while not wait([asked], timeout=LOOK_SECONDS).done:
                step()
                if time.monotonic() > until:
                    raise self._failed(f"{self.name} did not answer within {LONGEST_SECONDS} seconds; the statement was ended.")
        except BaseException:
            self._end(asked)
            raise
        return asked.result()

    def _end(self, asked: Future[Any]) -> None:
        """Ends a statement that runs; a connection that does not let go of it is given up."""
        with contextlib.suppress(Exception):
            self._interrupt()
        if not wait([asked], timeout=10).done:
            self._worker, self._connection = None, None

    def _interrupt(self) -> None:
        """Tells the engine to end what it works on."""
        self._connection.interrupt()

    def close(self) -> None:
        """Ends the connection."""
        with self._lock:
            self._drop()

    #: What a driver raises for a connection that broke, and for anything else.
    broken: tuple[type[Exception], ...] = ()
    wrong: tuple[type[Exception], ...] = ()

    def _open(self) -> Any:
        raise NotImplementedError

    def _rows(self, sql: str, parameters: dict[str, Any]) -> tuple[list[str], list[tuple[Any, ...]]]:
        cursor = self._connection.execute(sql, parameters)
        return [column[0] for column in cursor.description], cursor.fetchall()

    def _arrow(self, sql: str, parameters: dict[str, Any], types: dict[str, ValueType]) -> pa.Table:
        names, rows = self._rows(sql, parameters)
        return arrow_rows(names, rows, types)

    def _drop(self) -> None:
        connection, self._connection = self._connection, None
        if connection is not None:
            try:
                connection.close()
            except Exception:
                return


class SqliteFile(DatabaseEngine):
    """A SQLite file, read only."""

    broken, wrong = (), (sqlite3.Error,)

    def __init__(self, name: str, file: Path) -> None:
        super().__init__(name, "sqlite")
        self._file = file

    def _open(self) -> Any:
        connection = sqlite3.connect(f"{self._file.resolve().as_uri()}?mode=ro", uri=True, check_same_thread=False, timeout=LONGEST_SECONDS)
        connection.execute("PRAGMA query_only = ON")
        # What tells columns, and rows that are sent along, is made when it is first used, which is a write to what SQLite keeps of itself.
        connection.execute("SELECT name FROM pragma_table_info('none')").fetchall()
        connection.execute("SELECT value FROM json_each('[]')").fetchall()
        connection.set_authorizer(_reading_only)
        return connection

    def _open_to_write(self, relation: str) -> Any:
        connection = sqlite3.connect(
            f"{self._file.resolve().as_uri()}?mode=rw", uri=True, check_same_thread=False, timeout=LONGEST_SECONDS, isolation_level=None
        )
        connection.set_authorizer(partial(_writing_to, relation))
        return connection


#: What SQLite is let do: read, and call functions.
_READING = {sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, sqlite3.SQLITE_FUNCTION, sqlite3.SQLITE_RECURSIVE, sqlite3.SQLITE_TRANSACTION}


def _reading_only(action: int, *about: Any) -> int:
    if action == sqlite3.SQLITE_PRAGMA:
        return sqlite3.SQLITE_OK if about[0] == "table_info" else sqlite3.SQLITE_DENY
    harmless = action in _READING and not (action == sqlite3.SQLITE_FUNCTION and about[1] == "load_extension")
    return sqlite3.SQLITE_OK if harmless else sqlite3.SQLITE_DENY


#: What changes rows: of the relation itself, or of what its own triggers write.
_CHANGING = {sqlite3.SQLITE_INSERT, sqlite3.SQLITE_UPDATE, sqlite3.SQLITE_DELETE}


def _writing_to(relation: str, action: int, *about: Any) -> int:
    if action in _CHANGING:
        return sqlite3.SQLITE_OK if about[0] == relation or about[3] is not None else sqlite3.SQLITE_DENY
    return _reading_only(action, *about)


def said(wrong: Exception) -> str:
    """What a driver says, in one line."""
    return " ".join(str(wrong).split()).rstrip(".")[:300]


class LaterEngine:
    """An engine that is looked for when it is first asked: what leaves tables in it can be read while it is away."""

    def __init__(self, name: str, kind: str, find: Callable[[], DatabaseEngine]) -> None:
        self.name, self.dialect, self._find = name, DIALECTS[kind], find

    def arrow(self, sql: str, parameters: dict[str, Any], types: dict[str, ValueType]) -> pa.Table:
        """The rows of a statement. Raises SourceFailed."""
        return self._find().arrow(sql, parameters, types)
