"""DuckDB files as engines."""

from pathlib import Path
from typing import Any

import duckdb
import pyarrow as pa

from moorland.core.bundle.shape import ValueType
from moorland.core.engine.columns import ARROW_TYPES
from moorland.core.sources.engines import DatabaseEngine

#: What DuckDB may take of the memory: it works inside this process.
MEMORY = "1GB"


class DuckDbFile(DatabaseEngine):
    """A DuckDB file, read only, without extensions and without files or hosts outside."""

    broken, wrong = (duckdb.ConnectionException, duckdb.IOException), (duckdb.Error,)

    def __init__(self, name: str, file: Path) -> None:
        super().__init__(name, "duckdb")
        self._file = file

    def _open(self) -> Any:
        return self._opened(True)

    def _open_to_write(self, relation: str) -> Any:
        return self._opened(False)

    def _rows_changed(self, sql: str, parameters: dict[str, Any]) -> int:
        return int(self._connection.execute(sql, parameters).fetchone()[0])

    def _opened(self, read_only: bool) -> Any:
        settings: dict[str, Any] = {"enable_external_access": "false", "autoload_known_extensions": "false", "autoinstall_known_extensions": "false"}
        return duckdb.connect(str(self._file), read_only=read_only, config={**settings, "memory_limit": MEMORY, "lock_configuration": "true"})

    def _arrow(self, sql: str, parameters: dict[str, Any], types: dict[str, ValueType]) -> pa.Table:
        found = self._connection.sql(sql, params=parameters or None).to_arrow_table()
        return found.cast(pa.schema([(name, ARROW_TYPES[types[name]]) for name in found.column_names]))
