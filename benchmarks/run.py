"""Prints the table of `make bench`: Moorland against DuckDB and against the limits that the issue of the first slice sets.

Every line is measured in one run on one machine; DuckDB has 2 threads, as many as there are cores.
"""

import contextlib
import os
import platform
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path

import duckdb
import numpy as np
from rich.console import Console
from rich.table import Table

from benchmarks.generated import FactData, facts, million
from benchmarks.in_browser import keystroke_in_browser
from demo.bundle import generate
from moorland.core.bundle.policy import Role
from moorland.core.bundle.reading import read_folder
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Question
from moorland.core.insight.effect import AlignedQuestion, aligned_rows, share
from moorland.core.sources.files import folder_loader

console = Console(width=130)
messages = Console(stderr=True)
WHERE = "area IN viewer.areas AND kind <> 'closed'"


def best(work: Callable[[], object], times: int = 5) -> float:
    """The shortest of several runs, in seconds."""
    found = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return min(found)


def keystroke() -> float:
    """Seconds from an edited sentence to the effect for four viewers on the demo, nothing of the edit cached."""
    folder = Path(tempfile.mkdtemp(prefix="moorland-bench-"))
    generate(folder)
    bundle = read_folder(folder)
    base = Evaluator(bundle, folder_loader(folder))
    base.data("operations")
    question = AlignedQuestion(model="operations", table="site", order=["site.site_id"], limit=200)
    role = next(role for role in bundle.roles if role.name == "area-steward")
    turn = iter(range(10_000))

    def edit() -> None:
        sentence = role.sentences[0].model_copy(
            update={"rows": role.sentences[0].rows.model_copy(update={"where": f"area IN viewer.areas AND site_id <> {next(turn)}"})}
        )  # type: ignore[union-attr]
        edited: Role = role.model_copy(update={"sentences": [sentence, *role.sentences[1:]]})
        roles = [edited if item.name == role.name else item for item in bundle.roles]
        after = Evaluator(bundle.model_copy(update={"roles": roles}), folder_loader(folder), base.as_of, shared=base.shared)
        after._tables.update(base._tables)
        viewers = [after.viewer(login) for login in ("j.ames", "r.oddie", "t.holm", "n.thwaite")]
        for viewer in viewers:
            share(after, viewer, "operations")
        aligned_rows(after, question, viewers)

    return best(edit, 15)


@contextlib.contextmanager
def served_demo() -> Iterator[str]:
    """The address of a demo served for as long as the context lasts."""
    data = tempfile.mkdtemp(prefix="moorland-bench-")
    environment = {**os.environ, "DATA": data, "PORT": "8177"}
    server = subprocess.Popen([sys.executable, "-m", "moorland.cli", "demo"], env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        for _ in range(120):
            with contextlib.suppress(OSError), urllib.request.urlopen("http://localhost:8177/api/session"):
                break
            time.sleep(0.5)
        yield "http://localhost:8177"
    finally:
        server.terminate()
        server.wait(timeout=20)


def one_viewer(data: FactData) -> tuple[float, float, float, float]:
    """Seconds for the first question at all (which sums the strata up), for another viewer, for the same again, and for DuckDB."""
    base = data.evaluator(WHERE)
    question = Question.model_validate({"totals": {"model": "farm", "by": ["site.area"], "measures": ["energy", "runs"]}})
    base.data("farm").join(base.models["farm"].schema.parents["run"][0])
    start = time.perf_counter()
    base.answer(base.viewer("u0"), question)
    first = time.perf_counter() - start
    logins = iter(f"u{number}" for number in range(1, 1000))
    fresh = best(lambda: base.answer(base.viewer(next(logins)), question))
    again = best(lambda: base.answer(base.viewer("u0"), question))
    connection = duckdb.connect()
    connection.execute("SET threads = 2")
    connection.register("run_arrow", data.run)
    connection.register("site_arrow", data.site)
    connection.execute("CREATE TABLE run AS SELECT * FROM run_arrow")
    connection.execute("CREATE TABLE site AS SELECT * FROM site_arrow")
    areas = "', '".join(data.areas_of(0))
    sql = (
        "SELECT site.area, SUM(run.kwh), COUNT(*) FROM run JOIN site ON run.site_id = site.id "
        f"WHERE site.area IN ('{areas}') AND site.kind <> 'closed' GROUP BY site.area ORDER BY site.area"
    )
    rows = connection.execute(sql).fetchall()
    lines = base.answer(base.viewer("u0"), question).model_dump()["lines"]
    found = [(line["key"][0], *line["values"]) for line in lines]
    if len(rows) != len(found) or any(row[0] != line[0] or row[2] != line[2] or not np.isclose(row[1], line[1]) for row, line in zip(rows, found, strict=True)):
        raise SystemExit(f"DuckDB and Moorland disagree: {rows[:3]} and {found[:3]}")
    return first, fresh, again, best(lambda: connection.execute(sql).fetchall())


def main() -> None:
    """Runs everything and prints the table."""
    rows = million(int(sys.argv[1]) if len(sys.argv) > 1 else 10)
    table = Table(title=f"{platform.processor() or platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()}")
    for column in ("work", "Moorland", "against", "", "asked"):
        table.add_column(column)
    messages.print("demo: an edited sentence, four viewers …")
    seconds = keystroke()
    table.add_row("demo: effect of a keystroke, 4 viewers, in the core", f"{seconds * 1000:.1f} ms", "limit", "100 ms", "under")
    messages.print("demo: keystrokes in the browser …")
    with served_demo() as address:
        median, longest = keystroke_in_browser(address)
    table.add_row("the same in the browser, key to screen: median", f"{median * 1000:.0f} ms", "limit", "300 ms", "under")
    table.add_row("the same in the browser, key to screen: longest", f"{longest * 1000:.0f} ms", "limit", "300 ms", "under")
    messages.print(f"generating {rows:,} fact rows …")
    data = facts(rows)
    messages.print("one viewer's totals …")
    first, fresh, again, other = one_viewer(data)
    limit = f"{other * 1000:.0f} ms"
    table.add_row(f"{rows:,} rows: one viewer's totals", f"{fresh * 1000:.1f} ms", "DuckDB, 2 threads", limit, "as fast")
    table.add_row("the same, asked again", f"{again * 1000:.1f} ms", "DuckDB, 2 threads", limit, "as fast")
    table.add_row("once before that: summing the strata up", f"{first * 1000:.0f} ms", "DuckDB, 2 threads", limit, "-")
    console.print(table)


if __name__ == "__main__":
    main()
