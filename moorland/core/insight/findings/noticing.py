"""Every finding of a bundle, weightiest first."""

from moorland.core.engine.evaluator import Evaluator
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
    found = [
        *people_findings(evaluator, viewers),
        *value_findings(evaluator),
        *coverage_findings(evaluator, viewers),
        *disclosure_findings(evaluator, viewers),
        *reaching_findings(evaluator, viewers),
        *(news_findings(evaluator, before) if before is not None else ()),
    ]
    return sorted(found, key=lambda finding: (WEIGHTS.index(finding.weight), finding.kind, finding.path, finding.message))
