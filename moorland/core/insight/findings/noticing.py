"""Every finding of a bundle, weightiest first."""

from collections.abc import Callable, Iterable
from functools import partial

from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Refused
from moorland.core.engine.through_strata import through_strata
from moorland.core.engine.unanswered import LeftInPlace, SourceFailed
from moorland.core.insight.findings.coverage import coverage_findings
from moorland.core.insight.findings.disclosure import disclosure_findings
from moorland.core.insight.findings.finding import WEIGHTS, Finding
from moorland.core.insight.findings.news import news_findings
from moorland.core.insight.findings.people import people_findings
from moorland.core.insight.findings.reaching import reaching_findings
from moorland.core.insight.findings.values import value_findings


def notice(evaluator: Evaluator, before: Evaluator | None = None) -> list[Finding]:
    """What there is to notice in a bundle; with `before`, also what is new since that one."""
    viewers = list(evaluator.everyone())
    parts: list[Callable[[Evaluator], Iterable[Finding]]] = [
        lambda on: people_findings(on, viewers),
        lambda on: coverage_findings(on, viewers),
        lambda on: disclosure_findings(on, viewers),
        lambda on: reaching_findings(on, viewers),
    ]
    found = [*_looked_for(evaluator, value_findings)]
    for part in parts:
        found += _looked_for(evaluator, partial(_on_strata, part))
    if before is not None:
        found += _looked_for(evaluator, lambda on: news_findings(on, before))
    return sorted(found, key=lambda finding: (WEIGHTS.index(finding.weight), finding.kind, finding.path, finding.message))


def _on_strata(look: Callable[[Evaluator], Iterable[Finding]], evaluator: Evaluator) -> list[Finding]:
    return through_strata([evaluator], lambda on: list(look(on)))


def _looked_for(evaluator: Evaluator, look: Callable[[Evaluator], Iterable[Finding]]) -> list[Finding]:
    """What is found; where tables left in place cannot be looked at, that is said in its place."""
    try:
        return list(look(evaluator))
    except (LeftInPlace, SourceFailed, Refused) as failed:
        remedy = "Bring the table in, or look at what the roles read of it by hand."
        return [Finding(kind="not_looked_at", weight="low", path="models", message=f"Some findings were not looked for: {failed}", remedy=remedy)]
