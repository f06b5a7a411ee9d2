"""The lines of the table about asking: everybody's classes, who sees a row, and the bridge of a figure, on many rows and for many people."""

import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np

from benchmarks.at_scale import Measured, best, everyone, once, shown
from benchmarks.generated import FactData, facts
from demo.bundle import generate
from moorland.core.bundle.reading import read_folder
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.bridge import BridgeQuestion, bridge
from moorland.core.insight.reach import reach
from moorland.core.insight.remedies import remedies
from moorland.core.insight.trace import Traced, trace
from moorland.core.insight.who import WhoQuestion, who
from moorland.core.sources.files import folder_loader

PEOPLE = 10_000


def asking_lines(rows: int, progress: Callable[[str], None]) -> Iterator[Measured]:
    """Every line about asking."""
    progress(f"asking about {rows:,} rows for {PEOPLE:,} people")
    made = facts(rows)
    data = FactData(made.site, made.crew, made.run, PEOPLE)
    base = data.evaluator()
    base.data("farm")
    list(base.everyone())
    everyone(base)
    together = best(lambda: everyone(base), 2)
    first = once(lambda: reach(base))
    classes = best(lambda: reach(base), 2)
    found = reach(base)
    yield (
        f"reach: classes of {PEOPLE:,} people ({len(found.classes):,})",
        shown(classes),
        "everyone",
        shown(together),
        f"{classes / together:.2f} ×",
        "at most 2",
    )
    yield "the same, for the first time", shown(first), "everyone", shown(together), f"{first / together:.2f} ×", "-"
    row = who(base, WhoQuestion(model="farm", table="run", where="site_id = 7 AND crew_id = 3")).rows
    asked = WhoQuestion(model="farm", table="run", row=rows // 2)
    seen = best(lambda: who(base, asked), 3)
    yield f"who sees a given row, of {PEOPLE:,} people", shown(seen), "limit", "300 ms", "", "under"
    cells = best(lambda: who(base, WhoQuestion(model="farm", table="run", where="site_id = 7 AND crew_id = 3")), 2)
    yield f"who sees some of {row:,} rows that a condition finds", shown(cells), "limit", "-", "", "-"
    keys = [base.data("farm").stored("run", name).codes for name in ("site_id", "crew_id")]
    scan = best(lambda: np.count_nonzero((keys[0] > 3) & (keys[1] > 2)))  # type: ignore[operator]
    for measure in ("energy", "runs"):
        question = BridgeQuestion(model="farm", measure=measure, by=["site.area"], key=[data.areas_of(1)[0]])
        bridge(base, base.viewer("u1"), question)
        seconds = best(lambda question=question: bridge(base, base.viewer("u2"), question), 5)
        yield f"bridge of {measure}", shown(seconds), "one NumPy scan of the keys", shown(scan), f"{seconds / scan:.1f} scans", "at most 3"


def demo_lines() -> Iterator[Measured]:
    """What the panel asks on the demo, and Reach for everybody there, in the core."""
    with tempfile.TemporaryDirectory() as folder:
        generate(Path(folder))
        base = Evaluator(read_folder(Path(folder)), folder_loader(Path(folder)))
        for model in base.models:
            base.data(model)
    list(base.everyone())
    viewer = base.viewer("j.ames")
    line = BridgeQuestion(model="operations", measure="energy", by=["site.area"], subtotals=True, key=["High Fells"])
    figure = Traced(model="operations", object="measure:energy", figure=True, by=["site.area"], key=["High Fells"])
    work: dict[str, Callable[[], object]] = {
        "why of a figure": lambda: trace(base, "j.ames", figure),
        "why of a row, with what would have to change": lambda: remedies(base, "j.ames", Traced(model="operations", table="site", row=20)),
        "who has a figure": lambda: who(base, WhoQuestion(model="operations", measure="energy", by=["site.area"], key=["High Fells"])),
        "how a figure adds up": lambda: bridge(base, viewer, line),
        "Reach of 64 people": lambda: reach(base),
    }
    for name, ask in work.items():
        ask()
        yield f"demo: {name}", shown(best(ask, 5)), "limit", "300 ms", "", "under"
