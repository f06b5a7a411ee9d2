"""Findings about coverage: what a role does not reach, what is open elsewhere, sentences that take nothing away."""

from collections.abc import Iterator

import numpy as np

from moorland.core.bundle.policy import Role
from moorland.core.bundle.problems import nearest_name
from moorland.core.bundle.structure import object_names
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.masking import Ladder
from moorland.core.engine.roles import CompiledRole
from moorland.core.engine.visible import RoleRows
from moorland.core.insight.findings.finding import Finding, shown
from moorland.core.people import Viewer

#: So many viewers with different values are tried before a sentence is called redundant.
MOST_TRIED = 40


def coverage_findings(evaluator: Evaluator, viewers: list[Viewer]) -> Iterator[Finding]:
    """Facts and cubes beside a restriction, tags hidden in one place and open in another, redundant sentences."""
    for index, role in enumerate(evaluator.bundle.roles):
        if role.model is None:
            continue
        compiled, path = evaluator.roles[role.name], f"roles[{index}]"
        if role.kind == "grant":
            yield from _not_reached(evaluator, compiled, path)
            yield from _beneath(evaluator, compiled, path)
        yield from _carried_by_nothing(evaluator, compiled, path)
        yield from _tags_open(evaluator, compiled, path)
        held_by = [viewer for viewer in viewers if viewer.enabled and role.name in viewer.held]
        yield from (finding for _, finding in _redundant(evaluator, compiled, held_by, path))
    yield from _opened_by_another(evaluator, viewers)


def _not_reached(evaluator: Evaluator, compiled: CompiledRole, path: str) -> Iterator[Finding]:
    """Fact tables, and cubes over them, that a role with sentences about rows leaves whole."""
    role = compiled.role
    if not compiled.rows or compiled.objects is None or role.model is None:
        return
    data = evaluator.data(role.model)
    schema = data.schema
    restricted = RoleRows(compiled, evaluator.all_data(), data, Ladder(mask.kind for mask in compiled.masks)).restricted
    looked_up = {step.one for steps in schema.parents.values() for step in steps}
    open_facts = [name for name in compiled.objects.tables if name not in looked_up and name not in restricted and (name in data.missing or data.rows(name))]
    open_facts = [name for name in open_facts if schema.parents[name] or any(measure.table == name for measure in schema.model.measures)]
    for name in sorted(open_facts):
        cubes = [cube.name for cube in schema.model.cubes if name in cube.facts and cube.name in compiled.objects.cubes]
        yield Finding(
            kind="fact_not_reached",
            weight="high",
            path=path,
            message=f"{role.title} restricts rows, but none of its sentences reaches {name}: all its rows are visible.",
            remedy=f"Restrict {name} or a table it looks up, or hide it in this role.",
            evidence=[f"{data.rows(name):,} rows", *(f"cube {cube}" for cube in cubes)],
        )


def _beneath(evaluator: Evaluator, compiled: CompiledRole, path: str) -> Iterator[Finding]:
    """Tables whose rows are not listed but can be told apart by totals (5.7)."""
    role = compiled.role
    if compiled.objects is None or role.model is None:
        return
    schema = evaluator.models[role.model].schema
    for name in sorted(compiled.objects.tables):
        rule = compiled.beneath(name)
        if rule.rows and rule.only_under is None:
            continue
        measures = [measure.name for measure in schema.model.measures if measure.table == name and measure.name in compiled.objects.measures]
        columns = [column for table, column in compiled.objects.columns if table == name]
        if measures and len(columns) > 1:
            yield Finding(
                kind="rows_by_totals",
                weight="low",
                path=path,
                message=f"{role.title} does not list rows of {name}, but totals by enough of its {len(columns)} columns list them too.",
                remedy="Hide the columns that tell rows apart, or mask the values.",
                evidence=shown(measures),
            )


def _carried_by_nothing(evaluator: Evaluator, compiled: CompiledRole, path: str) -> Iterator[Finding]:
    """Tags and folders that a role hides or shows, and nothing in its model carries (5.5)."""
    role = compiled.role
    if role.model is None:
        return
    known = object_names(evaluator.models[role.model].schema.model)
    for index, sentence in role.acting:
        for written in [*sentence.objects.hide, *sentence.objects.show] if sentence.objects else []:
            kind = written.partition(":")[0]
            if kind in ("tag", "folder") and written not in known:
                nearest = nearest_name(written, [name for name in known if name.startswith(f"{kind}:")])
                yield Finding(
                    kind="carried_by_nothing",
                    weight="middle",
                    path=f"{path}.sentences[{index}]",
                    message=f"{role.title} names {written}, which nothing in {role.model} carries: it hides and shows nothing.",
                    remedy=f"Write {nearest}, or give something the {kind}." if nearest else f"Give something the {kind}, or take it out.",
                    evidence=[],
                )


def _tags_open(evaluator: Evaluator, compiled: CompiledRole, path: str) -> Iterator[Finding]:
    """Columns that carry a tag of which the role hides other columns by name."""
    role = compiled.role
    if compiled.objects is None or role.model is None:
        return
    schema = evaluator.models[role.model].schema
    hidden_by_name = {name for _, sentence in role.acting if sentence.objects for name in sentence.objects.hide}
    hidden_tags = {tag for (table, name), column in schema.columns.items() if f"column:{table}.{name}" in hidden_by_name for tag in column.tags}
    for tag in sorted(hidden_tags):
        left = sorted(f"{table}.{name}" for (table, name), column in schema.columns.items() if tag in column.tags and (table, name) in compiled.objects.columns)
        if left:
            yield Finding(
                kind="tag_open_elsewhere",
                weight="high",
                path=path,
                message=f"{role.title} hides a column tagged {tag}, but leaves others with this tag visible.",
                remedy=f"Hide tag:{tag} in place of single columns.",
                evidence=shown(left),
            )


def _opened_by_another(evaluator: Evaluator, viewers: list[Viewer]) -> Iterator[Finding]:
    """Tags that one grant role of a person hides and another opens."""
    found: dict[tuple[str, str, str], list[str]] = {}
    for viewer in viewers:
        if not viewer.enabled:
            continue
        grants = [evaluator.roles[name] for name in viewer.held if evaluator.roles[name].role.kind == "grant" and evaluator.roles[name].objects]
        limits = [evaluator.roles[name] for name in viewer.held if evaluator.roles[name].role.kind == "limit"]
        for hiding in grants:
            for tag in {name for _, sentence in hiding.role.acting if sentence.objects for name in sentence.objects.hide if name.startswith("tag:")}:
                for opening in grants:
                    if opening is not hiding and opening.role.model == hiding.role.model and _opens(evaluator, opening, limits, tag.removeprefix("tag:")):
                        found.setdefault((tag, hiding.role.title, opening.role.title), []).append(viewer.login or "")
    for (tag, hiding_title, opening_title), logins in sorted(found.items()):
        yield Finding(
            kind="tag_open_by_other_role",
            weight="middle",
            path="roles",
            message=f"{hiding_title} hides {tag}, but {len(logins)} who hold it see it through {opening_title}.",
            remedy="Hide it by a limit role, if nobody who holds the first should see it.",
            evidence=shown(logins),
        )


def _opens(evaluator: Evaluator, role: CompiledRole, limits: list[CompiledRole], tag: str) -> bool:
    schema = evaluator.models[role.role.model or ""].schema
    tagged = {key for key, column in schema.columns.items() if tag in column.tags}
    same_model = [limit for limit in limits if limit.role.model == role.role.model and limit.objects]
    assert role.objects is not None
    return any(key in role.objects.columns and all(limit.objects and key in limit.objects.columns for limit in same_model) for key in tagged)


def redundant_sentences(evaluator: Evaluator, role: str) -> list[tuple[int, Finding]]:
    """The sentences of one role that take nothing away, such as the same filter given twice, each by its place; paths begin at the role."""
    compiled = evaluator.roles[role]
    held_by = [viewer for viewer in evaluator.everyone() if viewer.enabled and role in viewer.held]
    return [] if compiled.role.model is None else list(_redundant(evaluator, compiled, held_by, role))


def _redundant(evaluator: Evaluator, compiled: CompiledRole, held_by: list[Viewer], path: str) -> Iterator[tuple[int, Finding]]:
    """Sentences about rows that are written twice, or without which every holder sees the same."""
    role: Role = compiled.role
    if role.model is None:
        return
    seen: dict[str, int] = {}
    twice = set()
    for rule in compiled.rows:
        key = f"{rule.table} {rule.text}"
        if key in seen:
            twice.add(rule.sentence)
            yield (
                rule.sentence,
                Finding(
                    kind="sentence_redundant",
                    weight="low",
                    path=f"{path}.sentences[{rule.sentence}]",
                    message=f"{role.title} says the same of {rule.table} in sentences {seen[key] + 1} and {rule.sentence + 1}.",
                    remedy="Delete one of them.",
                ),
            )
        seen.setdefault(key, rule.sentence)
    if not held_by:
        return
    of = {id(viewer): evaluator.of(viewer, role.model) for viewer in held_by}
    distinct = list({(id(of[id(viewer)]), str([rule.values(viewer) for rule in compiled.rows])): viewer for viewer in held_by}.values())
    if len(distinct) > MOST_TRIED:
        return
    ladder = Ladder(mask.kind for mask in compiled.masks)
    for rule in compiled.rows:
        if rule.sentence in twice:
            continue
        if all(_same(of[id(viewer)].roles[role.name], viewer, rule.sentence, rule.table, of[id(viewer)], ladder) for viewer in distinct):
            yield (
                rule.sentence,
                Finding(
                    kind="sentence_redundant",
                    weight="low",
                    path=f"{path}.sentences[{rule.sentence}]",
                    message=f"Without sentence {rule.sentence + 1} of {role.title}, everybody who holds it sees the same rows of {rule.table} today.",
                    remedy="Delete it, if it is not meant for data to come.",
                    evidence=[f"{len(held_by)} holders, {of[id(held_by[0])].data(role.model).rows(rule.table):,} rows"],
                ),
            )


def _same(compiled: CompiledRole, viewer: Viewer, sentence: int, table: str, evaluator: Evaluator, ladder: Ladder) -> bool:
    data = evaluator.data(compiled.role.model or "")
    rows = data.rows(table)
    masks = [RoleRows(compiled, viewer, data, ladder, without=without).of(table) for without in (None, sentence)]
    full = [np.ones(rows, dtype=np.bool_) if mask is None else mask for mask in masks]
    return bool(np.array_equal(full[0], full[1]))
