"""Visible rows of one role for many viewers at once: a line for each row, a column for each viewer (semantics.md 6.1)."""

from collections.abc import Sequence

import numpy as np

from moorland.core.engine.grouping import codes_with_null, group_labels, places_of
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.roles import CompiledRole
from moorland.core.engine.rules import RowRule, RowsRule
from moorland.core.engine.visible import restricted_tables
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey
from moorland.core.language.evaluation import true_rows
from moorland.core.language.vectors import Array, Mask
from moorland.core.people import Viewer


class VisibilityMatrix:
    """`V_r` of a role that goes down only, for viewers who all hold it.

    A matrix has shape (rows, viewers), or (rows, 1) where it is the same for all; None stands for all rows.
    """

    def __init__(self, role: CompiledRole, viewers: Sequence[Viewer], data: ModelData) -> None:
        self.role, self.viewers, self.data = role, viewers, data
        self.restricted = restricted_tables(data.schema, {rule.table for rule in role.rows})
        self._matrices: dict[str, Mask | None] = {}

    def of(self, table: str) -> Mask | None:
        """The rows of a table each viewer sees under the role."""
        if table not in self._matrices:
            self._matrices[table] = self._computed(table) if table in self.restricted else None
        return self._matrices[table]

    def _computed(self, table: str) -> Mask:
        base = self.data.base(table)
        parts = [self._by_rule(rule) for rule in self.role.rows if rule.table == table]
        if base is not None:
            parts.append(base[:, np.newaxis])
        for step in self.data.schema.parents[table]:
            if step.one in self.restricted:
                above = self.of(step.one)
                index = self.data.join(step)[:-1]
                if above is None:
                    parts.append((index >= 0)[:, np.newaxis])
                else:
                    parts.append(np.concatenate([above, np.zeros((1, above.shape[1]), dtype=np.bool_)])[index])
        result = np.ones((self.data.rows(table), 1), dtype=np.bool_)
        for part in sorted(parts, key=lambda part: part.shape[1]):
            result = part if result.shape[1] == 1 and result.all() else result & part
        return result

    def _by_rule(self, rule: RowRule) -> Mask:
        """The rows one sentence leaves to each viewer."""
        if not rule.viewer_reads:
            return rule.mask(self.data, self.viewers[0])[:, np.newaxis]
        quick = self._by_membership(rule) if isinstance(rule, RowsRule) else None
        if quick is not None:
            return quick
        masks: list[Mask] = []
        numbers: dict[object, int] = {}
        places = np.empty(len(self.viewers), dtype=np.int64)
        for place, viewer in enumerate(self.viewers):
            values = rule.values(viewer)
            if values not in numbers:
                numbers[values] = len(masks)
                masks.append(rule.mask(self.data, viewer))
            places[place] = numbers[values]
        return np.ascontiguousarray(np.stack(masks, axis=1)[:, places])

    def _by_membership(self, rule: RowsRule) -> Mask | None:
        """A condition in which viewers stand only in `column IN viewer.a` and `column = viewer.a`, joined by AND: looked up for all at once."""
        table, data = rule.table, self.data
        result = np.ones((data.rows(table), 1), dtype=np.bool_)
        for part in rule.condition.items if isinstance(rule.condition, tree.And) else (rule.condition,):
            if not tree.viewer_values_read(part):
                result = result & true_rows(part, data.frame(table), table, data.rows(table))[:, np.newaxis]
                continue
            found = _membership(part)
            if found is None:
                return None
            column, name = found
            labels, _ = group_labels(data, column)
            holds = np.zeros((len(labels) + 1, len(self.viewers)), dtype=np.bool_)
            values = [viewer.values(name) or () for viewer in self.viewers]
            flat = [value for one in values for value in one]
            if flat:
                wanted = np.empty(len(flat), dtype=object if labels.dtype == object else np.float64 if isinstance(flat[0], float) else labels.dtype)
                wanted[:] = flat
                places = places_of(wanted, labels)
                owners = np.repeat(np.arange(len(values)), [len(one) for one in values])
                holds[places[places >= 0], owners[places >= 0]] = True
            result = result & holds[codes_with_null(data, table, column)[:-1]]
        return result


def _membership(part: tree.Node) -> tuple[ColumnKey, str] | None:
    """The column and the name of `viewer.` of `column IN viewer.a` or `column = viewer.a`; None for anything else, identities too."""
    if isinstance(part, tree.IsIn) and not part.negated and not part.identity and len(part.items) == 1:
        column, value = part.operand, part.items[0]
    elif isinstance(part, tree.Comparison) and part.operator == "=" and not part.identity:
        column, value = (part.left, part.right) if isinstance(part.left, tree.ColumnRef) else (part.right, part.left)
    else:
        return None
    if isinstance(column, tree.ColumnRef) and isinstance(value, tree.ViewerRef):
        return (column.table, column.column), value.name
    return None


def visible_to(grants: Sequence[VisibilityMatrix], limits: Sequence[VisibilityMatrix], table: str, viewers: int) -> Mask:
    """The rows each viewer sees through any of the grants that every limit leaves (6.4). Shape (rows, viewers)."""
    rows = grants[0].data.rows(table)
    result: Array | None = None
    for grant in grants:
        mask = grant.of(table)
        if mask is None:
            result = np.ones((rows, 1), dtype=np.bool_)
            break
        result = mask if result is None else result | mask
    assert result is not None
    for limit in limits:
        mask = limit.of(table)
        if mask is not None:
            result = result & mask
    return np.broadcast_to(result, (rows, viewers))


def rows_seen(weights: Array, mask: Mask, viewers: int) -> Array:
    """How many rows each viewer sees, where each stands for as many as its weight; `mask` has shape (rows or 1, viewers or 1). Shape (viewers,), int64."""
    full = np.broadcast_to(mask, (len(weights), mask.shape[1]))
    return np.broadcast_to(weights.astype(np.float64) @ full, (viewers,)).round().astype(np.int64)
