"""Roles made ready to evaluate: sentences checked and typed, objects decided (semantics.md 5)."""

from collections.abc import Iterator
from dataclasses import dataclass, field

from moorland.core.bundle.model import Hierarchy
from moorland.core.bundle.people import AttributeDefinition
from moorland.core.bundle.policy import (
    AttributeIs,
    BetweenColumns,
    ChangeSentence,
    EntitlementSentence,
    MaskSentence,
    MembersSentence,
    Role,
    ViewerItem,
)
from moorland.core.bundle.problems import Problem, nearest_name
from moorland.core.bundle.schema import Schema
from moorland.core.bundle.shape import Scalar, ValueType
from moorland.core.bundle.values import TypedValue, typed_value
from moorland.core.engine.entitlements import EntitlementRule
from moorland.core.engine.mask_kinds import MASK_KINDS, in_totals_of, mask_kind
from moorland.core.engine.masking import MaskRule
from moorland.core.engine.member_rules import Entry, MembersRule, ViewerValues
from moorland.core.engine.objects import Objects, objects_under, shown_by_name
from moorland.core.engine.rules import BeneathRule, ChangeRule, PagesRule, RowRule, RowsRule
from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.derived import Derived
from moorland.core.language.errors import ConditionError
from moorland.core.language.measures import CheckedMeasure
from moorland.core.language.types import comparable

#: How many rows of a table a grant role lists at most, unless a beneath sentence says otherwise (5.7).
DEFAULT_LIMIT = 1000


@dataclass(frozen=True)
class CompiledRole:
    """A role ready to evaluate. `objects` is None for a role of pages only; `named` is what its object sentences show by name."""

    role: Role
    rows: tuple[RowRule, ...] = ()
    masks: tuple[MaskRule, ...] = ()
    changes: tuple[ChangeRule, ...] = ()
    pages: tuple[PagesRule, ...] = ()
    objects: Objects | None = None
    named: frozenset[str] = frozenset()
    _beneath: dict[str, BeneathRule] = field(default_factory=dict, compare=False, repr=False)

    @property
    def conditions(self) -> Iterator[tree.Node]:
        """Every condition of its sentences but those of row-deciding ones."""
        yield from (mask.when for mask in self.masks if mask.when is not None)
        yield from (rule.condition for rule in self.pages if rule.condition is not None)
        yield from (condition for rule in self.changes for condition in (rule.insert, rule.update, rule.delete) if condition is not None)

    @property
    def viewer_reads(self) -> frozenset[str]:
        """The names of `viewer.` that any of its sentences reads."""
        rules = frozenset[str]().union(*(rule.viewer_reads for rule in self.rows))
        return rules.union(*(tree.viewer_values_read(condition) for condition in self.conditions))

    def beneath(self, table: str) -> BeneathRule:
        """What the role says of rows beneath numbers: several sentences are read as the narrowest; a limit role is silent by default (5.7, 12.5)."""
        if table not in self._beneath:
            self._beneath[table] = self._said_beneath(table)
        return self._beneath[table]

    def _said_beneath(self, table: str) -> BeneathRule:
        grant = self.role.kind == "grant"
        sentences = [sentence.beneath for _, sentence in self.role.acting if sentence.beneath and table in sentence.beneath.tables]
        limits = [sentence.limit if sentence.limit is not None else DEFAULT_LIMIT if grant else None for sentence in sentences]
        unders = [sentence.only_under for sentence in sentences if sentence.only_under is not None]
        return BeneathRule(
            rows=all(sentence.rows for sentence in sentences),
            limit=min((limit for limit in limits if limit is not None), default=DEFAULT_LIMIT if grant and not sentences else None),
            only_under=min(unders, default=None),
            export=all(sentence.export for sentence in sentences) if sentences else not grant,
        )


@dataclass(frozen=True)
class CompiledModel:
    """A model with its derived columns and measures checked. `entitling` are the tables that entitlements of any role look people up in."""

    schema: Schema
    measures: dict[str, CheckedMeasure]
    derived: Derived
    entitling: frozenset[str]


def compile_role(role: Role, model: CompiledModel | None, attributes: dict[str, AttributeDefinition]) -> tuple[CompiledRole | None, list[Problem]]:
    """The role ready to evaluate, or every problem of its sentences with paths inside the role."""
    compiling = _Compiling(role, model.schema if model else None, attributes)
    for index, sentence in role.acting:
        place = f"sentences[{index}].{sentence.kind}"
        if sentence.pages:
            page_scope = Scope(attributes=attributes, page=True)
            condition = compiling.condition(sentence.pages.where, page_scope, f"{place}.where")
            on = frozenset(sentence.pages.on) if sentence.pages.on is not None else None
            compiling.pages.append(PagesRule(index, frozenset(sentence.pages.actions), on, condition))
        elif model is None:
            continue
        elif sentence.rows:
            condition = compiling.condition(sentence.rows.where, compiling.scope(sentence.rows.table), f"{place}.where")
            if condition is not None:
                compiling.rows.append(RowsRule(index, sentence.rows.table, sentence.rows.where, condition))
        elif sentence.entitlement:
            compiling.entitlement(index, sentence.entitlement, place)
        elif sentence.members:
            compiling.members(index, sentence.members, place)
        elif sentence.mask:
            compiling.mask(index, sentence.mask, place)
        elif sentence.change:
            compiling.change(index, sentence.change, place)
    if compiling.problems:
        return None, compiling.problems
    named = shown_by_name(role)
    compiled = CompiledRole(role, tuple(compiling.rows), tuple(compiling.masks), tuple(compiling.changes), tuple(compiling.pages), None, named)
    if model is None:
        return compiled, []
    inner = frozenset(name for table in compiling.inner for name in model.schema.names_of(table))
    entitling = frozenset(name for table in model.entitling for name in model.schema.names_of(table))
    objects = objects_under(role, model.schema, model.measures, model.derived, inner | entitling)
    return CompiledRole(role, compiled.rows, compiled.masks, compiled.changes, compiled.pages, objects, named), []


class _Compiling:
    """The sentences of a role, checked one by one; every problem is kept."""

    def __init__(self, role: Role, schema: Schema | None, attributes: dict[str, AttributeDefinition]) -> None:
        self.role, self.attributes = role, attributes
        self._schema = schema
        self.rows: list[RowRule] = []
        self.masks: list[MaskRule] = []
        self.changes: list[ChangeRule] = []
        self.pages: list[PagesRule] = []
        self.inner: set[str] = set()
        self.problems: list[Problem] = []

    @property
    def schema(self) -> Schema:
        assert self._schema is not None
        return self._schema

    def scope(self, table: str) -> Scope:
        return Scope(schema=self.schema, table=table, attributes=self.attributes, inner=True)

    def wrong(self, path: str, code: str, message: str, nearest: str | None = None) -> None:
        self.problems.append(Problem(code, message, path=path, nearest=nearest))

    def condition(self, text: str | None, scope: Scope, path: str) -> tree.Node | None:
        """A checked condition; the tables its inner queries read are noted."""
        if text is None:
            return None
        try:
            checked = check_condition(text, scope)
        except ConditionError as error:
            self.problems.append(error.problem(path))
            return None
        self.inner |= {query.table for query in tree.inner_queries(checked)}
        return checked

    def column_type(self, table: str, column: str, path: str) -> str | None:
        found = self.schema.columns.get((table, column))
        if found is None:
            self.wrong(
                path, "unknown_name", f"there is no column {column}.", nearest_name(column, [name for owner, name in self.schema.columns if owner == table])
            )
        return found.type if found else None

    def same_kind(self, left: str | None, right: str | None, path: str, what: str, equality: bool = True) -> None:
        if left is not None and right is not None and not comparable(left, right, equality):
            self.wrong(path, "type", f"{what}: {left} and {right} cannot be compared.")

    def entitlement(self, index: int, sentence: EntitlementSentence, place: str) -> None:
        where = self.condition(sentence.where, self.scope(sentence.through), f"{place}.where")
        person = self.column_type(sentence.through, sentence.person, f"{place}.person")
        wanted = "text"
        if isinstance(sentence.person_is, AttributeIs):
            definition = self.attributes.get(sentence.person_is.attribute)
            if definition is None:
                name = sentence.person_is.attribute
                self.wrong(f"{place}.person_is", "unknown_name", f"there is no attribute {name}.", nearest_name(name, self.attributes))
                return
            wanted = definition.type
        self.same_kind(person, wanted, f"{place}.person", f"{sentence.person} names the person")
        for column, target in sentence.match.items():
            path = f"{place}.match.{column}"
            own = self.column_type(sentence.table, column, path)
            for name in target.between if isinstance(target, BetweenColumns) else [target]:
                between = isinstance(target, BetweenColumns)
                self.same_kind(own, self.column_type(sentence.through, name, path), path, f"{column} against {name}", equality=not between)
        if not sentence.match:
            self.wrong(f"{place}.match", "shape", "names no column; a line would open every row.")
        self.rows.append(EntitlementRule(index, sentence.model_dump_json(), sentence, where))

    def members(self, index: int, sentence: MembersSentence, place: str) -> None:
        hierarchy = next((item for item in self.schema.model.hierarchies if item.name == sentence.hierarchy), None)
        if hierarchy is None:
            names = [item.name for item in self.schema.model.hierarchies]
            self.wrong(f"{place}.hierarchy", "unknown_name", f"there is no hierarchy {sentence.hierarchy}.", nearest_name(sentence.hierarchy, names))
            return
        if sentence.totals == "whole" and (self.role.kind != "grant" or hierarchy.levels is None):
            self.wrong(f"{place}.totals", "whole", "whole totals are for grant roles and level hierarchies.")
        columns = hierarchy.levels if hierarchy.levels is not None else [hierarchy.key or ""]
        entries = []
        for position, entry in enumerate(sentence.list):
            path = f"{place}.list[{position}].path"
            if not 1 <= len(entry.path) <= len(columns):
                self.wrong(path, "path", f"a path has 1 to {len(columns)} items here, not {len(entry.path)}.")
                continue
            items = [self.member(hierarchy, column, item, f"{path}[{step}]") for step, (column, item) in enumerate(zip(columns, entry.path, strict=False))]
            entries.append(Entry(tuple(item for item in items if item is not None), entry.see))
        rule = MembersRule(index, sentence.model_dump_json(), hierarchy, sentence.unlisted == "visible", tuple(entries), sentence.totals == "whole")
        self.rows.append(rule)

    def member(self, hierarchy: Hierarchy, column: str, item: Scalar | ViewerItem, path: str) -> TypedValue | ViewerValues | None:
        """An item of a path as a value of its level's type, or the attribute whose values it stands for."""
        type_: ValueType = self.schema.columns[hierarchy.table, column].type
        if isinstance(item, ViewerItem):
            definition = self.attributes.get(item.viewer)
            if definition is None:
                self.wrong(path, "unknown_name", f"there is no attribute {item.viewer}.", nearest_name(item.viewer, self.attributes))
                return None
            self.same_kind(type_, definition.type, path, f"{column} against viewer.{item.viewer}")
            return ViewerValues(item.viewer)
        try:
            return typed_value(item, type_)
        except ValueError as error:
            self.wrong(path, "type", f"{error}.")
            return None

    def mask(self, index: int, sentence: MaskSentence, place: str) -> None:
        table, _, column = sentence.column.partition(".")
        type_ = self.column_type(table, column, f"{place}.column")
        if type_ is None:
            return
        when = self.condition(sentence.when, self.scope(table), f"{place}.when")
        kind = mask_kind(sentence.with_)
        if type_ not in kind.types:
            self.wrong(f"{place}.with", "type", f"{kind.name} is for {' and '.join(kind.types)}; {sentence.column} is {type_}.")
        if in_totals_of(sentence) not in kind.in_totals:
            fitting = " and ".join(other.name for other in MASK_KINDS if "shown" in other.in_totals)
            self.wrong(f"{place}.in_totals", "in_totals", f"shown is for {fitting}, not for {kind.name}.")
        self.masks.append(MaskRule(index, (table, column), sentence.model_dump_json(), sentence, when))

    def change(self, index: int, sentence: ChangeSentence, place: str) -> None:
        insert, update, delete = (
            self.condition(getattr(sentence, kind), self.scope(sentence.table), f"{place}.{kind}") for kind in ("insert", "update", "delete")
        )
        self.changes.append(ChangeRule(index, sentence.table, insert, update, delete))
