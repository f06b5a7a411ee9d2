"""Which sentences touch a table, and what in the model and on pages builds on it."""

from collections.abc import Iterator
from dataclasses import dataclass

from moorland.core.bundle.policy import BetweenColumns, Role, Sentence
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.roles import CompiledRole


@dataclass(frozen=True)
class Touch:
    """A sentence of a role and what of the table it reads or names (`column:t.c`, `table:t`)."""

    role: str
    label: str
    sentence: int
    kind: str
    object: str


def touches(evaluator: Evaluator, model: str, table: str) -> list[Touch]:
    """Every sentence of every role that reads or names the table or one of its columns."""
    found: dict[tuple[str, int, str], Touch] = {}
    for role in evaluator.roles.values():
        if role.role.model != model:
            continue
        for index, column in [*_read(role, table), *_named(evaluator, role.role, model, table)]:
            name = f"column:{table}.{column}" if column else f"table:{table}"
            kind = role.role.sentences[index].kind
            found[role.role.name, index, name] = Touch(role.role.name, role.role.title, index, kind, name)
    return sorted(found.values(), key=lambda touch: (touch.role, touch.sentence, touch.object))


def _read(role: CompiledRole, table: str) -> Iterator[tuple[int, str | None]]:
    for rule in role.rows:
        if rule.table == table:
            yield rule.sentence, None
        yield from ((rule.sentence, column) for owner, column in rule.reads if owner == table)
    for mask in role.masks:
        if mask.column[0] == table:
            yield mask.sentence, mask.column[1]
        yield from ((mask.sentence, column) for owner, column in mask.reads if owner == table)


def _named(evaluator: Evaluator, role: Role, model: str, table: str) -> Iterator[tuple[int, str | None]]:
    schema = evaluator.models[model].schema
    for index, sentence in enumerate(role.sentences):
        yield from ((index, column) for column in _through(sentence, table))
        if sentence.beneath and table in sentence.beneath.tables:
            yield index, None
        if sentence.change and sentence.change.table == table:
            yield index, None
        if not sentence.objects:
            continue
        for name in [*sentence.objects.hide, *sentence.objects.show]:
            kind, _, rest = name.partition(":")
            if kind == "table" and rest == table:
                yield index, None
            elif kind == "column" and rest.startswith(f"{table}."):
                yield index, rest.partition(".")[2]
            elif kind in ("tag", "folder"):
                shape = schema.tables[table]
                if rest in shape.tags or rest == shape.folder:
                    yield index, None
                yield from ((index, column.name) for column in shape.columns if rest in column.tags or rest == column.folder)


def _through(sentence: Sentence, table: str) -> Iterator[str | None]:
    written = sentence.entitlement
    if written is None or written.through != table:
        return
    yield None
    yield written.person
    for target in written.match.values():
        yield from target.between if isinstance(target, BetweenColumns) else [target]


def dependents(evaluator: Evaluator, model: str, table: str) -> dict[str, list[str]]:
    """What builds on each column of a table, by the column's name: measures, derived columns, hierarchies, relationships, exhibits of pages."""
    compiled = evaluator.models[model]
    schema = compiled.schema
    found: dict[str, list[str]] = {column.name: [] for column in schema.tables[table].columns}

    def add(owner: str, column: str, what: str) -> None:
        if owner == table and column in found and what not in found[column]:
            found[column].append(what)

    for measure in compiled.measures.values():
        for owner, column in measure.inputs:
            add(owner, column, f"measure {measure.name}")
    for derived in compiled.derived.values():
        for owner, column in derived.reads:
            add(owner, column, f"column {derived.key[0]}.{derived.key[1]}")
    for hierarchy in schema.model.hierarchies:
        for column in hierarchy.columns:
            add(hierarchy.table, column, f"hierarchy {hierarchy.name}")
    for steps in schema.parents.values():
        for step in steps:
            add(step.many, step.column, f"relationship to {step.one}")
            add(step.one, step.key, f"relationship from {step.many}")
    for page in evaluator.bundle.pages:
        if page.model != model:
            continue
        for exhibit in page.exhibits:
            for name in [*exhibit.by, *(exhibit.columns or [])]:
                owner, _, column = name.rpartition(".")
                add(owner or exhibit.table or "", column, f"page {page.title}")
    return {name: sorted(items) for name, items in found.items()}


def measure_dependents(evaluator: Evaluator, model: str, measure: str) -> list[str]:
    """Measures, cubes and pages that use a measure."""
    compiled = evaluator.models[model]
    found = [f"measure {other.name}" for other in compiled.schema.model.measures if other.name != measure and f"measure.{measure}" in other.expression]
    found += [f"cube {cube.name}" for cube in compiled.schema.model.cubes if measure in cube.measures]
    return found + [f"page {page.title}" for page in evaluator.bundle.pages if page.model == model and any(measure in item.measures for item in page.exhibits)]
