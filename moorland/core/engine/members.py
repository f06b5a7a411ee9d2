"""The members of a hierarchy that a viewer sees, with the rows at or beneath each (semantics.md 3.5, 7.5)."""

import numpy as np

from moorland.core.bundle.model import Hierarchy
from moorland.core.engine.listing import json_values
from moorland.core.engine.model_data import ModelData, match
from moorland.core.engine.questions import Member, MembersAnswer, MembersQuestion, Refused, not_found
from moorland.core.engine.totals import group_codes, group_labels
from moorland.core.engine.visible import ViewerModel
from moorland.core.language.vectors import Array


def answer_members(model: ViewerModel, question: MembersQuestion) -> MembersAnswer:
    """The answer to a members question (7.5). Raises Refused."""
    hierarchy = next((item for item in model.data.schema.model.hierarchies if item.name == question.hierarchy), None)
    if hierarchy is None or hierarchy.name not in model.objects.hierarchies:
        raise not_found(question.hierarchy)
    columns = [(hierarchy.table, column) for column in hierarchy.columns]
    grants = [rows for rows in model.granting(columns, (hierarchy.table,)) if rows.role.objects and hierarchy.name in rows.role.objects.hierarchies]
    mask = model.rows(hierarchy.table, grants)
    visible = np.arange(model.data.rows(hierarchy.table)) if mask is None else np.flatnonzero(mask)
    members = _levels(model.data, hierarchy, visible) if hierarchy.levels is not None else _tree(model.data, hierarchy, visible)
    return MembersAnswer(members=members)


def _levels(data: ModelData, hierarchy: Hierarchy, visible: Array) -> list[Member]:
    """Every prefix of the level values of the visible rows, sorted by path, nulls last."""
    table, levels = hierarchy.table, hierarchy.levels or []
    codes, labels = [], []
    for level in levels:
        values, _ = group_labels(data, (table, level))
        code = group_codes(data, table, (table, level))[visible].astype(np.int64)
        codes.append(np.where(code < 0, len(values), code))
        labels.append([*json_values(values, np.ones(len(values), np.bool_)), None])
    found: list[tuple[tuple[int, ...], int]] = []
    for depth in range(1, len(levels) + 1):
        paths, counts = (
            np.unique(np.stack(codes[:depth], axis=1), axis=0, return_counts=True) if len(visible) else (np.zeros((0, depth), int), np.zeros(0, int))
        )
        found += [(tuple(path), count) for path, count in zip(paths.tolist(), counts.tolist(), strict=True)]
    found.sort()
    return [Member(path=[labels[level][code] for level, code in enumerate(path)], rows=count) for path, count in found]


def _tree(data: ModelData, hierarchy: Hierarchy, visible: Array) -> list[Member]:
    """Visible members and their ancestors, each under its path of keys; the tree is built before base filters (12.3).

    Raises Refused (invalid) where parents lead in a circle.
    """
    key, parent = data.stored(hierarchy.table, hierarchy.key or ""), data.stored(hierarchy.table, hierarchy.parent or "")
    above = match(parent, key)[:-1]
    if not acyclic(above):
        raise Refused("invalid", "The parents of this hierarchy lead in a circle.")
    rows = np.zeros(len(above), dtype=np.int64)
    rows[visible] = 1
    current = np.asarray(above)[visible]
    while len(current := current[current >= 0]):
        np.add.at(rows, current, 1)
        current = above[current]
    base = data.base_masks.get(hierarchy.table)
    listed = np.flatnonzero(rows if base is None else np.where(base, rows, 0))
    everybody = np.flatnonzero(rows)
    index = key.codes[everybody] if key.codes is not None else everybody
    names = dict(zip(everybody.tolist(), json_values(key.values[index], np.ones(len(everybody), np.bool_)), strict=True))
    paths: dict[int, list[object]] = {}
    for member in listed.tolist():
        chain = [member]
        while chain[-1] not in paths and above[chain[-1]] >= 0:
            chain.append(int(above[chain[-1]]))
        for position in reversed(chain):
            paths.setdefault(position, [*paths.get(int(above[position]), []), names[position]])
    ordered = sorted(listed.tolist(), key=lambda member: paths[member])
    return [Member(path=paths[member], rows=int(rows[member])) for member in ordered]


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
