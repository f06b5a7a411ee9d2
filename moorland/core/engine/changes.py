"""Proposed changes, tried row by row and never applied (semantics.md 9, 12.8)."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from moorland.core.bundle.people import AttributeDefinition
from moorland.core.bundle.shape import Scalar
from moorland.core.bundle.values import typed_value
from moorland.core.engine.columns import TableData
from moorland.core.engine.entitlements import EntitlementRule
from moorland.core.engine.listing import Listing
from moorland.core.engine.masking import CLEAR
from moorland.core.engine.member_rules import MembersRule, parents_of
from moorland.core.engine.members import acyclic
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.naming import check_filter, column_key, parse_filter
from moorland.core.engine.questions import ChangeAnswer, ChangeQuestion, Refused, not_found
from moorland.core.engine.roles import CompiledRole
from moorland.core.engine.visible import RoleRows, ViewerModel
from moorland.core.engine.written_rows import appended, replaced, with_table
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey
from moorland.core.language.evaluation import true_rows
from moorland.core.language.vectors import Array, Mask

#: Why a row cannot be whatever roles say.
UNSOUND = "its key is taken or missing, a value is not of its column's type, or its parents lead in a circle"
#: So many rows are tried each in a copy of the model.
MOST_WORLDS = 5_000


@dataclass(frozen=True)
class Trial:
    """The outcome for each row meant: whether it is allowed, and if not why."""

    allowed: list[bool]
    reasons: list[str | None]


@dataclass(frozen=True)
class PreparedChange:
    """A change question made ready: the condition for the rows meant, what it reads, and the values written, by column."""

    question: ChangeQuestion
    condition: tree.Node | None
    read: frozenset[ColumnKey]
    written: list[dict[str, Scalar | None]]


@dataclass(frozen=True)
class Tried:
    """A change that was tried: over which model, of which of its rows (of an insertion, none), and with what outcome."""

    model: ViewerModel
    prepared: PreparedChange
    rows: Array
    trial: Trial


@dataclass(frozen=True)
class RowChange:
    """One row as it is, and the values it would have: without what is, a new row; without what would be, one that goes. Values by stored column."""

    old: dict[str, object] | None
    new: dict[str, object] | None


def answered(trial: Trial) -> ChangeAnswer:
    """The answer to a change question (9.3)."""
    allowed = sum(trial.allowed)
    counts: dict[str, int] = {}
    for reason in trial.reasons:
        if reason is not None:
            counts[reason] = counts.get(reason, 0) + 1
    return ChangeAnswer(meant=len(trial.allowed), allowed=allowed, refused=len(trial.allowed) - allowed, reasons=counts)


def try_change(model: ViewerModel, question: ChangeQuestion, attributes: dict[str, AttributeDefinition]) -> Tried:
    """Each row meant, tried alone, all else as it was (9.2). Raises Refused in the order of 7.6."""
    prepared = prepare_change(model, question, attributes)
    rows = Listing(model, question.table, prepared.condition).rows if question.insert is None else np.zeros(0, np.int64)
    return tried(model, prepared, rows)


def prepare_change(model: ViewerModel, question: ChangeQuestion, attributes: dict[str, AttributeDefinition]) -> PreparedChange:
    """A change question checked. Raises Refused in the order of 7.6."""
    table, schema, existing = question.table, model.data.schema, model.objects
    where = question.update.where if question.update else question.delete.where if question.delete else None
    parse_filter(where)
    if table not in existing.tables:
        raise not_found(table)
    written = [question.update.set] if question.update else question.insert.rows if question.insert else []
    columns = {name: column_key(name, table, existing.columns) for row in written for name in row}
    condition = check_filter(where, schema, table, existing.columns, attributes)
    if schema.tables[table].alias_of is not None:
        raise Refused("invalid", f"{table} is another name of {schema.original(table)}; change that.")
    for name, key in columns.items():
        if key[0] != table:
            raise Refused("invalid", f"{name} is not a column of {table}.")
        if schema.columns[key].derived:
            raise Refused("invalid", f"{name} is derived and cannot be set.")
    read = tree.columns_read(condition) if condition is not None else frozenset()
    return PreparedChange(question, condition, read, [{columns[name][1]: value for name, value in row.items()} for row in written])


def tried(model: ViewerModel, prepared: PreparedChange, rows: Array) -> Tried:
    """A change of some rows of a model, tried."""
    question = prepared.question
    if question.insert is not None:
        trial = _Attempt(model, question.table, "insert").insert(prepared.written)
    elif question.delete is not None:
        trial = _Attempt(model, question.table, "delete").delete(rows, prepared.read)
    else:
        trial = _Attempt(model, question.table, "update").update(rows, prepared.read, prepared.written[0])
    return Tried(model, prepared, rows, trial)


def row_changes(found: Tried) -> list[RowChange]:
    """What would be written, row by row, of a change that is allowed."""
    data, question = found.model.data, found.prepared.question
    types = {column.name: column.type for column in data.schema.tables[question.table].columns}
    written = [{name: None if value is None else typed_value(value, types[name]) for name, value in row.items()} for row in found.prepared.written]
    if question.insert is not None:
        return [RowChange(None, dict(row)) for row in written]
    new: dict[str, object] | None = dict(written[0]) if question.update is not None else None
    return [RowChange(dict(_row_values(data, question.table, row)), new) for row in found.rows.tolist()]


def may_be_made_together(found: Tried) -> bool:
    """Whether rows that are each allowed alone are so together too: no two come to one key or lead parents in a circle, and no row decides over another (9.2)."""
    model, question, written = found.model, found.prepared.question, found.prepared.written
    if len(found.trial.allowed) < 2:
        return True
    schema, table = model.data.schema, question.table
    key = schema.tables[table].key
    keys = [row.get(key) for row in written if key is not None and key in row]
    if len(set(keys)) < len(keys) or (keys and question.update is not None):
        return False
    columns = {column for row in written for column in row}
    if any(item.table == table and item.levels is None and {item.key, item.parent} & columns for item in schema.model.hierarchies):
        return False
    return row_by_row(model, table)


def try_row(model: ViewerModel, table: str, row: int, values: dict[str, Scalar | None] | None) -> str | None:
    """Why one row may not be updated to some values, or deleted where there are none; None where it may (9.2)."""
    rows = np.array([row])
    attempt = _Attempt(model, table, "delete" if values is None else "update")
    trial = attempt.delete(rows, ()) if values is None else attempt.update(rows, (), values)
    return trial.reasons[0]


class _Attempt:
    """One change to one table for one viewer."""

    def __init__(self, model: ViewerModel, table: str, kind: str) -> None:
        self.model, self.data, self.table, self.kind = model, model.data, table, kind
        self.schema = model.data.schema

    def delete(self, rows: Array, read: Iterable[ColumnKey]) -> Trial:
        """The old row only: visible, its read cells clear, the condition of the change true."""
        granted = self._any_grant(rows, read, lambda role: self._holds(role, self.data, rows) & self._visible(role, self.data, rows))
        limited = self._every_limit(rows, (), lambda role: self._visible(role, self.data, rows) & self._unless_silent(role, self.data, rows))
        return self._outcome(granted, limited, np.ones(len(rows), np.bool_))

    def update(self, rows: Array, read: Iterable[ColumnKey], values: dict[str, Scalar | None]) -> Trial:
        """The old and the new row: both visible, the condition of the change true for both, what is set and read clear."""
        typed = self._typed(values)
        if typed is None:
            return self._refused(len(rows), "a value is not of its column's type")
        sound = self._sound(rows, [typed] * len(rows))
        keys = [(self.table, column) for column in typed]
        new = _NewRows(self, rows, [typed] * len(rows))

        def both(role: RoleRows) -> Mask:
            old = self._visible(role, self.data, rows) & self._holds(role, self.data, rows)
            return old & new.visible(role.role) & new.holds(role.role) & new.clear(role.role)

        def both_limited(role: RoleRows) -> Mask:
            old = self._visible(role, self.data, rows) & self._unless_silent(role, self.data, rows)
            return old & new.visible(role.role) & new.unless_silent(role.role) & new.clear(role.role)

        granted = self._any_grant(rows, [*read, *keys], both)
        return self._outcome(granted, self._every_limit(rows, keys, both_limited), sound)

    def insert(self, written: list[dict[str, Scalar | None]]) -> Trial:
        """The new row only."""
        typed = [self._typed(row) for row in written]
        usable = [row if row is not None else {} for row in typed]
        new = _NewRows(self, np.full(len(written), -1), usable)
        sound = np.array([row is not None for row in typed], dtype=np.bool_) & self._sound(np.full(len(written), -1), usable)
        granted = np.zeros(len(written), dtype=np.bool_)
        limited = np.ones(len(written), dtype=np.bool_)
        for grant in self.model.granting((), (self.table,)):
            granted |= new.clear(grant.role) & new.visible(grant.role) & new.holds(grant.role)
        for limit in self.model.limits:
            limited &= new.clear(limit.role) & new.visible(limit.role) & new.unless_silent(limit.role)
        return self._outcome(granted, limited, sound)

    def _any_grant(self, rows: Array, clear: Iterable[ColumnKey], test: Callable[[RoleRows], Mask]) -> Mask:
        keys = list(clear)
        result = np.zeros(len(rows), dtype=np.bool_)
        for grant in self.model.granting((), (self.table,)):
            result |= self._clear(grant, keys, rows) & test(grant)
        return result

    def _every_limit(self, rows: Array, clear: Iterable[ColumnKey], test: Callable[[RoleRows], Mask]) -> Mask:
        keys = list(clear)
        result = np.ones(len(rows), dtype=np.bool_)
        for limit in self.model.limits:
            result &= self._clear(limit, keys, rows) & test(limit)
        return result

    def _clear(self, role: RoleRows, keys: Iterable[ColumnKey], rows: Array) -> Mask:
        result = np.ones(len(rows), dtype=np.bool_)
        for key in keys:
            states = role.states(self.table, key)
            result &= (states == CLEAR) if isinstance(states, int) else states[rows] == CLEAR
        return result

    def _visible(self, role: RoleRows, data: ModelData, rows: Array) -> Mask:
        mask = role.of(self.table)
        return np.ones(len(rows), dtype=np.bool_) if mask is None else mask[rows]

    def _holds(self, role: RoleRows, data: ModelData, rows: Array) -> Mask:
        """Whether every change sentence of the role for the table has a condition for this kind, true for the rows (12.5)."""
        conditions = self.conditions(role.role)
        if not conditions or any(condition is None for condition in conditions):
            return np.zeros(len(rows), dtype=np.bool_)
        masks = [
            true_rows(condition, data.frame(self.table, self.model.viewer.values), self.table, data.rows(self.table))[rows]
            for condition in conditions
            if condition is not None
        ]
        return np.asarray(np.logical_and.reduce(masks))

    def _unless_silent(self, role: RoleRows, data: ModelData, rows: Array) -> Mask:
        """The same for a limit role, which narrows only where it has a change sentence for the table (9.2)."""
        return self._holds(role, data, rows) if self.conditions(role.role) else np.ones(len(rows), dtype=np.bool_)

    def conditions(self, role: CompiledRole) -> list[tree.Node | None]:
        """The conditions of a role's change sentences on the table for this kind of change; None for one that does not allow it."""
        return [{"insert": rule.insert, "update": rule.update, "delete": rule.delete}[self.kind] for rule in role.changes if rule.table == self.table]

    def _typed(self, values: dict[str, Scalar | None]) -> dict[str, object] | None:
        """The values by their columns' types; None where one is of another type."""
        try:
            return {column: None if value is None else typed_value(value, self.schema.columns[self.table, column].type) for column, value in values.items()}
        except ValueError:
            return None

    def _sound(self, rows: Array, values: Sequence[dict[str, object]]) -> Mask:
        """Where the new row has a key of its own and leads no parents in a circle (12.8). A row of -1 is a new one."""
        result = np.ones(len(rows), dtype=np.bool_)
        key = self.schema.tables[self.table].key
        if key is not None:
            stored = self.data.stored(self.table, key)
            codes = stored.codes[:-1] if stored.codes is not None else np.arange(self.data.rows(self.table))
            owner = dict(zip(stored.values[codes].tolist(), range(len(codes)), strict=True))
            for index, (row, new) in enumerate(zip(rows.tolist(), values, strict=True)):
                if key in new or row < 0:
                    value = new.get(key)
                    result[index] &= value is not None and owner.get(value, row) == row
        for hierarchy in self.schema.model.hierarchies:
            if hierarchy.table == self.table and hierarchy.levels is None:
                for index, (row, new) in enumerate(zip(rows.tolist(), values, strict=True)):
                    if result[index] and {hierarchy.key, hierarchy.parent} & new.keys():
                        changed = with_table(self.data, self.table, _written(self.data, self.table, row, new))
                        result[index] &= acyclic(parents_of(changed, hierarchy)[:-1])
        return result

    def _refused(self, count: int, reason: str) -> Trial:
        return Trial([False] * count, [reason] * count)

    def _outcome(self, granted: Mask, limited: Mask, sound: Mask) -> Trial:
        allowed = granted & limited & sound
        reasons = np.where(
            ~sound,
            UNSOUND,
            np.where(~granted, f"no grant role allows this {self.kind}", "a limit role forbids it"),
        )
        return Trial(allowed.tolist(), [None if ok else str(reason) for ok, reason in zip(allowed, reasons, strict=True)])


def _written(data: ModelData, table: str, row: int, values: dict[str, object]) -> TableData:
    return appended(data, table, [values]) if row < 0 else replaced(data, table, row, values)


class _NewRows:
    """The rows as they would be, each in a world in which all else is as it was.

    Where nothing that decides visibility looks at the table but row by row, all new rows stand together below the old
    ones; elsewhere each is tried in a copy of the model of its own.
    """

    def __init__(self, attempt: _Attempt, rows: Array, values: Sequence[dict[str, object]]) -> None:
        self._attempt, self._rows, self._values = attempt, rows, values
        self._together = row_by_row(attempt.model, attempt.table)
        self._worlds: list[tuple[ViewerModel, Array, Array]] = []
        data, table = attempt.data, attempt.table
        if not len(rows):
            return
        if not self._together and len(rows) > MOST_WORLDS:
            raise Refused("invalid", f"Each of these {len(rows):,} rows has to be tried in a world of its own; ask for at most {MOST_WORLDS:,}.")
        if self._together:
            before = data.rows(table)
            bases = [{} if row < 0 else dict(_row_values(data, table, row)) for row in rows.tolist()]
            extended = appended(data, table, [{**base, **new} for base, new in zip(bases, values, strict=True)])
            world = with_table(data, table, extended, old_rows=before)
            self._worlds.append((attempt.model.on(world), np.arange(len(rows)), before + np.arange(len(rows))))
            return
        for index, (row, new) in enumerate(zip(rows.tolist(), values, strict=True)):
            world = with_table(data, table, _written(data, table, row, new))
            self._worlds.append((attempt.model.on(world), np.array([index]), np.array([data.rows(table) if row < 0 else row])))

    def _test(self, role: CompiledRole, test: Callable[[RoleRows, ModelData, Array, Array], Mask]) -> Mask:
        result = np.zeros(len(self._rows), dtype=np.bool_)
        for model, places, rows in self._worlds:
            held = next(item for item in (*model.grants, *model.limits) if item.role is role)
            result[places] = test(held, model.data, rows, places)
        return result

    def visible(self, role: CompiledRole) -> Mask:
        """Whether each new row is in `V_r`."""
        return self._test(role, lambda held, data, rows, places: self._attempt._visible(held, data, rows))

    def holds(self, role: CompiledRole) -> Mask:
        """Whether the change is allowed for each new row."""
        return self._test(role, lambda held, data, rows, places: self._attempt._holds(held, data, rows))

    def unless_silent(self, role: CompiledRole) -> Mask:
        """The same for a limit role."""
        return self._test(role, lambda held, data, rows, places: self._attempt._unless_silent(held, data, rows))

    def clear(self, role: CompiledRole) -> Mask:
        """Whether what each new row sets is clear under the role."""

        def test(held: RoleRows, data: ModelData, rows: Array, places: Array) -> Mask:
            result = np.ones(len(rows), dtype=np.bool_)
            for column in sorted({column for row in self._values for column in row}):
                states = held.states(self._attempt.table, (self._attempt.table, column))
                clear = np.full(len(rows), states == CLEAR) if isinstance(states, int) else states[rows] == CLEAR
                sets = np.array([column in self._values[place] for place in places.tolist()], dtype=np.bool_)
                result &= clear | ~sets
            return result

        return self._test(role, test)


def row_by_row(model: ViewerModel, table: str) -> bool:
    """Whether visibility in a table looks at its rows one by one: nothing reads the table as a whole, or reaches it from other rows.

    Where any restriction travels up, a row can hold others in sight, itself among them; then it does not.
    """
    schema = model.data.schema
    names = schema.names_of(table)
    if len(names) > 1 or any(step.carries_up for steps in schema.parents.values() for step in steps):
        return False
    for rows in (*model.grants, *model.limits):
        for rule in rows.role.rows:
            if isinstance(rule, EntitlementRule) and rule.written.through in names:
                return False
            if isinstance(rule, MembersRule) and rule.hierarchy.levels is None and rule.table in names:
                return False
        if any(query.table in names for condition in _conditions(rows.role) for query in tree.inner_queries(condition)):
            return False
    return True


def _conditions(role: CompiledRole) -> Iterable[tree.Node]:
    for rule in role.rows:
        condition = getattr(rule, "condition", None) or getattr(rule, "where", None)
        if condition is not None:
            yield condition
    yield from role.conditions


def _row_values(data: ModelData, table: str, row: int) -> Iterable[tuple[str, object]]:
    for column in data.schema.tables[table].columns:
        if not column.derived:
            stored = data.stored(table, column.name)
            index = row if stored.codes is None else int(stored.codes[row])
            yield column.name, stored.values[index : index + 1].tolist()[0] if index >= 0 and stored.known[index] else None
