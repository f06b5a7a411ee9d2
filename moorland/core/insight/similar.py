"""Roles that differ in one value only, and the one dynamic role that gives the same people the same: proved, not guessed."""

import json
from collections.abc import Iterable, Iterator
from typing import Any

from pydantic import Field

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.people import AttributeDefinition
from moorland.core.bundle.policy import Assignment, MemberEntry, Role, RowsSentence, Sentence, ViewerItem
from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.shape import Name, Scalar, Shape
from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.impact import impact
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.clauses import Clause, Group, grouped_clauses
from moorland.core.language.errors import ConditionError
from moorland.core.language.writing import name_text

#: Fewer roles are no pattern.
LEAST_ROLES = 2


class SimilarRole(Shape):
    """One of the roles, and the values in which it differs."""

    name: str
    label: str
    values: list[Scalar]
    holders: int


class ValuesFor(Shape):
    """Values that a new attribute gets where a role is assigned: on a group or a user."""

    group: Name | None = None
    user: Name | None = None
    values: list[Scalar]


class Suggestion(Shape):
    """Roles that one role could replace. `attribute` decides in their place; where it does not exist yet, `new_values` says where it is set.

    `people` says for how many it was compared, rows, cells, objects and pages; a suggestion is made only if nothing changes for any of them.
    """

    roles: list[SimilarRole]
    column: str
    attribute: str
    type: str
    new: bool
    new_values: list[ValuesFor] = Field(default_factory=list)
    role: Role
    people: int


def suggestions(evaluator: Evaluator) -> list[Suggestion]:
    """Every set of at least two similar roles with a dynamic role that changes nothing for anybody."""
    found = []
    for alike in _alike(evaluator):
        made = next(_proved(evaluator, alike), None)
        if made is not None:
            found.append(made)
    return found


class _Pattern(Shape):
    """A role with the place of the value it could leave to an attribute."""

    role: Role
    sentence: int
    column: str
    type: str
    values: list[Any]
    start: int = 0
    end: int = 0


def _alike(evaluator: Evaluator) -> Iterator[list[_Pattern]]:
    groups: dict[str, list[_Pattern]] = {}
    for role in evaluator.bundle.roles:
        for pattern in _patterns(evaluator, role):
            groups.setdefault(_without_values(pattern), []).append(pattern)
    taken: set[str] = set()
    for alike in sorted(groups.values(), key=len, reverse=True):
        fresh = [pattern for pattern in alike if pattern.role.name not in taken]
        if len(fresh) >= LEAST_ROLES:
            taken |= {pattern.role.name for pattern in fresh}
            yield fresh


def _patterns(evaluator: Evaluator, role: Role) -> Iterator[_Pattern]:
    """The places of a role in which a value of a column, or the top member of a path, is written out."""
    if role.model is None or role.kind != "grant":
        return
    schema = evaluator.models[role.model].schema
    for index, sentence in role.acting:
        if sentence.rows:
            scope = Scope(schema=schema, table=sentence.rows.table, attributes=evaluator.people.definitions, inner=True)
            try:
                group = grouped_clauses(check_condition(sentence.rows.where, scope), sentence.rows.where)
            except ConditionError:
                continue
            for clause in _needed(group):
                start = sentence.rows.where.find(clause.text)
                place = {"start": start, "end": start + len(clause.text)}
                yield _Pattern(role=role, sentence=index, column=f"{clause.table}.{clause.column}", type=clause.type, values=clause.values, **place)
        elif sentence.members and sentence.members.list and all(_single(entry) for entry in sentence.members.list):
            hierarchy = next(item for item in schema.model.hierarchies if item.name == sentence.members.hierarchy)
            column = (hierarchy.levels or [hierarchy.key or ""])[0]
            values = [entry.path[0] for entry in sentence.members.list]
            yield _Pattern(role=role, sentence=index, column=f"{hierarchy.table}.{column}", type=schema.columns[hierarchy.table, column].type, values=values)


def _needed(group: Group) -> Iterator[Clause]:
    """The clauses with written values that have to hold, whatever the rest says."""
    if group.negated or (group.joined == "or" and len(group.parts) > 1):
        return
    for part in group.parts:
        if isinstance(part, Clause) and part.kind == "values" and not part.negated and part.table not in ("viewer", "page"):
            yield part


def _single(entry: MemberEntry) -> bool:
    return entry.see and len(entry.path) == 1 and not isinstance(entry.path[0], ViewerItem)


def _without_values(pattern: _Pattern) -> str:
    """The role with the written values left out: equal for roles that differ in them only."""
    plain = to_plain(_with(pattern, "□"))
    return json.dumps([plain.get("kind"), plain.get("model"), plain.get("sentences"), pattern.sentence, pattern.column], sort_keys=True, default=str)


def _with(pattern: _Pattern, attribute: str) -> Role:
    """The role with an attribute of the viewer in place of the written values."""
    sentences = list(pattern.role.sentences)
    sentence = sentences[pattern.sentence]
    if sentence.rows:
        table, _, column = pattern.column.partition(".")
        subject = name_text(column) if table == sentence.rows.table else f"{name_text(table)}.{name_text(column)}"
        where = f"{sentence.rows.where[: pattern.start]}{subject} IN viewer.{attribute}{sentence.rows.where[pattern.end :]}"
        changed: Sentence = sentence.model_copy(update={"rows": RowsSentence(table=sentence.rows.table, where=where)})
    else:
        assert sentence.members is not None
        members = sentence.members.model_copy(update={"list": [MemberEntry(path=[ViewerItem(viewer=attribute)], see=True)]})
        changed = sentence.model_copy(update={"members": members})
    sentences[pattern.sentence] = changed
    return pattern.role.model_copy(update={"sentences": sentences})


def _proved(evaluator: Evaluator, alike: list[_Pattern]) -> Iterator[Suggestion]:
    """Suggestions that change nothing for anybody: with an attribute that exists, then with a new one."""
    type_ = alike[0].type
    for name, definition in evaluator.people.definitions.items():
        if definition.type == type_ and definition.multiple and definition.editable_by == "administrator":
            yield from _if_unchanged(evaluator, alike, name, [])
    values = list(_values_by_target(alike))
    if values:
        yield from _if_unchanged(evaluator, alike, _free_name(evaluator, alike[0].column), values)


def _values_by_target(alike: Iterable[_Pattern]) -> Iterator[ValuesFor]:
    """Where the values would be set: on the groups and users the roles are assigned to; nothing if one is assigned in another way."""
    found: dict[tuple[str | None, str | None], list[Any]] = {}
    for pattern in alike:
        for assignment in pattern.role.assigned:
            if (assignment.group or assignment.user) is None or assignment.from_ or assignment.until:
                return
            values = found.setdefault((assignment.group, assignment.user), [])
            values += [value for value in pattern.values if value not in values]
    yield from (ValuesFor(group=group, user=user, values=values) for (group, user), values in found.items())


def _free_name(evaluator: Evaluator, column: str) -> str:
    base = "".join(letter if letter.isalnum() else "_" for letter in column.rpartition(".")[2]).strip("_") or "value"
    name, number = f"{base}s", 2
    while name in evaluator.people.definitions:
        name, number = f"{base}s_{number}", number + 1
    return name


def _if_unchanged(evaluator: Evaluator, alike: list[_Pattern], attribute: str, values: list[ValuesFor]) -> Iterator[Suggestion]:
    names = [pattern.role.name for pattern in alike]
    role = _one_role(evaluator, alike, attribute)
    bundle = _replaced(evaluator.bundle, names, role, attribute, alike[0].type, values)
    try:
        after = evaluator.on(bundle)
    except BundleError:
        return
    holders = {name: [viewer.login or "" for viewer in evaluator.everyone() if name in viewer.held] for name in names}
    concerned = sorted(
        {viewer.login or "" for viewer in after.everyone() if role.name in viewer.held} | {login for logins in holders.values() for login in logins}
    )
    if impact(evaluator, after, concerned):
        return
    yield Suggestion(
        roles=[
            SimilarRole(name=pattern.role.name, label=pattern.role.title, values=pattern.values, holders=len(holders[pattern.role.name])) for pattern in alike
        ],
        column=alike[0].column,
        attribute=attribute,
        type=alike[0].type,
        new=bool(values),
        new_values=values,
        role=role,
        people=len(concerned),
    )


def _one_role(evaluator: Evaluator, alike: list[_Pattern], attribute: str) -> Role:
    """The one role, held by everybody who holds one of them."""
    assigned: list[Assignment] = []
    for pattern in alike:
        assigned += [item for item in pattern.role.assigned if item not in assigned]
    taken = {role.name for role in evaluator.bundle.roles}
    name, number = f"by-{attribute}".replace("_", "-"), 2
    while name in taken:
        name, number = f"by-{attribute}-{number}".replace("_", "-"), number + 1
    titles = ", ".join(pattern.role.title for pattern in alike)
    update = {"name": name, "label": f"By {attribute.replace('_', ' ')}", "about": f"In place of {titles}.", "assigned": assigned}
    return _with(alike[0], attribute).model_copy(update=update)


def _replaced(bundle: Bundle, names: list[str], role: Role, attribute: str, type_: str, values: list[ValuesFor]) -> Bundle:
    roles = [item for item in bundle.roles if item.name not in names]
    update: dict[str, Any] = {"roles": [*roles, role]}
    if values:
        on_groups = {item.group: item.values for item in values if item.group}
        on_users = {item.user: item.values for item in values if item.user}
        update["attributes"] = [*bundle.attributes, new_attribute(attribute, type_)]
        update["groups"] = [
            group.model_copy(update={"attributes": {**group.attributes, attribute: on_groups[group.name]}}) if group.name in on_groups else group
            for group in bundle.groups
        ]
        update["users"] = [
            user.model_copy(update={"attributes": {**user.attributes, attribute: on_users[user.login]}}) if user.login in on_users else user
            for user in bundle.users
        ]
    return bundle.model_copy(update=update)


def new_attribute(name: str, type_: Any) -> AttributeDefinition:
    """The attribute that takes the place of values written in roles."""
    return AttributeDefinition(name=name, type=type_, multiple=True, own_values="add", editable_by="administrator", shown_to="everyone")
