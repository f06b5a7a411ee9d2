"""The members of a hierarchy that a viewer sees, with the rows at or beneath each (semantics.md 3.5, 7.5)."""

import numpy as np

from moorland.core.bundle.model import Hierarchy
from moorland.core.engine.masking import ShownColumn, codes_of
from moorland.core.engine.member_rules import parents_of
from moorland.core.engine.questions import Member, MembersAnswer, MembersQuestion, not_found
from moorland.core.engine.visible import RoleRows, ViewerModel
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import Array


def answer_members(model: ViewerModel, question: MembersQuestion, secret: bytes) -> MembersAnswer:
    """The answer to a members question (7.5). Raises Refused."""
    hierarchy = next((item for item in model.data.schema.model.hierarchies if item.name == question.hierarchy), None)
    if hierarchy is None or hierarchy.name not in model.objects.hierarchies:
        raise not_found(question.hierarchy)
    columns = [(hierarchy.table, column) for column in hierarchy.columns]
    grants = [rows for rows in model.granting(columns, (hierarchy.table,)) if hierarchy.name in rows.objects.hierarchies]
    mask = model.rows(hierarchy.table, grants)
    visible = np.arange(model.data.rows(hierarchy.table)) if mask is None else np.flatnonzero(mask)
    answer = _levels if hierarchy.levels is not None else _tree
    return MembersAnswer(members=answer(model, grants, hierarchy, visible, secret))


def _levels(model: ViewerModel, grants: list[RoleRows], hierarchy: Hierarchy, visible: Array, secret: bytes) -> list[Member]:
    """Every prefix of the level values of the visible rows as they are shown, sorted by path, nulls last."""
    numbers, labels = [], []
    for level in hierarchy.levels or []:
        key = (hierarchy.table, level)
        states = model.cell_states(hierarchy.table, key, grants)
        distinct = [states] if isinstance(states, int) else np.unique(states).tolist()
        shown = ShownColumn(model.data, key, model.ladder, distinct, secret)
        number = shown.numbers(states if isinstance(states, int) else states[visible], codes_of(model.data, hierarchy.table, key, visible))
        numbers.append(np.where(number < 0, len(shown.labels), number))
        labels.append([*shown.labels, None])
    found: list[tuple[tuple[int, ...], int]] = []
    for depth in range(1, len(numbers) + 1):
        paths, counts = (
            np.unique(np.stack(numbers[:depth], axis=1), axis=0, return_counts=True) if len(visible) else (np.zeros((0, depth), int), np.zeros(0, int))
        )
        found += [(tuple(path), count) for path, count in zip(paths.tolist(), counts.tolist(), strict=True)]
    found.sort()
    return [Member(path=[labels[level][number] for level, number in enumerate(path)], rows=count) for path, count in found]


def _tree(model: ViewerModel, grants: list[RoleRows], hierarchy: Hierarchy, visible: Array, secret: bytes) -> list[Member]:
    """Visible members and their ancestors, each under its path of keys; the tree is built before base filters (12.3)."""
    data, key = model.data, (hierarchy.table, hierarchy.key or "")
    above = parents_of(data, hierarchy)[:-1]
    rows = np.zeros(len(above), dtype=np.int64)
    rows[visible] = 1
    current = np.asarray(above)[visible]
    while len(current := current[current >= 0]):
        np.add.at(rows, current, 1)
        current = above[current]
    base = data.base(hierarchy.table)
    listed = np.flatnonzero(rows if base is None else np.where(base, rows, 0))
    everybody = np.flatnonzero(rows)
    states = _states_of_ancestors(model, grants, key)[everybody]
    shown = ShownColumn(data, key, model.ladder, np.unique(states).tolist(), secret)
    numbers = np.full(len(above), -1, dtype=np.int64)
    numbers[everybody] = shown.numbers(states, codes_of(data, hierarchy.table, key, everybody))
    numbers[numbers < 0] = len(shown.labels)
    paths: dict[int, tuple[int, ...]] = {}
    for member in listed.tolist():
        chain = [member]
        while chain[-1] not in paths and above[chain[-1]] >= 0:
            chain.append(int(above[chain[-1]]))
        for position in reversed(chain):
            paths.setdefault(position, (*paths.get(int(above[position]), ()), int(numbers[position])))
    counts: dict[tuple[int, ...], int] = {}
    for member in listed.tolist():
        counts[paths[member]] = counts.get(paths[member], 0) + int(rows[member])
    labels = [*shown.labels, None]
    return [Member(path=[labels[number] for number in path], rows=counts[path]) for path in sorted(counts)]


def _states_of_ancestors(model: ViewerModel, grants: list[RoleRows], key: ColumnKey) -> Array:
    """The states of a key where ancestors are listed too, which no role has to have the row of; shape (rows,)."""
    result = np.asarray(model.cell_states(key[0], key, grants)) + np.zeros(model.data.rows(key[0]), dtype=np.int64)
    anywhere = np.minimum.reduce([np.asarray(grant.states(key[0], key)) + np.zeros_like(result) for grant in grants])
    for limit in model.limits:
        anywhere = np.maximum(anywhere, limit.states(key[0], key))
    return np.asarray(np.where(result == model.ladder.hidden, anywhere, result))


def acyclic(above: Array) -> bool:
    """Whether following parents always ends; `above` holds the row of each row's parent, -1 for a top."""
    current = above
    steps = 1
    while (current >= 0).any():
        if steps > len(above):
            return False
        current = np.where(current >= 0, np.append(current, -1)[current], -1)
        steps *= 2
    return True
