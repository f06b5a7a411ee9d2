"""A demo served with its query door open, keys of some people, and a PostgreSQL server with what one of them sees."""

import json
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import psycopg
import pytest

from benchmarks.served import Caller, Served, free_port
from tests.core.databases import running_postgres
from tests.demo_data import put_demo

#: Copied as one person sees it, so that a client can be asked the same of both servers.
SHARED = {"site": "site_id", "contractor": "contractor_id", "turbine": "turbine_id", "technician": "technician_id"}
LINKS = {"turbine": ["site_id"], "technician": ["contractor_id"]}
_TARGETS = {"site_id": "site", "contractor_id": "contractor"}


@dataclass(frozen=True)
class Address:
    """Where a client comes in, and as whom."""

    host: str
    port: int
    user: str
    key: str
    database: str

    @property
    def words(self) -> dict[str, str | int]:
        """As most clients name them."""
        return {"host": self.host, "port": self.port, "user": self.user, "password": self.key, "dbname": self.database}

    def connect(self, **more: object) -> psycopg.Connection:
        """A connection of psycopg."""
        return psycopg.connect(**{**self.words, **more})


class ServedDoor:
    """The served demo: sessions of the API, and doors of people."""

    def __init__(self, served: Served, port: int, people: list[str]) -> None:
        self.served, self.port = served, port
        self.callers = served.callers([*people, "h.warden"])
        self._keys: dict[str, str] = {}

    def key(self, login: str, name: str = "test") -> tuple[str, int]:
        """A new door key of somebody, and its number."""
        status, body = self.callers[login].call("POST", "my/door", {"name": name, "days": 1})
        assert status == 201, body
        made = json.loads(body)
        return made["key"], made["entry"]["id"]

    def of(self, login: str) -> Address:
        """The door for somebody, with a key that is made once."""
        if login not in self._keys:
            self._keys[login] = self.key(login)[0]
        return Address("127.0.0.1", self.port, login, self._keys[login], "moorland")

    @property
    def keeper(self) -> Caller:
        """The keeper of the workspace."""
        return self.callers["h.warden"]


@pytest.fixture(scope="session")
def door(tmp_path_factory: pytest.TempPathFactory) -> Iterator[ServedDoor]:
    """The demo with its door open."""
    port = free_port()
    served = Served(tmp_path_factory.mktemp("door") / "demo", free_port(), door=port)
    put_demo(served.folder)
    served.start()
    try:
        yield ServedDoor(served, port, ["j.ames", "r.oddie", "v.birk", "lh.03", "q.lund"])
    finally:
        served.stop()


@pytest.fixture(scope="session")
def postgres(door: ServedDoor) -> Iterator[Address]:
    """PostgreSQL with the tables one person sees, under the same names."""
    with running_postgres() as written, door.of("v.birk").connect() as seen:
        parts = dict(part.split("=") for part in written.split())
        address = Address(parts["host"], int(parts["port"]), "postgres", "", "moorland")
        with psycopg.connect(written, autocommit=True) as first:
            first.execute("CREATE DATABASE moorland")
        with address.connect(autocommit=True) as own:
            own.execute("CREATE SCHEMA operations; ALTER DATABASE moorland SET search_path = operations; SET search_path = operations")
            for table, key in SHARED.items():
                cursor = seen.execute(f"SELECT * FROM operations.{table} LIMIT 5000")
                columns = [(column.name, psycopg.adapters.types[column.type_code].name) for column in cursor.description or ()]
                shape = ", ".join(f'"{name}" {kind}' for name, kind in columns)
                own.execute(f"CREATE TABLE {table} ({shape}, PRIMARY KEY ({key}))")
                own.cursor().executemany(f"INSERT INTO {table} VALUES ({', '.join(['%s'] * len(columns))})", cursor.fetchall())
            for table, columns in LINKS.items():
                for column in columns:
                    own.execute(f"ALTER TABLE {table} ADD FOREIGN KEY ({column}) REFERENCES {_TARGETS[column]}")
        yield address


HERE = Path(__file__).parent
