"""The lines of the table about a Parquet file of more rows than are kept in memory; each side in a process of its own, so that its memory can be told.

`python -m benchmarks.streamed FOLDER moorland` and `… duckdb` print one as JSON.
"""

import json
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import duckdb
import numpy as np
import pyarrow as pa
import pyarrow.parquet

from benchmarks.at_scale import TOTALS, Measured, once, peak_megabytes, shown
from benchmarks.generated import CREWS, SITES, facts, million
from moorland.core.bundle.reading import read_folder
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.many_viewers import everyones_answers
from moorland.core.sources.files import folder_loader

MILLIONS = 100


def streamed_lines(say: Callable[[str], None]) -> Iterator[Measured]:
    """Everyone's totals over a hundred million rows, and one statement of DuckDB on the same file."""
    say(f"{million(MILLIONS):,} rows of Parquet")
    with tempfile.TemporaryDirectory(prefix="moorland-bench-") as folder:
        _write(Path(folder))
        own, beside = (
            json.loads(subprocess.run([sys.executable, "-m", "benchmarks.streamed", folder, side], check=True, capture_output=True).stdout)
            for side in ("moorland", "duckdb")
        )
    what = f"{million(MILLIONS):,} rows of Parquet: totals of 1,000 viewers, nothing read before"
    yield what, shown(own["seconds"]), "DuckDB, one GROUP BY of the keys", shown(beside["seconds"]), f"{own['seconds'] / beside['seconds']:.1f} ×", ""
    yield "memory of the process", f"{own['memory']:.0f} MB", "of DuckDB's", f"{beside['memory']:.0f} MB", "", "under 3,000 MB"


def _write(folder: Path) -> None:
    facts(1000).write(folder)
    random = np.random.Generator(np.random.PCG64(7))
    schema = pa.schema([("site_id", pa.int64()), ("crew_id", pa.int64()), ("day", pa.int64()), ("kwh", pa.float64())])
    with pyarrow.parquet.ParquetWriter(folder / "run.parquet", schema) as writer:
        for _ in range(MILLIONS):
            rows = million(1)
            columns = [random.integers(0, SITES, rows), random.integers(0, CREWS, rows), random.integers(0, 730, rows)]
            writer.write_table(pa.table([*columns, np.round(random.gamma(2.0, 300.0, rows), 1)], schema=schema))


def main() -> None:
    """One side, measured."""
    folder, side = Path(sys.argv[1]), sys.argv[2]
    if side == "duckdb":
        connection = duckdb.connect()
        connection.execute("SET threads = 2")
        sql = f"SELECT site_id, crew_id, COUNT(*), SUM(kwh) FROM '{folder / 'run.parquet'}' GROUP BY ALL"
        seconds = once(lambda: connection.execute(sql).fetchall())
    else:
        base = Evaluator(read_folder(folder), folder_loader(folder))
        seconds = once(lambda: everyones_answers(base, [TOTALS]))
    print(json.dumps({"seconds": seconds, "memory": peak_megabytes()}))


if __name__ == "__main__":
    main()
