"""Roles made ready to evaluate: conditions checked, objects decided (semantics.md 5)."""

from dataclasses import dataclass

from moorland.core.bundle.people import AttributeDefinition
from moorland.core.bundle.policy import Role
from moorland.core.bundle.problems import Problem
from moorland.core.bundle.schema import Schema
from moorland.core.engine.objects import Objects, objects_under
from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.errors import ConditionError
from moorland.core.language.measures import CheckedMeasure

#: Kinds of sentence this version evaluates; a role with another kind is refused, never read as if the sentence were absent.
EVALUATED_KINDS = ("rows", "objects", "pages")


@dataclass(frozen=True)
class RowsRule:
    """A rows sentence with its checked condition."""

    sentence: int
    table: str
    text: str
    condition: tree.Node


@dataclass(frozen=True)
class PagesRule:
    """A pages sentence with its checked condition (5.9)."""

    sentence: int
    actions: frozenset[str]
    on: frozenset[str] | None
    condition: tree.Node | None


@dataclass(frozen=True)
class CompiledRole:
    """A role ready to evaluate. `objects` is None for a role of pages only."""

    role: Role
    rows: tuple[RowsRule, ...]
    pages: tuple[PagesRule, ...]
    objects: Objects | None


def compile_role(
    role: Role, schema: Schema | None, measures: dict[str, CheckedMeasure], attributes: dict[str, AttributeDefinition]
) -> tuple[CompiledRole | None, list[Problem]]:
    """The role ready to evaluate, or every problem of its sentences with paths inside the role."""
    rows: list[RowsRule] = []
    pages: list[PagesRule] = []
    problems: list[Problem] = []
    for index, sentence in enumerate(role.sentences):
        place = f"sentences[{index}].{sentence.kind}"
        try:
            if sentence.rows and schema is not None:
                scope = Scope(schema=schema, table=sentence.rows.table, attributes=attributes)
                rows.append(RowsRule(index, sentence.rows.table, sentence.rows.where, check_condition(sentence.rows.where, scope)))
            elif sentence.pages:
                page_scope = Scope(attributes=attributes, page=True)
                condition = check_condition(sentence.pages.where, page_scope) if sentence.pages.where else None
                on = frozenset(sentence.pages.on) if sentence.pages.on is not None else None
                pages.append(PagesRule(index, frozenset(sentence.pages.actions), on, condition))
            elif sentence.kind not in EVALUATED_KINDS:
                problems.append(Problem("not_evaluated", f"sentences of the kind {sentence.kind} are not evaluated by this version; take it out.", path=place))
        except ConditionError as error:
            problems.append(error.problem(f"{place}.where"))
    if problems:
        return None, problems
    return CompiledRole(role, tuple(rows), tuple(pages), objects_under(role, schema, measures) if schema else None), []
