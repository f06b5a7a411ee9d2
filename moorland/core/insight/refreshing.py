"""What new content of a table changes: columns, values and members, keys, relationships, sentences that no longer fit, who gains and loses."""

from collections.abc import Iterable

import numpy as np

from moorland.core.bundle.model import Table
from moorland.core.bundle.schema import Step
from moorland.core.bundle.shape import Shape, ValueType
from moorland.core.engine.cells import json_values
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.in_place import TooManyStrata, on_strata
from moorland.core.engine.model_data import ModelData
from moorland.core.insight.findings.values import value_findings
from moorland.core.insight.impact import impact
from moorland.core.insight.impacts import ViewerImpact
from moorland.core.insight.profile import RelationshipHealth, among, counted, relationship_health
from moorland.core.language.vectors import Array

MOST_NAMED = 12
#: Vanished and new values are told of columns with at most so many distinct values; of others only their numbers.
MOST_DISTINCT = 200_000
MOST_VIEWERS = 200


class ValuesMoved(Shape):
    """How many distinct values of a column came or went, some of them, and how many rows they stand in."""

    values: int
    rows: int
    samples: list[str]


class ColumnMoved(Shape):
    """A column whose values changed."""

    column: str
    type: str
    level_of: list[str]
    blank_before: int
    blank_after: int
    vanished: ValuesMoved
    new: ValuesMoved


class NewColumn(Shape):
    """A column the table does not have yet; it arrives in quarantine."""

    name: str
    header: str
    type: ValueType
    sensitive: str | None


class KeysMoved(Shape):
    """Keys that came and went."""

    lost: int
    new: int
    lost_samples: list[str]


class HealthMoved(Shape):
    """A relationship of the table before and after."""

    before: RelationshipHealth
    after: RelationshipHealth


class NoLongerFits(Shape):
    """A sentence or other place that names what is not in the data any more."""

    path: str
    message: str
    remedy: str


class RefreshReport(Shape):
    """What a refresh would change. `viewers` are those for whom something changes, most rows first; `people` counts them all."""

    rows_before: int
    rows_after: int
    same: bool
    columns: list[ColumnMoved]
    new_columns: list[NewColumn]
    lost_columns: list[str]
    doubts: list[str]
    keys: KeysMoved | None
    relationships: list[HealthMoved]
    no_longer_fits: list[NoLongerFits]
    people: int
    viewers: list[ViewerImpact]


def refresh_report(
    before: Evaluator,
    after: Evaluator,
    model: str,
    table: Table,
    new_columns: list[NewColumn],
    lost_columns: list[str],
    doubts: list[str],
    logins: Iterable[str],
) -> RefreshReport:
    """Compares the content of a table in two evaluators that differ in it alone."""
    old, new = before.data(model), after.data(model)
    columns = [
        moved
        for column in table.columns
        if not column.derived and column.name not in lost_columns and (moved := _column_moved(old, new, table.name, column.name, model, after)) is not None
    ]
    known = {(finding.path, finding.message) for finding in value_findings(before)}
    lost_fits = [
        NoLongerFits(path=finding.path, message=finding.message, remedy=finding.remedy)
        for finding in value_findings(after)
        if (finding.path, finding.message) not in known
    ]
    steps = [step for steps in new.schema.parents.values() for step in steps if table.name in (step.many, step.one)]
    health = [HealthMoved(before=_health(old, step), after=_health(new, step)) for step in steps]
    viewers = impact(before, after, logins)
    return RefreshReport(
        rows_before=old.size(table.name),
        rows_after=new.size(table.name),
        same=old.tables[table.name].version == new.tables[table.name].version,
        columns=columns,
        new_columns=new_columns,
        lost_columns=lost_columns,
        doubts=doubts,
        keys=_keys_moved(old, new, table),
        relationships=health,
        no_longer_fits=lost_fits,
        people=len(viewers),
        viewers=viewers[:MOST_VIEWERS],
    )


def _missing(values: Array, counts: Array, others: Array) -> ValuesMoved:
    """The values that are not among the others."""
    gone = ~among(values, others)
    named = values[gone][:MOST_NAMED]
    samples = [str(value) for value in json_values(named, np.ones(len(named), np.bool_))]
    return ValuesMoved(values=int(gone.sum()), rows=int(counts[gone].sum()), samples=samples)


def _health(data: ModelData, step: Step) -> RelationshipHealth:
    return on_strata(data, lambda on: relationship_health(on, step))


def _values(data: ModelData, table: str, column: str) -> tuple[Array, Array, int] | None:
    """The distinct values of a column, their rows, and blank rows; None where it is not held, or has more of them than are looked at."""
    if table not in data.left and column not in data.tables[table].columns:
        return None
    try:
        return on_strata(data, lambda on: counted(on.stored(table, column), on.weights(table)))
    except TooManyStrata:
        return None


def _column_moved(old: ModelData, new: ModelData, table: str, column: str, model: str, after: Evaluator) -> ColumnMoved | None:
    before, now_there = _values(old, table, column), _values(new, table, column)
    if before is None or now_there is None:
        return None
    (was, was_rows, was_blank), (now, now_rows, now_blank) = before, now_there
    if max(len(was), len(now)) > MOST_DISTINCT:
        return None
    vanished, came = _missing(was, was_rows, now), _missing(now, now_rows, was)
    if not vanished.values and not came.values and was_blank == now_blank:
        return None
    levels = [hierarchy.name for hierarchy in after.models[model].schema.model.hierarchies if hierarchy.table == table and column in hierarchy.columns]
    return ColumnMoved(
        column=column, type=new.schema.columns[table, column].type, level_of=levels, blank_before=was_blank, blank_after=now_blank, vanished=vanished, new=came
    )


def _keys_moved(old: ModelData, new: ModelData, table: Table) -> KeysMoved | None:
    if table.key is None or table.key not in old.tables[table.name].columns or table.key not in new.tables[table.name].columns:
        return None
    was, was_rows, _ = counted(old.stored(table.name, table.key))
    now, now_rows, _ = counted(new.stored(table.name, table.key))
    lost, came = _missing(was, was_rows, now), _missing(now, now_rows, was)
    return KeysMoved(lost=lost.values, new=came.values, lost_samples=lost.samples)
