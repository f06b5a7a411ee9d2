"""Visible rows: of one role through the relationships, and of all roles held together (semantics.md 6.1 to 6.4)."""

from collections.abc import Iterable

import numpy as np

from moorland.core.bundle.schema import Schema, Step
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.objects import NOTHING, Objects
from moorland.core.engine.roles import CompiledRole
from moorland.core.language import tree
from moorland.core.language.vectors import Mask
from moorland.core.people import Viewer


class RoleRows:
    """`V_r`: the rows visible under one role for one viewer, table by table.

    A mask has shape (rows,); None stands for all rows, of an unrestricted table.
    """

    def __init__(self, role: CompiledRole, viewer: Viewer, data: ModelData) -> None:
        self.role, self._viewer, self._data = role, viewer, data
        self._masks: dict[str, Mask | None] = {}
        self.restricted = restricted_tables(data.schema, {rule.table for rule in role.rows})
        self._goes_up = any(step.carries_up and step.many in self.restricted for steps in data.schema.parents.values() for step in steps)

    def of(self, table: str) -> Mask | None:
        """`V_r(T)` (6.1)."""
        if table not in self._masks:
            if self._goes_up:
                self._solve()
            else:
                self._masks[table] = self._downward(table)
        return self._masks[table]

    def own(self, table: str) -> Mask | None:
        """Rows that satisfy the table's base filter and its own sentences of the role (5.4)."""
        masks = [self._data.condition_mask(table, rule.condition, rule.text, self._viewer.values) for rule in self.role.rows if rule.table == table]
        base = self._data.base_masks.get(table)
        if base is not None:
            masks.append(base)
        return _all_of(masks)

    def _signature(self) -> tuple[object, ...]:
        """What the visible rows depend on: the sentences and the viewer values they read."""
        return tuple(
            (rule.table, rule.text, tuple((name, self._viewer.values(name)) for name in sorted(tree.viewer_values_read(rule.condition))))
            for rule in self.role.rows
        )

    def _downward(self, table: str) -> Mask | None:
        if table not in self.restricted:
            return None
        return self._data.cache.get(("visible", table, self._signature()), lambda: self._computed(table))

    def _computed(self, table: str) -> Mask:
        masks = [self.own(table)]
        for step in self._data.schema.parents[table]:
            if step.one in self.restricted:
                masks.append(through(self._data, step, self.of(step.one)))
        result = _all_of(mask for mask in masks if mask is not None)
        assert result is not None
        return result

    def _solve(self) -> None:
        """The largest sets that satisfy every relationship, where restrictions also travel up."""
        schema, data = self._data.schema, self._data
        current: dict[str, Mask] = {}
        for name in schema.order:
            own = self.own(name) if name in self.restricted else None
            current[name] = own if own is not None else np.ones(data.rows(name), dtype=np.bool_)
        changed = True
        while changed:
            changed = False
            for name in schema.order:
                kept = current[name]
                for step in schema.parents[name]:
                    if step.one in self.restricted:
                        kept = kept & through(data, step, current[step.one])
                if kept.sum() != current[name].sum():
                    current[name], changed = kept, True
            for name in reversed(schema.order):
                for step in schema.parents[name]:
                    if step.carries_up and step.many in self.restricted:
                        referred = np.zeros(data.rows(step.one) + 1, dtype=np.bool_)
                        referred[data.join(step)[:-1][current[name]]] = True
                        kept = current[step.one] & referred[:-1]
                        if kept.sum() != current[step.one].sum():
                            current[step.one], changed = kept, True
        self._masks = {name: mask if name in self.restricted else None for name, mask in current.items()}


def restricted_tables(schema: Schema, with_sentence: Iterable[str]) -> set[str]:
    """The tables that are restricted in a role with row sentences on some tables (6.1)."""
    restricted = set(with_sentence) | {name for name, table in schema.tables.items() if table.base_filter}
    steps = [step for steps in schema.parents.values() for step in steps]
    while True:
        more = {step.many for step in steps if step.one in restricted} | {step.one for step in steps if step.carries_up and step.many in restricted}
        if more <= restricted:
            return restricted
        restricted |= more


def through(data: ModelData, step: Step, mask: Mask | None) -> Mask:
    """The rows of the many side whose key matches a visible row of the one side; unmatched and null keys match none."""
    index = data.join(step)[:-1]
    if mask is None:
        return index >= 0
    matched: Mask = np.append(mask, False)[index]
    return matched


def _all_of(masks: Iterable[Mask]) -> Mask | None:
    result: Mask | None = None
    for mask in masks:
        result = mask if result is None else result & mask
    return result


def _any_of(masks: Iterable[Mask | None]) -> Mask | None:
    """The union; None (all rows) where one of them is all rows."""
    result: Mask | None = None
    for mask in masks:
        if mask is None:
            return None
        result = mask if result is None else result | mask
    return result


class ViewerModel:
    """A model as a viewer's roles open and narrow it: grants widen, limits narrow (6.3, 6.4)."""

    def __init__(self, viewer: Viewer, roles: Iterable[CompiledRole], data: ModelData) -> None:
        self.viewer, self.data = viewer, data
        self._roles = list(roles)
        held = [RoleRows(role, viewer, data) for role in self._roles]
        self.grants = [rows for rows in held if rows.role.role.kind == "grant"]
        self.limits = [rows for rows in held if rows.role.role.kind == "limit"]
        self.objects = self._objects()

    @property
    def exists(self) -> bool:
        """Whether a grant role is held; without one the model does not exist (6.3)."""
        return bool(self.grants)

    def _objects(self) -> Objects:
        """What exists for the viewer: in some grant role and in every limit role (6.6)."""
        result = NOTHING
        for grant in self.grants:
            result = result.union(_objects_of(grant))
        for limit in self.limits:
            result = result.intersection(_objects_of(limit))
        return result

    def granting(self, columns: Iterable[tuple[str, str]], tables: Iterable[str] = (), measure: str | None = None) -> list[RoleRows]:
        """The grant roles under which everything named exists; none where a limit role hides any of it (6.4)."""
        names, owners = list(columns), list(tables)

        def has(rows: RoleRows) -> bool:
            objects = _objects_of(rows)
            return objects.has(names, owners) and (measure is None or measure in objects.measures)

        return [grant for grant in self.grants if has(grant)] if all(has(limit) for limit in self.limits) else []

    def limit_rows(self, table: str) -> Mask | None:
        """The rows every limit role leaves."""
        return _all_of(mask for limit in self.limits if (mask := limit.of(table)) is not None)

    def rows(self, table: str, grants: Iterable[RoleRows]) -> Mask | None:
        """The rows of a table visible through any of the grants and left by every limit; None for all rows (6.4)."""
        chosen = list(grants)
        if not chosen:
            return np.zeros(self.data.rows(table), dtype=np.bool_)
        opened, narrowed = _any_of(grant.of(table) for grant in chosen), self.limit_rows(table)
        if opened is None or narrowed is None:
            return narrowed if opened is None else opened
        return opened & narrowed

    def on(self, data: ModelData) -> "ViewerModel":
        """The same viewer and roles on other data of the same shape: strata in place of rows."""
        return ViewerModel(self.viewer, self._roles, data)

    def rows_for(self, table: str, columns: Iterable[tuple[str, str]], tables: Iterable[str], measure: str) -> Mask | None:
        """The rows of a table that count for a measure asked with a column set S (7.2); None for all rows."""
        return self.rows(table, self.granting(columns, tables, measure))


class Unseen(ViewerModel):
    """What is left of all the data when everything some viewers see is taken away; for an administrator's comparison only."""

    def __init__(self, whole: ViewerModel, seen: Iterable[ViewerModel]) -> None:
        self.viewer, self.data = whole.viewer, whole.data
        self.objects = whole.objects
        self._whole, self._seen = whole, list(seen)
        self.grants = [*whole.grants, *(rows for model in self._seen for rows in model.grants)]
        self.limits = [rows for model in self._seen for rows in model.limits]

    def on(self, data: ModelData) -> "Unseen":
        """The same comparison on other data of the same shape."""
        return Unseen(self._whole.on(data), [model.on(data) for model in self._seen])

    def granting(self, columns: Iterable[tuple[str, str]], tables: Iterable[str] = (), measure: str | None = None) -> list[RoleRows]:
        """All the data has everything."""
        return self._whole.granting(columns, tables, measure)

    def rows_for(self, table: str, columns: Iterable[tuple[str, str]], tables: Iterable[str], measure: str) -> Mask | None:
        """The rows that count for the measure for none of the viewers."""
        names, owners = list(columns), list(tables)
        result = np.ones(self.data.rows(table), dtype=np.bool_)
        for model in self._seen:
            mask = model.rows_for(table, names, owners, measure)
            result = result & ~mask if mask is not None else np.zeros_like(result)
        return result


def _objects_of(rows: RoleRows) -> Objects:
    return rows.role.objects or NOTHING
