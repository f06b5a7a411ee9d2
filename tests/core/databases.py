"""Databases that tests ask for real: SQLite in memory, and a PostgreSQL server of the tests' own on a private port and folder."""

import contextlib
import datetime
import itertools
import os
import pwd
import shutil
import socket
import sqlite3
import subprocess
import tempfile
from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

import psycopg

from moorland.core.language.dialects import DIALECTS, Dialect
from tests.core.oracle.worlds import COLUMNS, World

_FILLINGS = itertools.count()


def content_of_its_own() -> str:
    """A name for what tables left in place hold now: strata are kept by it, whichever test filled the tables."""
    return f"filling {next(_FILLINGS)}"


class Database:
    """A connection, its dialect, and the tables of a world in it."""

    def __init__(self, dialect: Dialect, connection: Any) -> None:
        self.dialect, self.connection = dialect, connection
        self.made = False

    def fill(self, world: World) -> None:
        """Puts the world's tables in place of what was there."""
        cursor = self.connection.cursor()
        for table, columns in COLUMNS.items():
            if not self.made:
                shape = ", ".join(f'"{name}" {self.dialect.types[type_]}' for name, type_ in columns.items())
                cursor.execute(f'CREATE TABLE "{table}" ({shape})')
            cursor.execute(f'DELETE FROM "{table}"')
            marks = ", ".join(["%s" if self.dialect.name == "postgres" else "?"] * len(columns))
            for row in world.rows(table):
                cursor.execute(f'INSERT INTO "{table}" VALUES ({marks})', [self.dialect.stored(value) for value in row])
        self.made = True

    def answer(self, sql: str, parameters: dict[str, Any]) -> list[list[Any]]:
        """The rows of a statement, values as JSON gives them."""
        cursor = self.connection.cursor()
        cursor.execute(sql, parameters)
        return [[plain(value) for value in row] for row in cursor.fetchall()]


def plain(value: Any) -> Any:
    if isinstance(value, datetime.date):
        return value.isoformat()
    return float(value) if isinstance(value, Decimal) else value


def sqlite() -> Database:
    """SQLite in memory."""
    # A source asks on a thread of its own.
    return Database(DIALECTS["sqlite"], sqlite3.connect(":memory:", check_same_thread=False))


@contextlib.contextmanager
def postgres() -> Iterator[Database]:
    """The same server as a database that questions are compared with."""
    with running_postgres() as address, psycopg.connect(address, autocommit=True, cursor_factory=psycopg.ClientCursor) as connection:
        yield Database(DIALECTS["postgres"], connection)


@contextlib.contextmanager
def running_postgres() -> Iterator[str]:
    """A PostgreSQL server made for as long as the context lasts, reached through a socket in its folder: where."""
    programs = sorted(Path("/usr/lib/postgresql").glob("*/bin"))[-1]
    folder = Path(tempfile.mkdtemp(prefix="moorland-postgres-"))
    user: str | None = None
    if os.getuid() == 0:
        user = "postgres"
        owner = pwd.getpwnam(user)
        os.chown(folder, owner.pw_uid, owner.pw_gid)
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    options = {"user": user, "check": True, "stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "cwd": folder}
    try:
        subprocess.run([programs / "initdb", "-D", folder / "data", "-U", "postgres", "-A", "trust", "-E", "UTF8", "--no-sync"], **options)
        settings = f"-c listen_addresses= -c unix_socket_directories={folder} -c port={port} -c fsync=off -c shared_buffers=32MB"
        subprocess.run([programs / "pg_ctl", "-D", folder / "data", "-w", "-o", settings, "start"], **options)
        try:
            yield f"host={folder} port={port} user=postgres dbname=postgres"
        finally:
            subprocess.run([programs / "pg_ctl", "-D", folder / "data", "-m", "immediate", "stop"], **options)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
