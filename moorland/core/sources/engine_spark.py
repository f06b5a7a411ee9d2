"""Engines that speak the open Spark Connect protocol, of any size, as engines (sources.md 17)."""

from typing import Any

import pyarrow as pa
from pyspark.errors import PySparkException
from pyspark.errors.exceptions.connect import SparkConnectGrpcException
from pyspark.sql.connect.session import SparkSession
from sqlglot import exp

from moorland.core.bundle.shape import ValueType
from moorland.core.engine.columns import ARROW_TYPES
from moorland.core.sources.engines import DatabaseEngine


class SparkConnect(DatabaseEngine):
    """A session of its own; what comes back is Arrow."""

    broken, wrong = (), (PySparkException, SparkConnectGrpcException, ValueError, OSError)

    def __init__(self, name: str, host: str, port: int, token: str | None, encrypted: bool) -> None:
        super().__init__(name, "spark")
        more = [f"token={token}"] if token else []
        more += ["use_ssl=true"] if encrypted else []
        self._address = f"sc://{host}:{port}/" + "".join(f";{part}" for part in more)

    def _open(self) -> Any:
        session = SparkSession.builder.remote(self._address).create()
        session.conf.set("spark.sql.session.timeZone", "UTC")
        return session

    def _found(self, sql: str, parameters: dict[str, Any]) -> pa.Table:
        return self._connection.sql(sql, args=parameters or None).toArrow()

    def _rows(self, sql: str, parameters: dict[str, Any]) -> tuple[list[str], list[tuple[Any, ...]]]:
        found = self._found(sql, parameters)
        return found.column_names, [tuple(row.values()) for row in found.to_pylist()]

    def _arrow(self, sql: str, parameters: dict[str, Any], types: dict[str, ValueType]) -> pa.Table:
        found = self._found(sql, parameters)
        return found.cast(pa.schema([(name, ARROW_TYPES[types[name]]) for name in found.column_names]))

    def columns(self, relation: list[str]) -> list[tuple[Any, ...]]:
        def ask() -> list[tuple[Any, ...]]:
            names = [exp.to_identifier(part, quoted=True).sql(dialect="spark") for part in relation]
            return [(field.name, field.dataType.simpleString()) for field in self._connection.table(".".join(names)).schema.fields]

        return self._guarded(ask)

    def _interrupt(self) -> None:
        self._connection.interruptAll()

    def _drop(self) -> None:
        session, self._connection = self._connection, None
        if session is not None:
            session.stop()
