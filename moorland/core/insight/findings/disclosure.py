"""Findings about disclosure: hidden measures that others let derive, whole totals that give a hidden member away (semantics.md 8.3)."""

from collections.abc import Iterator
from typing import Any

from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.member_rules import MembersRule
from moorland.core.engine.questions import Question, TotalsAnswer, TotalsQuestion
from moorland.core.engine.roles import CompiledRole
from moorland.core.insight.findings.finding import Finding, shown
from moorland.core.language import tree
from moorland.core.language.measures import CheckedMeasure
from moorland.core.people import Viewer

#: So many viewers with different views, and hidden members of each, are looked at.
MOST_VIEWERS = 50
MOST_NUMBERS = 5


def disclosure_findings(evaluator: Evaluator, viewers: list[Viewer]) -> Iterator[Finding]:
    """What can be worked out from what is visible."""
    for index, role in enumerate(evaluator.bundle.roles):
        compiled = evaluator.roles[role.name]
        if role.kind == "grant" and role.model is not None:
            yield from _derivable(evaluator, compiled, f"roles[{index}]")
            holders = [viewer for viewer in viewers if viewer.enabled and role.name in viewer.held]
            for on, some in evaluator.by_content(holders, role.model) or [(evaluator, holders)]:
                for rule in on.roles[role.name].rows:
                    if isinstance(rule, MembersRule) and rule.whole:
                        place = f"roles[{index}].sentences[{rule.sentence}].members"
                        yield from whole_total_findings(on, on.roles[role.name], rule, some, place)


def _derivable(evaluator: Evaluator, compiled: CompiledRole, path: str) -> Iterator[Finding]:
    """Measures a role hides though visible ones give their value."""
    model = evaluator.models[compiled.role.model or ""]
    if compiled.objects is None:
        return
    visible = {name: model.measures[name] for name in compiled.objects.measures}
    for name, measure in model.measures.items():
        if name in visible or (not _inputs_visible(compiled, measure) and not _around(measure, visible.values())):
            continue
        ways = _ways(measure, visible)
        if ways:
            yield Finding(
                kind="measure_derivable",
                weight="high",
                path=path,
                message=f"{compiled.role.title} hides {name}, but it can be worked out from {' and '.join(ways)}.",
                remedy=f"Hide one of them too, or a column that {name} reads.",
            )


def _inputs_visible(compiled: CompiledRole, measure: CheckedMeasure) -> bool:
    return compiled.objects is not None and measure.inputs <= compiled.objects.columns


def _around(measure: CheckedMeasure, visible: Any) -> bool:
    wanted = tree.bare(measure.tree)
    return any(tree.bare(node) == wanted for other in visible for node in other.tree.walk())


def _ways(measure: CheckedMeasure, visible: dict[str, CheckedMeasure]) -> list[str]:
    """The visible measures that together give a hidden one; empty where none are known."""
    simple = {tree.bare(other.tree): name for name, other in visible.items() if isinstance(other.tree, tree.Aggregate)}
    parts = [tree.bare(node) for node in measure.tree.walk() if isinstance(node, tree.Aggregate)]
    if not isinstance(measure.tree, tree.Aggregate) and all(part in simple for part in parts):
        return list(dict.fromkeys(simple[part] for part in parts))
    wanted = tree.bare(measure.tree)
    if wanted in simple:
        return [simple[wanted]]
    for name, other in visible.items():
        node = other.tree
        if isinstance(node, tree.Arithmetic) and wanted in (tree.bare(node.left), tree.bare(node.right)):
            rest = node.right if tree.bare(node.left) == wanted else node.left
            rest_parts = [tree.bare(item) for item in rest.walk() if isinstance(item, tree.Aggregate)]
            known = {tree.bare(item.tree): label for label, item in visible.items()}
            if isinstance(rest, tree.Literal):
                return [name]
            if tree.bare(rest) in known:
                return [name, known[tree.bare(rest)]]
            if rest_parts and all(part in simple for part in rest_parts):
                return [name, *dict.fromkeys(simple[part] for part in rest_parts)]
    return []


def whole_total_findings(evaluator: Evaluator, compiled: CompiledRole, rule: MembersRule, holders: list[Viewer], path: str) -> Iterator[Finding]:
    """Numbers of single hidden members that a whole total less its visible members gives."""
    model = evaluator.models[compiled.role.model or ""]
    additive = [name for name in sorted(model.measures) if _additive(model.measures[name]) and model.schema.reaches(model.measures[name].table, rule.table)]
    levels = [f"{rule.table}.{level}" for level in rule.hierarchy.levels or []]
    without = _without(evaluator, compiled, rule.sentence)
    evidence: list[str] = []
    concerned: list[str] = []
    for viewer in list({str(rule.values(viewer)): viewer for viewer in holders}.values())[:MOST_VIEWERS]:
        for depth in range(1, len(levels) + 1):
            for name in additive[:1]:
                found = list(_given_away(evaluator, without, viewer, model.schema.model.name, levels[:depth], name))
                if found:
                    concerned.append(viewer.login or "")
                evidence += [f"{viewer.login or 'somebody'}: {line}" for line in found]
    if evidence:
        yield Finding(
            kind="whole_total_gives_away",
            weight="high",
            path=path,
            message=f"Whole totals give away members of {rule.hierarchy.title} that are the only hidden ones beneath a visible total.",
            remedy="Use own totals, or hide a second member beside each.",
            evidence=shown(evidence, MOST_NUMBERS),
        )


def _additive(measure: CheckedMeasure) -> bool:
    return isinstance(measure.tree, tree.Aggregate) and measure.tree.function in ("SUM", "COUNT") and not measure.tree.distinct


def _without(evaluator: Evaluator, compiled: CompiledRole, sentence: int) -> Evaluator:
    """The same with one sentence of a role switched off: what the viewer would see were it not for that sentence."""
    role = compiled.role
    sentences = [item.model_copy(update={"off": True}) if place == sentence else item for place, item in enumerate(role.sentences)]
    return evaluator.with_role(role.model_copy(update={"sentences": sentences}))


def _given_away(evaluator: Evaluator, without: Evaluator, viewer: Viewer, model: str, by: list[str], measure: str) -> Iterator[str]:
    """For each parent with exactly one hidden member beneath it, that member and its value."""
    question = Question(totals=TotalsQuestion(model=model, by=by, measures=[measure], subtotals=True))
    seen, everything = evaluator.answer(viewer, question), without.answer(viewer, question)
    if not isinstance(seen, TotalsAnswer) or not isinstance(everything, TotalsAnswer) or seen.not_found:
        return
    visible, whole = _by_parent(seen, len(by)), _by_parent(everything, len(by))
    for parent, total in _totals(seen, len(by)).items():
        hidden = [key for key in whole.get(parent, {}) if key not in visible.get(parent, {})]
        if len(hidden) == 1 and total is not None:
            rest = total - sum(value or 0 for value in visible.get(parent, {}).values())
            if abs(rest - (whole[parent][hidden[0]] or 0)) < 1e-6 * max(1.0, abs(rest)) and rest:
                yield f"{measure} of {' › '.join(map(str, hidden[0]))} is {rest:,.10g}"


def _by_parent(answer: TotalsAnswer, depth: int) -> dict[tuple[Any, ...], dict[tuple[Any, ...], Any]]:
    found: dict[tuple[Any, ...], dict[tuple[Any, ...], Any]] = {}
    for line in answer.lines:
        if line.depth is None:
            found.setdefault(tuple(line.key[:-1]), {})[tuple(line.key)] = line.values[0]
    return found


def _totals(answer: TotalsAnswer, depth: int) -> dict[tuple[Any, ...], Any]:
    """The totals one level above the lines; the grand total above single levels."""
    if depth == 1:
        return {(): answer.total[0]}
    return {tuple(line.key): line.values[0] for line in answer.lines if line.depth == depth - 1}
