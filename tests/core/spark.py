"""An engine that speaks Spark Connect, with two workers, for as long as a context lasts."""

import contextlib
import os
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from pyspark.sql.connect.session import SparkSession

from tests.core.oracle.worlds import COLUMNS, World
from tests.core.worlds import arrow_table

START_SECONDS = 60
CLUSTER = {"SAIL_MODE": "local-cluster", "SAIL_CLUSTER__WORKER_INITIAL_COUNT": "2", "RUST_LOG": "off"}


@contextlib.contextmanager
def running_spark() -> Iterator[int]:
    """The port of an engine with two workers."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = int(free.getsockname()[1])
    program = Path(sys.executable).parent / "sail"
    server = subprocess.Popen([program, "spark", "server", "--ip", "127.0.0.1", "--port", str(port)], env={**os.environ, **CLUSTER}, stderr=subprocess.DEVNULL)
    try:
        until = time.monotonic() + START_SECONDS
        while True:
            try:
                socket.create_connection(("127.0.0.1", port), timeout=1).close()
                break
            except OSError:
                assert time.monotonic() < until, "the engine did not start"
                time.sleep(0.1)
        yield port
    finally:
        server.kill()
        server.wait(timeout=20)


class SparkDatabase:
    """The tables of a world as views of a session."""

    def __init__(self, port: int) -> None:
        self.connection: Any = SparkSession.builder.remote(f"sc://127.0.0.1:{port}").create()

    def fill(self, world: World) -> None:
        """Puts the world's tables in place of what was there."""
        for table, columns in COLUMNS.items():
            self.connection.createDataFrame(arrow_table(columns, world.rows(table))).createOrReplaceTempView(table)
