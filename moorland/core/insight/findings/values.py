"""Findings about values: literals, listed members and entitlement cells that match nothing, lines that name nobody."""

from collections.abc import Iterable, Iterator
from functools import partial
from typing import Any

import numpy as np

from moorland.core.bundle.policy import BetweenColumns
from moorland.core.bundle.problems import nearest_name
from moorland.core.bundle.structure import identity
from moorland.core.engine.cells import plain_values
from moorland.core.engine.entitlements import EntitlementRule
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.grouping import codes_with_null, group_labels, places_of
from moorland.core.engine.member_rules import MembersRule
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.rules import RowsRule
from moorland.core.engine.through_strata import through_strata
from moorland.core.insight.findings.finding import Finding, shown
from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_condition

ColumnKey = tuple[str, str]


def value_findings(evaluator: Evaluator) -> Iterator[Finding]:
    """Every written value that is not in the data it is compared with."""
    for index, model in enumerate(evaluator.bundle.models):
        for position, table in enumerate(model.tables):
            if table.base_filter is not None and table.alias_of is None:
                schema = evaluator.models[model.name].schema
                condition = check_condition(table.base_filter, Scope(schema=schema, table=table.name, viewer=False, inner=True))
                place = f"models[{index}].tables[{position}].base_filter"
                yield from through_strata([evaluator], partial(_filtered, model.name, condition, place))
    for index, role in enumerate(evaluator.bundle.roles):
        if role.model is not None:
            # Role by role: of tables left in place no more columns are looked at together than one role reads.
            yield from through_strata([evaluator], partial(_looked_at, index, role.model))


def _filtered(model: str, condition: tree.Node, place: str, evaluator: Evaluator) -> list[Finding]:
    return list(_literals(evaluator.data(model), condition, place))


def _looked_at(index: int, model: str, evaluator: Evaluator) -> list[Finding]:
    return list(_of_role(evaluator, index, model))


def _of_role(evaluator: Evaluator, index: int, model: str) -> Iterator[Finding]:
    role, data = evaluator.bundle.roles[index], evaluator.data(model)
    compiled = evaluator.roles[role.name]
    for rule in compiled.rows:
        place = f"roles[{index}].sentences[{rule.sentence}].{role.sentences[rule.sentence].kind}"
        if isinstance(rule, RowsRule):
            yield from _literals(data, rule.condition, f"{place}.where")
        elif isinstance(rule, MembersRule):
            yield from _members(data, rule, place)
        elif isinstance(rule, EntitlementRule):
            if rule.where is not None:
                yield from _literals(data, rule.where, f"{place}.where")
            yield from _people_named(evaluator, data, rule, place)
            yield from _cells(data, rule, place)
    for mask in compiled.masks:
        if mask.when is not None:
            yield from _literals(data, mask.when, f"roles[{index}].sentences[{mask.sentence}].mask.when")


def _literals(data: ModelData, condition: tree.Node, path: str) -> Iterator[Finding]:
    """Literals that a column is compared with for equality and that no row holds."""
    for node in condition.walk():
        pairs: list[tuple[tree.Node, tree.Node]] = []
        if isinstance(node, tree.Comparison) and node.operator in ("=", "<>"):
            pairs = [(node.left, node.right), (node.right, node.left)]
        elif isinstance(node, tree.IsIn):
            pairs = [(node.operand, item) for item in (*node.items, *node.exact)]
        for column, literal in pairs:
            if isinstance(column, tree.ColumnRef) and isinstance(literal, tree.Literal) and literal.value is not None:
                yield from _missing(data, (column.table, column.column), [literal.value], path, "The condition")


def _missing(data: ModelData, key: ColumnKey, values: Iterable[Any], path: str, who: str) -> Iterator[Finding]:
    labels, _ = group_labels(data, key)
    known = plain_values(labels)
    present = set(labels.tolist())
    for value in values:
        if value in present or not known:
            continue
        nearest = nearest_name(str(value), [str(item) for item in known[:5000]])
        yield Finding(
            kind="value_matches_nothing",
            weight="middle",
            path=path,
            message=f"{who} names {value!r}, which no row of {key[0]}.{key[1]} holds.",
            remedy=f"Is {nearest!r} meant?" if nearest else "Correct the value, or take it out.",
            evidence=[f"{len(known):,} distinct values"],
        )


def _members(data: ModelData, rule: MembersRule, place: str) -> Iterator[Finding]:
    columns = rule.hierarchy.levels or [rule.hierarchy.key or ""]
    for position, entry in enumerate(rule.entries):
        for step, (column, item) in enumerate(zip(columns, entry.path, strict=False)):
            if not hasattr(item, "attribute"):
                yield from _missing(data, (rule.table, column), [item], f"{place}.list[{position}].path[{step}]", "The list")


def _people_named(evaluator: Evaluator, data: ModelData, rule: EntitlementRule, place: str) -> Iterator[Finding]:
    """Lines of an entitlement table that name nobody, or somebody spelled with other letter case or spaces."""
    through, person = rule.written.through, rule.written.person
    written = [str(value) for value in plain_values(group_labels(data, (through, person))[0])]
    known = _names(evaluator, rule)
    folded = {identity(name): name for name in known}
    counts = _rows_by_value(data, (through, person))
    nobody = [name for name in written if identity(name) and identity(name) not in folded]
    if nobody:
        nearest = [(name, nearest_name(name, known)) for name in nobody]
        yield Finding(
            kind="entitlement_names_nobody",
            weight="middle",
            path=f"{place}.person",
            message=f"{len(nobody)} names in {through}.{person} belong to nobody.",
            remedy="Correct the spelling, or delete the lines.",
            evidence=shown([f"{name!r} in {counts[name]} rows" + (f", nearest {close!r}" if close else "") for name, close in nearest]),
        )
    other = [name for name in written if identity(name) in folded and name not in known]
    if other:
        yield Finding(
            kind="entitlement_spelled_otherwise",
            weight="low",
            path=f"{place}.person",
            message=f"{len(other)} names in {through}.{person} differ from the people they mean in letter case or spaces; they still match.",
            remedy="Write them alike, so that other systems match them too.",
            evidence=shown([f"{name!r} is {folded[identity(name)]!r}" for name in other]),
        )
    blank = int((codes_with_null(data, through, (through, person))[:-1] < 0).sum()) + sum(counts[name] for name in written if not identity(name))
    if blank:
        yield Finding(
            kind="entitlement_names_nobody",
            weight="low",
            path=f"{place}.person",
            message=f"{blank} rows of {through} name nobody at all.",
            remedy="Fill in the person, or delete the rows.",
        )


def _names(evaluator: Evaluator, rule: EntitlementRule) -> list[str]:
    bundle = evaluator.bundle
    match rule.person_name:
        case "login":
            return [user.login for user in bundle.users]
        case "email":
            return [user.email for user in bundle.users if user.email]
        case "organization":
            return [item.name for item in bundle.organizations]
        case "groups":
            return [group.name for group in bundle.groups]
        case "roles":
            return [role.name for role in bundle.roles]
    values = {str(value) for viewer in evaluator.everyone() for value in viewer.values(rule.person_name) or ()}
    return sorted(values)


def _rows_by_value(data: ModelData, key: ColumnKey) -> dict[str, int]:
    labels = [str(value) for value in plain_values(group_labels(data, key)[0])]
    codes = codes_with_null(data, key[0], key)[:-1]
    return dict(zip(labels, np.bincount(codes[codes >= 0], minlength=len(labels)).tolist(), strict=True))


def _cells(data: ModelData, rule: EntitlementRule, place: str) -> Iterator[Finding]:
    """Values of an entitlement table that the column they are matched with does not hold."""
    sentence = rule.written
    word = getattr(sentence.everything, "text", None)
    for column, target in sentence.match.items():
        if isinstance(target, BetweenColumns):
            continue
        labels, _ = group_labels(data, (sentence.table, column))
        cells = group_labels(data, (sentence.through, target))[0]
        if cells.dtype == object:
            items = [
                item.strip(" ") if sentence.separator else item for cell in cells for item in (cell.split(sentence.separator) if sentence.separator else [cell])
            ]
            wanted = np.array([*dict.fromkeys(item for item in items if item.strip(" ") and item != word), ""], dtype=object)[:-1]
        else:
            wanted = cells
        missing = [str(value) for value in plain_values(wanted[places_of(wanted, labels) < 0])]
        if missing:
            known = [str(value) for value in plain_values(labels)[:5000]]
            close = [(value, nearest_name(value, known)) for value in missing]
            yield Finding(
                kind="value_not_in_target",
                weight="middle",
                path=f"{place}.match.{column}",
                message=f"{len(missing)} values of {sentence.through}.{target} are not in {sentence.table}.{column}, so they open nothing.",
                remedy="Correct them; comparison is by letter, case and spaces.",
                evidence=shown([f"{value!r}" + (f", nearest {near!r}" if near else "") for value, near in close]),
            )
