"""Bringing files in against pyarrow reading the same file, each in a process of its own so that its memory is its own."""

import json
import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from importlib.abc import MetaPathFinder
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv
import pyarrow.parquet

PARQUET_ROWS, CSV_ROWS = 10_000_000, 1_000_000


def readings(rows: int) -> pa.Table:
    """Readings of turbines: a key, three lookups' keys, a day, figures, a word."""
    random = np.random.default_rng(7)
    return pa.table(
        {
            "reading_id": np.arange(rows),
            "turbine_id": random.integers(1, 2_000, rows),
            "contractor_id": random.integers(1, 50, rows),
            "day": pa.array((19_000 + random.integers(0, 1_000, rows)).astype("int32")).cast(pa.date32()),
            "energy_kwh": np.round(random.gamma(2, 20, rows), 2),
            "status": pa.array(np.array(["ok", "late", "lost"])[random.integers(0, 3, rows)]),
        }
    )


def import_lines(told: Callable[[str], None]) -> list[tuple[str, ...]]:
    """The lines of the table: import against reading, the ratio, and the memory it took."""
    folder = Path(tempfile.mkdtemp(prefix="moorland-bench-"))
    parquet, text = folder / "reading.parquet", folder / "reading.csv"
    told("import: 10 million rows of Parquet")
    pa.parquet.write_table(readings(PARQUET_ROWS), parquet, row_group_size=1_000_000)
    pyarrow.csv.write_csv(readings(CSV_ROWS), text, pyarrow.csv.WriteOptions(quoting_style="none"))
    lines = []
    for name, path in ((f"import {PARQUET_ROWS:,} rows from Parquet", parquet), (f"import {CSV_ROWS:,} rows from CSV", text)):
        told(name)
        runs = [_apart("ours", path) for _ in range(3)]
        ours = min(run["seconds"] for run in runs)
        theirs = min(_apart("theirs", path)["seconds"] for _ in range(3))
        memory = max(run["megabytes"] for run in runs)
        lines.append((name, f"{ours:.2f} s, {memory:,.0f} MB of memory", "pyarrow reading it", f"{theirs:.2f} s", f"{ours / theirs:.1f} ×", "at most 3 ×"))
    return lines


def _apart(what: str, path: Path) -> dict[str, float]:
    environment = {**os.environ, "DATA": tempfile.mkdtemp(prefix="moorland-bench-"), "DJANGO_SETTINGS_MODULE": "moorland.server.settings"}
    done = subprocess.run([sys.executable, "-m", "benchmarks.importing", what, str(path)], env=environment, capture_output=True, text=True, check=True)
    found: dict[str, float] = json.loads(done.stdout.splitlines()[-1])
    return found


def theirs(path: Path) -> float:
    """Seconds pyarrow takes to read the file."""
    start = time.perf_counter()
    pa.parquet.read_table(path) if path.suffix == ".parquet" else pyarrow.csv.read_csv(path)
    return time.perf_counter() - start


class _WithoutPandas(MetaPathFinder):
    """As where Moorland is installed: pandas is here for the tests alone, and pyarrow loads it where it finds it."""

    def find_spec(self, fullname: str, path: object, target: object = None) -> None:
        """Nothing that is loaded; ImportError for pandas."""
        if fullname == "pandas":
            raise ImportError(fullname)


def ours(path: Path) -> float:
    """Seconds from the file to a content that answers can be given from."""
    sys.meta_path.insert(0, _WithoutPandas())
    import django
    from django.core.management import call_command

    django.setup()
    call_command("migrate", verbosity=0, interactive=False)
    from moorland.core.bundle.shape import VALUE_TYPES
    from moorland.core.sources.previews import first_reading
    from moorland.core.sources.readings import ColumnRead
    from moorland.core.sources.typed_tables import read_ahead, typed_tables
    from moorland.server.catalog.storage import ContentWriter, make_current

    types = {"reading_id": "integer", "turbine_id": "integer", "contractor_id": "integer", "day": "date", "energy_kwh": "number", "status": "text"}
    columns = [ColumnRead(place, name, VALUE_TYPES[type_]) for place, (name, type_) in enumerate(types.items())]
    start = time.perf_counter()
    writer = ContentWriter("m", "reading", "reading_id", path.name)
    for arrow in read_ahead(typed_tables(path, path.name, first_reading(path, path.name), columns)):
        writer.add(arrow)
    make_current(writer.finish("staged"))
    return time.perf_counter() - start


if __name__ == "__main__":
    seconds = (ours if sys.argv[1] == "ours" else theirs)(Path(sys.argv[2]))
    print(json.dumps({"seconds": seconds, "megabytes": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024}))
