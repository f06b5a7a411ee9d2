"""Prints the table of `make bench`: Moorland against DuckDB, NumPy and the limits of its figures.

Every line is measured in one run on one machine; DuckDB has 2 threads, as many as there are cores.
"""

import os
import platform
import sys
import tempfile
from pathlib import Path

import duckdb
from rich.console import Console
from rich.table import Table

from benchmarks.asking import asking_lines, demo_lines
from benchmarks.at_door import door_lines
from benchmarks.at_scale import best, scale_lines
from benchmarks.by_views import view_lines
from benchmarks.crowded import crowded_lines
from benchmarks.generated import million
from benchmarks.importing import import_lines
from benchmarks.in_browser import keystroke_in_browser
from benchmarks.in_place import in_place_lines
from benchmarks.load import load_lines
from benchmarks.proving import proving_lines
from benchmarks.served import served_demo
from benchmarks.streamed import streamed_lines
from demo.bundle import generate
from moorland.core.bundle.policy import Role
from moorland.core.bundle.reading import read_folder
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.effect import AlignedQuestion, aligned_rows, share
from moorland.core.sources.files import folder_loader

console = Console(width=170)
messages = Console(stderr=True)


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


def main() -> None:
    """Runs everything and prints the table."""
    rows = million(int(sys.argv[1]) if len(sys.argv) > 1 else 10)
    table = Table(
        title=f"{platform.processor() or platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()}, DuckDB {duckdb.__version__} with 2 threads"
    )
    for column in ("work", "Moorland", "against", "", "found", "asked"):
        table.add_column(column)
    messages.print("demo: an edited sentence, four viewers …")
    seconds = keystroke()
    table.add_row("demo: effect of a keystroke, 4 viewers, in the core", f"{seconds * 1000:.1f} ms", "limit", "100 ms", "", "under")
    messages.print("demo: keystrokes in the browser …")
    with served_demo() as served:
        address = f"http://localhost:{served.port}"
        median, longest = keystroke_in_browser(address)
    table.add_row("the same in the browser, key to screen: median", f"{median * 1000:.0f} ms", "limit", "300 ms", "", "under")
    table.add_row("the same in the browser, key to screen: longest", f"{longest * 1000:.0f} ms", "limit", "300 ms", "", "under")
    messages.print("many viewers at once …")
    for pressed in load_lines():
        table.add_row(*pressed)
    messages.print("the query door …")
    for at_door in door_lines():
        table.add_row(*at_door)
    messages.print("crowded screens …")
    for crowded in crowded_lines():
        table.add_row(*crowded)
    for brought in import_lines(lambda step: messages.print(f"{step} …")):
        table.add_row(*brought)
    for line in scale_lines(rows, lambda step: messages.print(f"{step} …")):
        table.add_row(*line)
    for asked in demo_lines():
        table.add_row(*asked)
    for told in asking_lines(rows, lambda step: messages.print(f"{step} …")):
        table.add_row(*told)
    for proved in proving_lines(rows, lambda step: messages.print(f"{step} …")):
        table.add_row(*proved)
    for left in in_place_lines(rows, lambda step: messages.print(f"{step} …")):
        table.add_row(*left)
    for by_view in view_lines(lambda step: messages.print(f"{step} …")):
        table.add_row(*by_view)
    for streamed in streamed_lines(lambda step: messages.print(f"{step} …")):
        table.add_row(*streamed)
    console.print(table)


if __name__ == "__main__":
    main()
