"""PostgreSQL databases as engines."""

from typing import Any

import psycopg

from moorland.core.sources.engines import LONGEST_SECONDS, DatabaseEngine


class Postgres(DatabaseEngine):
    """A PostgreSQL database; every statement reads only, and is ended where it takes too long."""

    broken, wrong = (psycopg.OperationalError, psycopg.InterfaceError), (psycopg.Error,)

    def __init__(self, name: str, address: str | dict[str, Any]) -> None:
        super().__init__(name, "postgres")
        self.address = address

    def _open(self) -> Any:
        return self._opened("on")

    def _open_to_write(self, relation: str) -> Any:
        return self._opened("off")

    def _opened(self, read_only: str) -> Any:
        options = f"-c default_transaction_read_only={read_only} -c statement_timeout={LONGEST_SECONDS * 1000} -c timezone=UTC"
        more: dict[str, Any] = {"connect_timeout": 10, "options": options, "autocommit": True}
        return psycopg.connect(self.address, **more) if isinstance(self.address, str) else psycopg.connect(**{**self.address, **more})

    def _interrupt(self) -> None:
        self._connection.cancel_safe(timeout=5)
