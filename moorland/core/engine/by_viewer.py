"""Tables whose source depends on who asks: each combination of values is a content of its own (sources.md 17.2).

An evaluator has one content. Where an attribute that chooses the source of a table is not set, the table has no rows, and what reads it is
decided as if unknown: a sentence leaves no row, a mask withholds, a change is not allowed.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Protocol, assert_never, runtime_checkable

import numpy as np

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.model import Model
from moorland.core.engine.asked import Measures
from moorland.core.engine.columns import TableData, empty_table
from moorland.core.engine.entitlements import EntitlementRule
from moorland.core.engine.masking import MaskRule
from moorland.core.engine.missing import Missing, missing_of, read_missing, tables_read
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.questions import ChangeQuestion, MembersQuestion, ObjectsQuestion, Refused, RowsQuestion, TotalsQuestion
from moorland.core.engine.roles import CompiledModel, CompiledRole
from moorland.core.engine.rules import ChangeRule, RowRule
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import Mask
from moorland.core.people import Viewer

ModelQuestion = RowsQuestion | TotalsQuestion | MembersQuestion | ChangeQuestion | ObjectsQuestion
#: The values by which the content is chosen, by attribute; None where one is not set.
Content = tuple[tuple[str, str | None], ...]


@runtime_checkable
class ChoosingLoader(Protocol):
    """Loads tables whose source depends on who asks."""

    def chosen(self, model: Model, name: str, values: Mapping[str, str]) -> TableData:
        """The data of a table by the values set, which are all that its source depends on."""
        ...


def attributes_choosing(bundle: Bundle) -> dict[str, tuple[str, ...]]:
    """The attributes by which the source of any table of a model is chosen, by model; only models that have some."""
    sources = {source.name: source.attributes for source in bundle.sources if source.attributes}
    found = {}
    for model in bundle.models if sources else ():
        used = {table.in_place.source for table in model.tables if table.in_place is not None}
        found[model.name] = tuple(sorted({name for source in used for name in sources.get(source, ())}))
    return {name: attributes for name, attributes in found.items() if attributes}


def content_of(bundle: Bundle, names: tuple[str, ...], viewer: Viewer) -> dict[str, str | None]:
    """The values by which a viewer's content is chosen. A value outside the list of an attribute is as good as none."""
    found: dict[str, str | None] = {}
    for name in names:
        values = viewer.values(name)
        allowed = next(item.allowed for item in bundle.attributes if item.name == name) or []
        found[name] = str(values[0]) if values is not None and len(values) == 1 and values[0] in allowed else None
    return found


def merged(content: Content, values: Mapping[str, str | None]) -> Content:
    """A content with other values of some attributes."""
    return tuple((name, values.get(name, value)) for name, value in content)


def missing_tables(bundle: Bundle, model: Model, content: Content) -> dict[str, tuple[str, ...]]:
    """The tables of a model, and their other names, that have no rows under a content, with the attributes that are not set."""
    unset = {name for name, value in content if value is None}
    if not unset:
        return {}
    lacking = {source.name: tuple(name for name in source.attributes if name in unset) for source in bundle.sources}
    own = {table.name: lacking.get(table.in_place.source, ()) for table in model.tables if table.in_place is not None}
    named = {table.name: own.get(table.alias_of or table.name, ()) for table in model.tables}
    return {name: attributes for name, attributes in named.items() if attributes}


def missing_table(model: Model, name: str, attributes: tuple[str, ...]) -> TableData:
    """What stands for a table whose source is not chosen: no rows."""
    table = next(table for table in model.tables if table.name == name)
    empty = empty_table((column.name, column.type) for column in table.columns if not column.derived)
    return replace(empty, version=f"not chosen by {attributes} {empty.version}", missing=attributes)


@dataclass(frozen=True)
class UndecidedRule:
    """A sentence that reads a table which has no rows for the viewer: it is unknown in every row, and leaves none."""

    instead: RowRule
    attributes: tuple[str, ...]

    @property
    def sentence(self) -> int:
        return self.instead.sentence

    @property
    def table(self) -> str:
        return self.instead.table

    @property
    def text(self) -> str:
        return f"undecided: {self.instead.text}"

    @property
    def reads(self) -> frozenset[ColumnKey]:
        return self.instead.reads

    @property
    def viewer_reads(self) -> frozenset[str]:
        return self.instead.viewer_reads.union(self.attributes)

    def values(self, viewer: Viewer) -> tuple[object, ...]:
        return ()

    def mask(self, data: ModelData, viewer: Viewer) -> Mask:
        return np.zeros(data.rows(self.table), dtype=np.bool_)


def under_missing(role: CompiledRole, model: CompiledModel | None, missing: Missing) -> CompiledRole:
    """A role where some tables have no rows because their source is not chosen."""
    if model is None or not missing:
        return role

    def lacking(table: str, *conditions: tree.Node | None) -> tuple[str, ...]:
        return read_missing(model.schema, model.derived, missing, table, [node for node in conditions if node is not None])

    def undecided(rule: RowRule) -> RowRule:
        found = missing_of(missing, tables_read(model.schema, model.derived, rule.table, rule.reads))
        if isinstance(rule, EntitlementRule):
            found += missing_of(missing, {rule.written.through}) + lacking(rule.written.through, rule.where)
        found += lacking(rule.table, getattr(rule, "condition", None))
        return UndecidedRule(rule, tuple(dict.fromkeys(found))) if found else rule

    def withheld(mask: MaskRule) -> MaskRule:
        if not lacking(mask.column[0], mask.when):
            return mask
        return replace(mask, when=None, written=mask.written.model_copy(update={"with_": "withhold", "in_totals": "no", "when": None}))

    def allowed(rule: ChangeRule) -> ChangeRule:
        insert, update, delete = (None if lacking(rule.table, condition) else condition for condition in (rule.insert, rule.update, rule.delete))
        return replace(rule, insert=insert, update=update, delete=delete)

    return replace(role, rows=tuple(map(undecided, role.rows)), masks=tuple(map(withheld, role.masks)), changes=tuple(map(allowed, role.changes)))


def refuse_unchosen(data: ModelData, measures: Measures, asked: ModelQuestion) -> None:
    """Raises Refused: all data of a table whose source depends on who asks is nobody's (sources.md 17.2)."""
    read: set[str] = set()
    match asked:
        case TotalsQuestion():
            found = [measures[name] for name in asked.measures if name in measures]
            read = {owner for measure in found for owner in (measure.table, *(owner for owner, _ in measure.inputs))}
        case RowsQuestion() | ChangeQuestion():
            read = {asked.table}
        case MembersQuestion():
            read = {item.table for item in data.schema.model.hierarchies if item.name == asked.hierarchy}
        case ObjectsQuestion():
            return
        case _:
            assert_never(asked)
    attributes = missing_of(data.missing, read)
    if attributes:
        chosen = " and ".join(f"viewer.{name}" for name in attributes)
        raise Refused("invalid", f"Where these rows are is chosen by {chosen}: all data is not one set of rows. Look as somebody.")


class _Tables(Protocol):
    """Where tables are had from: an evaluator."""

    def table(self, model: Model, name: str) -> TableData: ...

    def table_by(self, model: Model, name: str, values: Mapping[str, str]) -> TableData: ...


class Overlaid:
    """Loads another content of some tables, and all others as an evaluator has them."""

    def __init__(self, other: Callable[[Model, str], TableData | None], under: _Tables) -> None:
        self._other, self._under = other, under

    def __call__(self, model: Model, name: str) -> TableData:
        found = self._other(model, name)
        return self._under.table(model, name) if found is None else found

    def chosen(self, model: Model, name: str, values: Mapping[str, str]) -> TableData:
        """The same by the values that choose the sources of tables."""
        found = self._other(model, name)
        return self._under.table_by(model, name, values) if found is None else found
