"""The members of a hierarchy that a viewer sees, with the rows at or beneath each (semantics.md 3.5, 7.5)."""

import numpy as np

from moorland.core.bundle.model import Hierarchy
from moorland.core.engine.cells import codes_of
from moorland.core.engine.masking import ShownColumn
from moorland.core.engine.member_rules import parents_of
from moorland.core.engine.questions import Member, MembersAnswer, MembersQuestion, not_found
from moorland.core.engine.table_view import TableView
from moorland.core.engine.visible import ViewerModel
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import Array
from moorland.core.price import pay_lines


def answer_members(model: ViewerModel, question: MembersQuestion, secret: bytes) -> MembersAnswer:
    """The answer to a members question (7.5). Raises Refused."""
    hierarchy = next((item for item in model.data.schema.model.hierarchies if item.name == question.hierarchy), None)
    if hierarchy is None or hierarchy.name not in model.objects.hierarchies:
        raise not_found(question.hierarchy)
    columns = [(hierarchy.table, column) for column in hierarchy.columns]
    grants = [rows for rows in model.granting(columns, (hierarchy.table,)) if hierarchy.name in rows.objects.hierarchies]
    view = TableView(model, hierarchy.table, grants)
    answer = _levels if hierarchy.levels is not None else _tree
    return MembersAnswer(members=answer(view, hierarchy, secret))


def _levels(view: TableView, hierarchy: Hierarchy, secret: bytes) -> list[Member]:
    """Every prefix of the level values of the visible rows as they are shown, sorted by path, nulls last."""
    model, visible = view.model, np.flatnonzero(view.rows)
    every = model.data.weights(hierarchy.table)
    weights = None if every is None else every[visible]
    numbers, labels = [], []
    for level in hierarchy.levels or []:
        key = (hierarchy.table, level)
        states = view.states_in(key, visible)
        shown = ShownColumn(model.data, key, model.ladder, np.unique(states).tolist(), secret)
        number = shown.numbers(states, codes_of(model.data, hierarchy.table, key, visible))
        numbers.append(np.where(number < 0, len(shown.labels), number))
        labels.append([*shown.labels, None])
    found: list[tuple[tuple[int, ...], int]] = []
    for depth in range(1, len(numbers) + 1):
        paths, inverse = (
            np.unique(np.stack(numbers[:depth], axis=1), axis=0, return_inverse=True) if len(visible) else (np.zeros((0, depth), int), np.zeros(0, int))
        )
        counts = np.bincount(inverse, weights=weights, minlength=len(paths)).astype(np.int64)
        pay_lines(len(found) + len(paths), depth)
        found += [(tuple(path), count) for path, count in zip(paths.tolist(), counts.tolist(), strict=True)]
    found.sort()
    return [Member(path=[labels[level][number] for level, number in enumerate(path)], rows=count) for path, count in found]


def _tree(view: TableView, hierarchy: Hierarchy, secret: bytes) -> list[Member]:
    """Visible members and their ancestors, each under the keys from its top.

    The tree is built before base filters; rows that one removes, also one that travelled, are no members and stand in no path (7.5, 12.3).
    """
    model, data, key = view.model, view.model.data, (hierarchy.table, hierarchy.key or "")
    above = parents_of(data, hierarchy)[:-1]
    visible = np.flatnonzero(view.rows)
    rows = np.zeros(len(above), dtype=np.int64)
    weights = data.weights(hierarchy.table)
    rows[visible] = 1 if weights is None else weights[visible]
    current, times = np.asarray(above)[visible], rows[visible]
    while len(current):
        current, times = current[current >= 0], times[current >= 0]
        np.add.at(rows, current, times)
        current = above[current]
    kept = model.left_by_filters(hierarchy.table)
    listed = np.flatnonzero(rows if kept is None else np.where(kept, rows, 0))
    pay_lines(len(listed), 1)
    states = _states_of_ancestors(view, key)[listed]
    shown = ShownColumn(data, key, model.ladder, np.unique(states).tolist(), secret)
    numbers = np.full(len(above), -1, dtype=np.int64)
    numbers[listed] = shown.numbers(states, codes_of(data, hierarchy.table, key, listed))
    numbers[numbers < 0] = len(shown.labels)
    removed = set() if kept is None else set(np.flatnonzero(~kept).tolist())
    paths: dict[int, tuple[int, ...]] = {-1: ()}
    for member in listed.tolist():
        chain = [member]
        while chain[-1] not in paths:
            chain.append(int(above[chain[-1]]))
        for position in reversed(chain[:-1]):
            higher = paths[int(above[position])]
            paths[position] = higher if position in removed else (*higher, int(numbers[position]))
    counts: dict[tuple[int, ...], int] = {}
    for member in listed.tolist():
        counts[paths[member]] = counts.get(paths[member], 0) + int(rows[member])
    labels = [*shown.labels, None]
    return [Member(path=[labels[number] for number in path], rows=counts[path]) for path in sorted(counts)]


def _states_of_ancestors(view: TableView, key: ColumnKey) -> Array:
    """The states of a key where ancestors are listed too, which no role has to have the row of; shape (rows,)."""
    model = view.model
    result = view.states_in(key, np.arange(len(view.rows)))
    anywhere = np.minimum.reduce([np.asarray(grant.states(key[0], key)) + np.zeros_like(result) for grant in view.grants])
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
