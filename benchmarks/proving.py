"""The lines of the table about what is proved: how much promises guard, findings and the probe."""

import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

from benchmarks.at_scale import Measured, once, shown
from benchmarks.generated import facts
from demo.bundle import generate
from moorland.core.bundle.reading import read_folder
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.findings.noticing import notice
from moorland.core.insight.guarding import Guard, guard
from moorland.core.insight.probe.probing import probe_classes
from moorland.core.insight.reach import reach
from moorland.core.sources.files import folder_loader


def proving_lines(rows: int, say: Callable[[str], None]) -> Iterator[Measured]:
    """Guarding of the demo and of a thousand people over many rows, a mutant against one look at everyone; findings and the probe of the demo."""
    with tempfile.TemporaryDirectory() as folder:
        generate(Path(folder))
        base = Evaluator(read_folder(Path(folder)), folder_loader(Path(folder)))
        for model in base.models:
            base.data(model)
    say("demo: guarding, findings, probe")
    yield _guarding("demo", base)
    yield "demo: findings", shown(once(lambda: notice(base))), "", "", "", "seconds"
    yield "demo: probe of one of each class of 64 people", shown(once(lambda: probe_classes(base))), "", "", "", ""
    say("guarding at scale")
    yield _guarding(f"{rows:,} rows, 1,000 people", facts(rows).evaluator())


def _guarding(what: str, base: Evaluator) -> Measured:
    """A mutant's share of the time, against one look at everybody."""
    everyone = once(lambda: reach(base))
    found: list[Guard] = []
    seconds = once(lambda: found.append(guard(base)))
    many = sum(len(item.mutants) for item in found[0].sentences)
    each = seconds / max(1, many)
    return f"{what}: guarding, {many} mutants, each", f"{shown(seconds)}, {shown(each)}", "everyone", shown(everyone), f"{each / everyone:.2f} ×", "at most 1"
