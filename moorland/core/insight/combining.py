"""Several roles at once: what each opens alone, what they open together, and that no cell opens that no role opens (semantics.md 6.3 to 6.6)."""

from typing import Literal

import numpy as np
from pydantic import Field

from moorland.core.bundle.people import ImaginedPerson, ImaginedViewer, RealViewer
from moorland.core.bundle.shape import Name, Shape
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.mask_kinds import Hidden
from moorland.core.engine.questions import Refused
from moorland.core.engine.table_view import visible_table
from moorland.core.engine.visible import RoleRows, ViewerModel
from moorland.core.insight.effect import ModelShare, share, share_of
from moorland.core.insight.impact import covered, coverings
from moorland.core.language.vectors import Mask
from moorland.core.people import Viewer

ColumnState = Literal["visible", "masked", "hidden"]


class RoleAlone(Shape):
    """One of the roles: what it opens alone (a limit role: what it leaves)."""

    name: str
    label: str
    kind: Literal["grant", "limit"]
    share: ModelShare


class RowPart(Shape):
    """Rows of the chosen table that exactly these grant roles open; `left` of them remain after the limits."""

    roles: list[str]
    rows: int
    left: int


class ColumnParts(Shape):
    """A column of the chosen table under each role, in their order, and under all together."""

    column: str
    states: list[ColumnState]
    together: ColumnState


class Combined(Shape):
    """Roles side by side and together. `opened_by_none` of `cells` cells are clearer together than under any grant role with the same limits: always 0."""

    roles: list[RoleAlone]
    together: ModelShare
    table: str
    rows: int
    parts: list[RowPart]
    columns: list[ColumnParts]
    cells: int
    opened_by_none: int


class CombineQuestion(Shape):
    """Which roles, on which model, looked at in which table; attributes are those of the person if one is named."""

    model: Name
    roles: list[Name] = Field(min_length=1, max_length=8)
    table: Name
    login: Name | None = None


def combined(evaluator: Evaluator, asked: CombineQuestion) -> Combined:
    """The roles alone and together. Raises BundleError for a role or person that does not exist, Refused for a table that does not."""
    names = list(dict.fromkeys(asked.roles))
    viewer = _viewer(evaluator, asked, names)
    evaluator = evaluator.of(viewer, asked.model)
    schema = evaluator.models[asked.model].schema
    if asked.table not in schema.tables:
        raise Refused("not_found", f"Nothing named {asked.table} was found.")
    grants = [name for name in names if evaluator.roles[name].role.kind == "grant"]
    limits = [name for name in names if name not in grants]
    alone = [
        RoleAlone(name=name, label=evaluator.roles[name].role.title, kind=evaluator.roles[name].role.kind, share=_alone(evaluator, asked, name))
        for name in names
    ]
    together = share(evaluator, viewer, asked.model)
    rows = evaluator.data(asked.model).rows(asked.table)
    empty = Combined(roles=alone, together=together, table=asked.table, rows=rows, parts=[], columns=[], cells=0, opened_by_none=0)
    if together.refused is not None:
        return empty
    model = evaluator.viewer_model(viewer, asked.model)
    cells, opened = _opened_by_none(evaluator, asked, model, grants, limits)
    columns = [_column(model, (asked.table, column.name), names) for column in schema.tables[asked.table].columns]
    return empty.model_copy(update={"parts": _parts(model, asked.table), "columns": columns, "cells": cells, "opened_by_none": opened})


def _viewer(evaluator: Evaluator, asked: CombineQuestion, roles: list[str]) -> Viewer:
    """Somebody with only these roles: the person named, or nobody in particular."""
    if asked.login is not None:
        return evaluator.viewer(RealViewer(login=asked.login, only_roles=roles))
    return evaluator.viewer(ImaginedViewer(imagine=ImaginedPerson(only_roles=roles)))


def _alone(evaluator: Evaluator, asked: CombineQuestion, name: str) -> ModelShare:
    """What a grant role opens alone; what a limit role leaves of everything, since alone it opens nothing (6.3)."""
    viewer = _viewer(evaluator, asked, [name])
    role = evaluator.roles[name]
    if role.role.kind == "grant" or not viewer.enabled:
        return share(evaluator, viewer, asked.model)
    everything = evaluator.held_roles(evaluator.all_data(), asked.model)
    return share_of(ViewerModel(viewer, [*everything, role], evaluator.data(asked.model)), evaluator.models[asked.model])


def _parts(model: ViewerModel, table: str) -> list[RowPart]:
    """The rows of a table by the set of grant roles that open them."""
    grants = model.granting((), (table,))
    number = np.zeros(model.data.rows(table), dtype=np.int64)
    for place, grant in enumerate(grants):
        mask = grant.of(table)
        number |= np.int64(1 << place) if mask is None else np.where(mask, np.int64(1 << place), 0)
    left = model.limit_rows(table)
    counts = np.bincount(number, minlength=1 << len(grants))
    kept = counts if left is None else np.bincount(number[left], minlength=1 << len(grants))
    return [
        RowPart(roles=[grant.name for place, grant in enumerate(grants) if sets >> place & 1], rows=int(counts[sets]), left=int(kept[sets]))
        for sets in range(len(counts))
        if counts[sets]
    ]


def _column(model: ViewerModel, key: tuple[str, str], names: list[str]) -> ColumnParts:
    by_name = {rows.name: rows for rows in (*model.grants, *model.limits)}
    states = [_state(by_name[name], key) if name in by_name else "hidden" for name in names]
    together: ColumnState = "hidden"
    if key in model.objects.columns:
        found = visible_table(model, key[0]).states(key)
        together = "masked" if np.any((np.asarray(found) != 0) & (np.asarray(found) != model.ladder.hidden)) else "visible"
    return ColumnParts(column=key[1], states=states, together=together)


def _state(rows: RoleRows, key: tuple[str, str]) -> ColumnState:
    if key not in rows.objects.columns:
        return "hidden"
    return "masked" if rows.layers(key) else "visible"


def _opened_by_none(evaluator: Evaluator, asked: CombineQuestion, model: ViewerModel, grants: list[str], limits: list[str]) -> tuple[int, int]:
    """How many cells of the chosen table were compared, and how many are clearer together than under every single grant role with the same limits."""
    table = asked.table
    singles: list[tuple[ViewerModel, Mask]] = []
    for name in grants:
        try:
            single = evaluator.viewer_model(_viewer(evaluator, asked, [name, *limits]), asked.model)
        except Refused:
            continue
        exists = table in single.objects.tables
        singles.append((single, visible_table(single, table).rows if exists else np.zeros(model.data.rows(table), np.bool_)))
    keys = [key for key in sorted(model.objects.columns) if key[0] == table]
    if table not in model.objects.tables or not singles:
        return 0, 0
    visible = visible_table(model, table).rows
    opened = int((visible & ~np.logical_or.reduce([mask for _, mask in singles])).sum()) * len(keys)
    hidden = covered(Hidden())
    for key in keys:
        together = np.where(visible, coverings(model, key), np.inf)
        best = np.full(len(visible), np.inf)
        for single, mask in singles:
            if key in single.objects.columns:
                best = np.minimum(best, np.where(mask, coverings(single, key), np.inf))
        opened += int(((together < best) & (together < hidden)).sum())
    return len(visible) * len(keys), opened
