"""The lines of the table that are about millions of rows and thousands of viewers; DuckDB has 2 threads, as many as there are cores."""

import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import duckdb
import numpy as np

from benchmarks.generated import STEWARD, FactData, facts
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.many_viewers import everyones_answers
from moorland.core.engine.questions import Question
from moorland.core.insight.effect import share
from moorland.core.insight.impact import impact

TOTALS = Question.model_validate({"totals": {"model": "farm", "by": ["site.area"], "measures": ["energy", "runs"]}})
#: How many of the thousand single queries DuckDB is measured on.
SAMPLED = 25

#: A line of the table: what, Moorland's figure, against what, its figure, the ratio found, and the one asked.
Measured = tuple[str, str, str, str, str, str]


def best(work: Callable[[], object], times: int = 5) -> float:
    """The shortest of several runs, in seconds."""
    found = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return min(found)


def once(work: Callable[[], object]) -> float:
    """One run, in seconds."""
    return best(work, 1)


def peak_megabytes() -> float:
    """The most memory this process ever had; what it was started from is left out."""
    told = Path("/proc/self/status").read_text().split("VmHWM:")[1]
    return int(told.split()[0]) / 1024


def shown(seconds: float) -> str:
    """Seconds, or milliseconds below one."""
    return f"{seconds:.2f} s" if seconds >= 1 else f"{seconds * 1000:.1f} ms"


def in_duckdb(data: FactData) -> duckdb.DuckDBPyConnection:
    """The tables in DuckDB, and who may see which site and which crew."""
    connection = duckdb.connect()
    connection.execute("SET threads = 2")
    for name, table in data.arrow.items():
        connection.register(f"{name}_arrow", table)
        connection.execute(f"CREATE TABLE {name} AS SELECT * FROM {name}_arrow")
    connection.execute("CREATE TABLE may_area (login VARCHAR, area VARCHAR)")
    connection.execute("CREATE TABLE may_firm (login VARCHAR, firm VARCHAR)")
    connection.executemany("INSERT INTO may_area VALUES (?, ?)", [[f"u{user}", area] for user in range(data.users) for area in data.areas_of(user)])
    connection.executemany("INSERT INTO may_firm VALUES (?, ?)", [[f"u{user}", firm] for user in range(data.users) for firm in data.firms_of(user)])
    return connection


def query_of(data: FactData, user: int) -> str:
    """One viewer's totals as somebody would write them."""
    areas, firms = ("', '".join(items) for items in (data.areas_of(user), data.firms_of(user)))
    return (
        "SELECT site.area, SUM(run.kwh), COUNT(*) FROM run JOIN site ON run.site_id = site.id JOIN crew ON run.crew_id = crew.id "
        f"WHERE (site.area IN ('{areas}') AND site.kind <> 'closed') OR crew.firm IN ('{firms}') GROUP BY site.area ORDER BY site.area"
    )


#: All viewers' totals in one query, written by hand: each viewer's rows by either way, counted once.
FOR_ALL = """
SELECT login, site.area, SUM(run.kwh), COUNT(*) FROM run
JOIN site ON run.site_id = site.id JOIN crew ON run.crew_id = crew.id
JOIN (
  SELECT a.login, site.id AS site_id, crew.id AS crew_id FROM may_area a JOIN site ON a.area = site.area AND site.kind <> 'closed', crew
  UNION SELECT f.login, site.id, crew.id FROM may_firm f JOIN crew ON f.firm = crew.firm, site
) may ON may.site_id = run.site_id AND may.crew_id = run.crew_id
GROUP BY login, site.area
"""
#: The same by somebody who thinks of adding the rows up by site and crew first.
FOR_ALL_SUMMED = FOR_ALL.replace(
    "SUM(run.kwh), COUNT(*) FROM run", "SUM(run.kwh), SUM(run.n) FROM (SELECT site_id, crew_id, SUM(kwh) AS kwh, COUNT(*) AS n FROM run GROUP BY ALL) run"
)


def agree(data: FactData, base: Evaluator, connection: duckdb.DuckDBPyConnection) -> None:
    """Stops where DuckDB and Moorland give different totals."""
    known = {login: given[0].model_dump() for logins, given in everyones_answers(base, [TOTALS]) for login in logins}
    for user in range(0, data.users, max(1, data.users // 5)):
        rows = connection.execute(query_of(data, user)).fetchall()
        found = [(line["key"][0], *line["values"]) for line in known[f"u{user}"]["lines"]]
        alike = len(rows) == len(found) and all(a[0] == b[0] and a[2] == b[2] and np.isclose(a[1], b[1]) for a, b in zip(rows, found, strict=True))
        if not alike:
            raise SystemExit(f"DuckDB and Moorland disagree on u{user}: {rows[:2]} and {found[:2]}")


def everyone(base: Evaluator) -> None:
    """All viewers' totals and counts of rows."""
    everyones_answers(base, [TOTALS])


def scale_lines(rows: int, progress: Callable[[str], None]) -> Iterator[Measured]:
    """Every line of the table about scale, the small growth figures last."""
    progress(f"generating {rows:,} fact rows")
    data = facts(rows)
    raw = sum(table.nbytes for table in data.arrow.values())
    start = time.perf_counter()
    base = data.evaluator()
    base.data("farm")
    loading = time.perf_counter() - start
    connection = in_duckdb(data)
    progress("checking that DuckDB and Moorland agree")
    agree(data, base, connection)
    progress("one viewer")
    logins = iter(f"u{number}" for number in range(1, 1000))
    one = best(lambda: base.answer(base.viewer(next(logins)), TOTALS))
    one_duckdb = best(lambda: connection.execute(query_of(data, 0)).fetchall())
    yield f"{rows:,} rows: one viewer's totals", shown(one), "DuckDB", shown(one_duckdb), f"{one_duckdb / one:.0f} ×", "1 ×"
    progress("1,000 viewers")
    fresh = data.evaluator()
    fresh.data("farm")
    first = once(lambda: everyone(fresh))
    again = best(lambda: everyone(base))
    queries = sum(once(lambda user=user: connection.execute(query_of(data, user)).fetchall()) for user in range(SAMPLED)) * data.users / SAMPLED
    yield (
        "1,000 viewers' totals and counts, nothing summed up before",
        shown(first),
        "1,000 DuckDB queries",
        shown(queries),
        f"{queries / first:.0f} ×",
        "100 ×",
    )
    yield "the same, once strata are summed up", shown(again), "1,000 DuckDB queries", shown(queries), f"{queries / again:.0f} ×", "100 ×"
    progress("one query for all")
    summed = best(lambda: connection.execute(FOR_ALL_SUMMED).fetchall(), 2)
    straight = once(lambda: connection.execute(FOR_ALL).fetchall())
    yield "the same, nothing summed up before", shown(first), "one DuckDB query for all", shown(straight), f"{straight / first:.1f} ×", "5 ×"
    yield "the same, once strata are summed up", shown(again), "one that sums up first", shown(summed), f"{summed / again:.1f} ×", "-"
    progress("editing a sentence")
    keys = [base.data("farm").stored("run", name).codes for name in ("site_id", "crew_id")]
    scan = best(lambda: np.count_nonzero((keys[0] > 3) & (keys[1] > 2)))  # type: ignore[operator]
    turn = iter(range(1000))

    def edit() -> None:
        steward = base.bundle.roles[0]
        rows = steward.sentences[0].rows
        assert rows is not None
        sentence = steward.sentences[0].model_copy(update={"rows": rows.model_copy(update={"where": f"{STEWARD} AND id <> {next(turn)}"})})
        roles = [steward.model_copy(update={"sentences": [sentence]}), *base.bundle.roles[1:]]
        after = Evaluator(base.bundle.model_copy(update={"roles": roles}), base._load, base.as_of, shared=base.shared)
        after._tables.update(base._tables)
        for login in ("u1", "u2", "u3", "u4"):
            share(after, after.viewer(login), "farm")

    edited = best(edit)
    yield "an edited sentence to its effect, 4 viewers", shown(edited), "one NumPy scan of the keys", shown(scan), f"{edited / scan:.1f} scans", "at most 3"
    progress("impact of a draft")
    draft = data.evaluator(f"{STEWARD} AND id > 20", base)
    draft._tables.update(base._tables)
    people = [f"u{user}" for user in range(data.users)]
    affected = best(lambda: impact(base, draft, people), 3)
    yield "impact of a draft on 1,000 viewers", shown(affected), "2 × everyone", shown(2 * again), f"{affected / (2 * again):.2f} ×", "at most 1.5"
    progress("the whole process")
    with tempfile.TemporaryDirectory() as folder:
        data.write(Path(folder))
        asked = {"viewers": "everyone", "ask": [TOTALS.model_dump(mode="json", exclude_none=True)]}
        (Path(folder) / "questions.json").write_text(json.dumps(asked))
        command = [sys.executable, "-m", "moorland.cli", "evaluate", folder, f"{folder}/questions.json", "--json"]
        process = best(lambda: subprocess.run(command, check=True, stdout=subprocess.DEVNULL, env=os.environ), 2)
    yield "moorland evaluate for 1,000 viewers, whole process", shown(process), "1,000 DuckDB queries", shown(queries), f"{queries / process:.0f} ×", "20 ×"
    held = memory_of(base)
    yield "memory of the joined data and its strata", f"{held / 1e6:.0f} MB", "raw columns", f"{raw / 1e6:.0f} MB", f"{held / raw:.2f} ×", "at most 1.6"
    connection.close()
    yield from growth_lines(rows, loading, again, base, progress)


def memory_of(base: Evaluator) -> int:
    """Bytes of every array that is kept: columns, joins, strata and what was cached."""
    data = base.data("farm")
    arrays = {
        id(array): array.nbytes
        for name in data.tables
        for column in data.tables[name].columns.values()
        for array in (column.codes, column.values, column.known)
        if array is not None
    }
    arrays |= {id(array): array.nbytes for array in (*data._joins.values(), *data._paths.values())}
    kept = sum(strata.bytes for strata in data.strata.values() if strata is not None)
    return sum(arrays.values()) + kept + data.cache.bytes


def growth_lines(rows: int, loading: float, again: float, base: Evaluator, progress: Callable[[str], None]) -> Iterator[Measured]:
    """From a tenth of the rows, and from a tenth and to ten times the viewers."""
    progress("growth with rows")
    small = facts(rows // 10)
    start = time.perf_counter()
    tenth = small.evaluator()
    tenth.data("farm")
    loading_small = time.perf_counter() - start
    everyone(tenth)
    again_small = best(lambda: everyone(tenth))
    yield (
        f"loading, {rows // 10:,} → {rows:,} rows",
        shown(loading),
        "a tenth of the rows",
        shown(loading_small),
        f"{loading / loading_small:.1f} ×",
        "about 10",
    )
    yield f"everyone, {rows // 10:,} → {rows:,} rows", shown(again), "a tenth of the rows", shown(again_small), f"{again / again_small:.1f} ×", "about 1"
    for users in (100, 10_000):
        progress(f"growth to {users:,} viewers")
        crowd = FactData(small.site, small.crew, small.run, users)
        crowd.loaded.update(small.loaded)
        other = crowd.evaluator(beside=tenth)
        other._tables.update(tenth._tables)
        seconds = best(lambda other=other: everyone(other), 2)
        yield f"everyone, {users:,} viewers", shown(seconds), "1,000 viewers", shown(again_small), f"{seconds / again_small:.1f} ×", f"about {users / 1000:g}"
