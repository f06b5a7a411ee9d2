"""The lines of the table about more rows than are kept in memory, in a file and in a workspace; each in a process of its own, so that its memory can be told.

`python -m benchmarks.streamed FOLDER moorland`, `… workspace` and `… duckdb` print one as JSON.
"""

import json
import os
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
        own, kept, beside = (
            json.loads(subprocess.run([sys.executable, "-m", "benchmarks.streamed", folder, side], check=True, capture_output=True).stdout.splitlines()[-1])
            for side in ("moorland", "workspace", "duckdb")
        )
    what = f"{million(MILLIONS):,} rows of Parquet: totals of 1,000 viewers, nothing read before"
    yield what, shown(own["seconds"]), "DuckDB, one GROUP BY of the keys", shown(beside["seconds"]), f"{own['seconds'] / beside['seconds']:.1f} ×", ""
    yield "memory of the process", f"{own['memory']:.0f} MB", "of DuckDB's", f"{beside['memory']:.0f} MB", "", "under 3,000 MB"
    what = f"the same rows in a workspace, brought in in {shown(kept['import'])}"
    yield what, shown(kept["seconds"]), "DuckDB on the file", shown(beside["seconds"]), f"{kept['seconds'] / beside['seconds']:.1f} ×", ""
    yield "memory of that process, the import with it", f"{kept['memory']:.0f} MB", "limit", "3,000 MB", "", "under"


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
    elif side == "workspace":
        print(json.dumps({**_in_a_workspace(folder), "memory": peak_megabytes()}))
        return
    else:
        base = Evaluator(read_folder(folder), folder_loader(folder))
        seconds = once(lambda: everyones_answers(base, [TOTALS]))
    print(json.dumps({"seconds": seconds, "memory": peak_megabytes()}))


def _in_a_workspace(folder: Path) -> dict[str, float]:
    """Seconds to bring the bundle into an empty workspace, and to everyone's totals there."""
    os.environ.update(DATA=str(folder / "workspace"), DJANGO_SETTINGS_MODULE="moorland.server.settings")
    (folder / "workspace").mkdir(mode=0o700)
    import django
    from django.core.management import call_command

    django.setup()
    call_command("migrate", verbosity=0, interactive=False)
    from moorland.server.evaluating import evaluator
    from moorland.server.setup import fill_workspace

    brought = once(lambda: fill_workspace(folder, {"u0"}, None, set()))
    return {"import": brought, "seconds": once(lambda: everyones_answers(evaluator("live"), [TOTALS]))}


if __name__ == "__main__":
    main()
