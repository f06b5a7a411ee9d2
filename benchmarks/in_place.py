"""The lines of the table about facts left in an engine: thousands of viewers' totals, one viewer's page of rows, and the memory they take.

Each engine is asked in a process of its own, so that its memory can be told; `python -m benchmarks.in_place KIND ROWS` prints one as JSON.
"""

import json
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import psycopg

from benchmarks.at_scale import TOTALS, Measured, best, once, peak_megabytes, shown
from benchmarks.generated import CREWS, SITES, FactData, facts
from moorland.core.bundle.model import Model
from moorland.core.bundle.reading import read_document
from moorland.core.engine import in_place
from moorland.core.engine.columns import TableData
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.many_viewers import answers
from moorland.core.engine.questions import Question
from moorland.core.sources.engine_duckdb import DuckDbFile
from moorland.core.sources.engine_postgres import Postgres
from moorland.core.sources.engines import DatabaseEngine
from moorland.core.sources.files import to_table_data
from moorland.core.sources.tables_in_place import SqlTable
from tests.core.databases import running_postgres

USERS = 10_000
#: A row of facts by its number, in words of both engines.
READINGS = (
    f"SELECT (i * 7919) % {SITES} AS site_id, (i * 104729) % {CREWS} AS crew_id, (i * 31) % 730 AS day,"
    " CAST(((i * 48271) % 100003) / 10.0 AS DOUBLE PRECISION) AS kwh FROM {source}"
)
PAGE = {"rows": {"model": "farm", "table": "run", "columns": ["run.day", "run.kwh", "site.area"], "order": ["-run.kwh"], "limit": 50}}


def in_place_lines(rows: int, say: Callable[[str], None]) -> Iterator[Measured]:
    """Facts left in DuckDB and in PostgreSQL; DuckDB once more with ten times fewer, to see what grows."""
    memory: dict[tuple[str, int], float] = {}
    for kind, many in (("duckdb", rows), ("duckdb", rows // 10), ("postgres", min(rows, 10_000_000))):
        say(f"{many:,} rows left in {kind}")
        found = json.loads(subprocess.run([sys.executable, "-m", "benchmarks.in_place", kind, str(many)], check=True, capture_output=True).stdout)
        memory[kind, many] = found["memory"]
        title = {"duckdb": "DuckDB", "postgres": "PostgreSQL"}[kind]
        beside = found["statement"] + found["later"]
        what = f"{many:,} rows left in {title}: totals of {USERS:,} viewers, nothing fetched before"
        yield what, shown(found["first"]), "the strata statement, and memory", shown(beside), f"{found['first'] / beside:.2f} ×", "at most 1.2 ×"
        yield "the same, once strata are there", shown(found["later"]), "", "", "", ""
        page = f"{found['page'] / found['by_hand']:.2f} ×"
        yield "one viewer's page of rows by a figure", shown(found["page"]), "count and page by hand", shown(found["by_hand"]), page, "at most 1.2 ×"
    few, many = memory["duckdb", rows // 10], memory["duckdb", rows]
    yield "memory of the process, DuckDB in it", f"{many:.0f} MB", f"{rows // 10:,} rows", f"{few:.0f} MB", f"{many / few:.2f} ×", "about 1"


def main() -> None:
    """One engine, measured."""
    kind, rows = sys.argv[1], int(sys.argv[2])
    data = facts(1000, USERS)
    with tempfile.TemporaryDirectory() as folder:
        if kind == "duckdb":
            file = Path(folder) / "held.duckdb"
            made = subprocess.run([sys.executable, "-c", _FILL, str(file), READINGS.format(source=f"range({rows}) AS t(i)")], check=False)
            assert made.returncode == 0
            print(json.dumps(_measured(data, DuckDbFile("held", file))))
            return
        with running_postgres() as address:
            with psycopg.connect(address, autocommit=True) as filling:
                filling.execute(f"CREATE TABLE run AS {READINGS.format(source=f'generate_series(CAST(0 AS BIGINT), {rows - 1}) AS t(i)')}")  # type: ignore[arg-type]
                filling.execute("VACUUM ANALYZE run")
            print(json.dumps(_measured(data, Postgres("held", address))))


_FILL = "import sys, duckdb; made = duckdb.connect(sys.argv[1]); made.execute('SET enable_progress_bar = false'); made.execute('CREATE TABLE run AS ' + sys.argv[2])"


def _measured(data: FactData, engine: DatabaseEngine) -> dict[str, float]:
    statements: list[tuple[str, dict[str, Any]]] = []
    ask = engine.arrow

    def noted(sql: str, parameters: dict[str, Any], types: Any) -> Any:
        statements.append((sql, parameters))
        return ask(sql, parameters, types)

    engine.arrow = noted  # type: ignore[method-assign]

    def load(model: Model, name: str) -> TableData:
        shape = next(table for table in model.tables if table.name == name)
        return TableData(f"held {time.perf_counter()}", 0, {}, SqlTable(engine, ("run",), shape)) if name == "run" else to_table_data(data.arrow[name], shape)

    base = Evaluator(read_document(data.document()), load)
    viewers = list(base.everyone())
    engine.rows("SELECT COUNT(*) FROM run")

    def everyone() -> None:
        for _ in answers(base, viewers, [TOTALS]):
            pass

    first = once(everyone)
    grouping = [sql for sql, _ in statements if "GROUP BY" in sql]
    later = best(everyone, 2)
    statement = best(lambda: [engine.rows(sql, {}) for sql in grouping], 2)
    viewer = base.viewer("u7")
    base.answer(viewer, Question.model_validate(PAGE))
    in_place._kept.clear()
    base.data("farm").notes.clear()
    statements.clear()
    page = once(lambda: base.answer(viewer, Question.model_validate(PAGE)))
    sites = [int(row) for row in _sites(data, 7)]
    crews = [int(row) for row in _crews(data, 7)]
    seen = f"FROM run WHERE site_id IN ({', '.join(map(str, sites))}) OR crew_id IN ({', '.join(map(str, crews))})"
    by_hand = once(lambda: [engine.rows(f"SELECT COUNT(*) {seen}"), engine.rows(f"SELECT day, kwh, site_id {seen} ORDER BY kwh DESC LIMIT 50")])
    memory = peak_megabytes()
    return {"first": first, "later": later, "statement": statement, "page": page, "by_hand": by_hand, "memory": memory}


def _sites(data: FactData, user: int) -> list[Any]:
    areas = set(data.areas_of(user))
    return [row["id"] for row in data.site.to_pylist() if row["area"] in areas and row["kind"] != "closed"]


def _crews(data: FactData, user: int) -> list[Any]:
    firms = set(data.firms_of(user))
    return [row["id"] for row in data.crew.to_pylist() if row["firm"] in firms]


if __name__ == "__main__":
    main()
