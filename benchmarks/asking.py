"""The lines of the table about asking: everybody's classes, who sees a row, and the bridge of a figure, on many rows and for many people."""

from collections.abc import Callable, Iterator

import numpy as np

from benchmarks.at_scale import Measured, best, everyone, once, shown
from benchmarks.generated import FactData, facts
from moorland.core.insight.bridge import BridgeQuestion, bridge
from moorland.core.insight.reach import reach
from moorland.core.insight.who import WhoQuestion, who

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
