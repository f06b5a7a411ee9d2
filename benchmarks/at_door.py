"""The query door: a million rows to a client, against PostgreSQL in the same run; catalogues; fifty clients at once."""

import asyncio
import socket
import statistics
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import numpy as np
import psycopg
import pyarrow as pa

from moorland.core.bundle.model import Model
from moorland.core.bundle.reading import read_document
from moorland.core.door.asking import ask_planned, planned
from moorland.core.door.catalogue import catalogue_of
from moorland.core.door.errors import SqlRefused
from moorland.core.door.system import Session, SystemCatalogue, read_system
from moorland.core.engine.columns import TableData
from moorland.core.engine.evaluator import Evaluator
from moorland.core.sources.files import to_table_data
from moorland.wire.backend import Asked, Prepared
from moorland.wire.commands import Refused
from moorland.wire.connection import Connection, certificate_hash, encrypting
from moorland.wire.encoding import described
from moorland.wire.scram import Verifier, verifier_of
from moorland.wire.session import served
from moorland.wire.settings import DEFAULTS
from tests.core.databases import running_postgres

ROWS, CLIENTS = 1_000_000, 50
KEY = "door_of_the_benchmark"
ALL_ROWS = "SELECT id, place, day, hours, cost FROM job"
TOTALS = "SELECT place, count(*), sum(hours) FROM job GROUP BY place"


def rows_of(count: int = ROWS) -> pa.Table:
    """Jobs: a number, a place, a day, hours (a tenth of them missing) and a cost."""
    random = np.random.Generator(np.random.PCG64(5))
    hours = np.round(random.random(count) * 12, 2)
    return pa.table(
        {
            "id": np.arange(count),
            "place": [f"place {number:03d}" for number in random.integers(0, 400, count)],
            "day": pa.array(random.integers(18_000, 20_000, count), pa.int32()).cast(pa.date32()),
            "hours": pa.array(hours, mask=random.random(count) < 0.1),
            "cost": np.round(random.random(count) * 1000, 2),
        }
    )


def evaluator_of(rows: pa.Table) -> Evaluator:
    """A bundle in which one person lists every row."""
    kinds = {"id": "integer", "place": "text", "day": "date", "hours": "number", "cost": "number"}
    columns = [{"name": name, "type": kind} for name, kind in kinds.items()]
    document = {
        "moorland": 1,
        "name": "door",
        "users": [{"login": "asker", "name": "Asker"}],
        "models": [{"name": "work", "tables": [{"name": "job", "key": "id", "columns": columns}]}],
        "roles": [
            {
                "name": "reader",
                "kind": "grant",
                "model": "work",
                "sentences": [{"rows": {"table": "job", "where": "TRUE"}}, {"beneath": {"tables": ["job"], "limit": 2 * ROWS, "export": True}}],
                "assigned": [{"user": "asker"}],
            }
        ],
    }
    data: dict[str, TableData] = {}

    def load(model: Model, name: str) -> TableData:
        if name not in data:
            data[name] = to_table_data(rows, next(table for table in model.tables if table.name == name))
        return data[name]

    return Evaluator(read_document(document), load)


@dataclass
class BenchAsker:
    """The one person of the benchmark's bundle."""

    evaluator: Evaluator
    system: SystemCatalogue

    login = "asker"

    def prepared(self, text: str, oids: Sequence[int], settings: dict[str, str]) -> Prepared:
        """Columns of a statement without parameters."""
        found = self.asked(f"{text} LIMIT 0", [], settings, lambda *_: None, lambda: False, False)
        return Prepared([], described(found.table, found.names))

    def asked(self, text: str, parameters: Sequence[Any], settings: dict[str, str], change: Any, gone: Callable[[], bool], export: bool) -> Asked:
        """What a statement gives."""
        try:
            statement = read_system(text)
            if statement is not None:
                table = self.system.ask(statement, Session("asker", settings), dict(enumerate(parameters, start=1)))
                return Asked(table, table.column_names, [], None)
            viewer = self.evaluator.viewer("asker")
            found = ask_planned(self.evaluator, viewer, planned(self.evaluator, viewer, text, parameters))
            return Asked(found.table, found.names, found.notices, None)
        except SqlRefused as refused:
            raise Refused(refused.code, refused.message) from None

    def current(self, stamp: object) -> bool:
        """Nothing changes here."""
        return True

    def stands_in(self, login: str) -> None:
        """Nobody else is here."""


class BenchBackend:
    """Lets the one person in."""

    def __init__(self, evaluator: Evaluator) -> None:
        self._asker = BenchAsker(evaluator, SystemCatalogue(catalogue_of(evaluator, evaluator.viewer("asker")), "asker", DEFAULTS))
        self._verifier = verifier_of(KEY)

    def verifier(self, user: str) -> Verifier:
        """The one key."""
        return self._verifier

    def failed(self, user: str, address: str) -> None:
        """Nothing is kept."""

    def entered(self, user: str, address: str, number: int) -> BenchAsker:
        """The one person."""
        return self._asker


@contextmanager
def door_to(evaluator: Evaluator, certificate: str | None = None, private_key: str | None = None) -> Iterator[int]:
    """The protocol on a port of the loopback address, encrypted where there is a certificate."""
    loop, backend, pool, over = asyncio.new_event_loop(), BenchBackend(evaluator), ThreadPoolExecutor(16), asyncio.Event()
    listening = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    listening.bind(("127.0.0.1", 0))
    listening.listen(256)
    tls = encrypting(certificate, private_key) if certificate else None
    binding = certificate_hash(certificate) if certificate else None

    async def came(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await served(Connection(reader, writer, backend, pool, tls, binding), lambda *_: None, lambda _: None, lambda _: None)

    async def serve() -> None:
        async with await asyncio.start_server(came, sock=listening):
            await over.wait()

    running = threading.Thread(target=lambda: loop.run_until_complete(serve()), daemon=True)
    running.start()
    try:
        yield listening.getsockname()[1]
    finally:
        loop.call_soon_threadsafe(over.set)
        running.join(5)


def seconds_for(connection: Any, statement: str, binary: bool, times: int = 3) -> float:
    """The best time to have all rows as tuples."""
    found = []
    for _ in range(times):
        began = time.perf_counter()
        with connection.cursor(binary=binary) as cursor:
            assert len(cursor.execute(statement).fetchall()) > 0
        found.append(time.perf_counter() - began)
    return min(found)


def filled(connection: Any, rows: pa.Table) -> None:
    """The same rows in PostgreSQL."""
    connection.execute("CREATE TABLE job (id bigint PRIMARY KEY, place text, day date, hours double precision, cost double precision)")
    with connection.cursor().copy("COPY job FROM STDIN") as copy:
        for row in zip(*(column.to_pylist() for column in rows.columns), strict=True):
            copy.write_row(row)
    connection.execute("ANALYZE job")


def door_lines(rows: int = ROWS) -> Iterator[tuple[str, str, str, str, str, str]]:
    """Lines of the table of `make bench`."""
    table = rows_of(rows)
    evaluator = evaluator_of(table)
    evaluator.data("work")
    with running_postgres() as address, psycopg.connect(address, autocommit=True) as plain, door_to(evaluator) as port:
        filled(plain, table)
        own = f"host=127.0.0.1 port={port} user=asker password={KEY} dbname=moorland"
        with psycopg.connect(own, autocommit=True) as door:
            for binary in (False, True):
                theirs, ours = (seconds_for(item, ALL_ROWS, binary) for item in (plain, door))
                kind = "binary" if binary else "text"
                work = f"{rows:,} rows × 5 columns to psycopg 3, {kind}"
                yield work, f"{rows / ours:,.0f}/s", "PostgreSQL", f"{rows / theirs:,.0f}/s", f"{theirs / ours:.2f}", "at least 0.5"
            asked = "SELECT c.relname, a.attname FROM pg_class c JOIN pg_attribute a ON a.attrelid = c.oid WHERE c.relkind = 'r'"
            first, again = (seconds_for(door, asked, False, 1) * 1000 for _ in range(2))
            yield "the door: a catalogue, first and kept", f"{first:.0f} ms, {again:.0f} ms", "limit", "100 ms", "", "under"
        found, longest = at_once(own)
        yield f"{CLIENTS} clients ask totals of {rows:,} rows at the door", found, "", longest, "", "no error"


def at_once(address: str) -> tuple[str, str]:
    """Many clients, four totals each."""
    taken: list[float] = []

    def ask(_: int) -> None:
        with psycopg.connect(address, autocommit=True) as connection:
            for _ in range(4):
                taken.append(seconds_for(connection, TOTALS, False, 1))

    began = time.perf_counter()
    with ThreadPoolExecutor(CLIENTS) as pool:
        list(pool.map(ask, range(CLIENTS)))
    whole = time.perf_counter() - began
    return f"{len(taken) / whole:.0f} totals/s, no error", f"median {statistics.median(taken) * 1000:.0f} ms, longest {max(taken) * 1000:.0f} ms"
