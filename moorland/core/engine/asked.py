"""Questions made ready to answer: names resolved, filter checked, in the order of refusals of 7.6.

Every way to answer (alone, together, in SQL, side by side) starts here, so none can name or refuse what another does not.
"""

from dataclasses import dataclass, field
from typing import Protocol

from moorland.core.bundle.people import AttributeDefinition
from moorland.core.bundle.schema import Schema
from moorland.core.engine.made import check_all, find_made, parse_made
from moorland.core.engine.naming import check_filter, column_key, parse_filter
from moorland.core.engine.objects import Objects
from moorland.core.engine.questions import Refused, TotalsQuestion, not_found
from moorland.core.engine.visible import RoleRows, ViewerModel
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey, Derived
from moorland.core.language.measures import CheckedMeasure

Attributes = dict[str, AttributeDefinition]
Measures = dict[str, CheckedMeasure]


class RowsAsked(Protocol):
    """What questions about rows of a table have in common (7.1)."""

    @property
    def table(self) -> str: ...

    @property
    def columns(self) -> list[str] | None: ...

    @property
    def where(self) -> str | None: ...

    @property
    def order(self) -> list[str]: ...


@dataclass(frozen=True)
class PreparedRows:
    """A rows question with its names resolved: `order` says of each column whether it descends."""

    table: str
    names: list[str]
    columns: list[ColumnKey]
    order: list[tuple[ColumnKey, bool]]
    condition: tree.Node | None

    @property
    def filtered(self) -> frozenset[ColumnKey]:
        """The columns the filter reads."""
        return _read(self.condition)


def prepare_rows(question: RowsAsked, schema: Schema, existing: Objects, attributes: Attributes) -> PreparedRows:
    """A question about rows over what exists for the asker. Raises Refused."""
    table = question.table
    parse_filter(question.where)
    if table not in existing.tables:
        raise not_found(table)
    names = question.columns if question.columns is not None else [c.name for c in schema.tables[table].columns if (table, c.name) in existing.columns]
    columns = [column_key(name, table, existing.columns) for name in names]
    order = [(column_key(name.removeprefix("-"), table, existing.columns), name.startswith("-")) for name in question.order]
    condition = check_filter(question.where, schema, table, existing.columns, attributes)
    for name, (owner, _) in [*zip(names, columns, strict=True), *((name, key) for name, (key, _) in zip(question.order, order, strict=True))]:
        if not schema.reaches(table, owner):
            raise Refused("invalid", f"{name} is not a column of {table} or of a lookup it reaches.")
    return PreparedRows(table, list(names), columns, order, condition)


@dataclass(frozen=True)
class Asked:
    """What a totals question asks by and filters by. `keys` is everything it names."""

    by: tuple[ColumnKey, ...]
    condition: tree.Node | None
    made: Derived = field(default_factory=dict)

    @property
    def filtered(self) -> frozenset[ColumnKey]:
        """The columns the filter reads."""
        return _read(self.condition)

    @property
    def keys(self) -> frozenset[ColumnKey]:
        return frozenset(self.by) | self.filtered

    @property
    def needs(self) -> frozenset[ColumnKey]:
        """What has to exist for it: for columns made for the occasion, all they read (7.8)."""
        return frozenset().union(*(self.made[key].inputs if key in self.made else {key} for key in self.keys))

    def used(self, depth: int) -> frozenset[ColumnKey]:
        """The columns that lines of a depth use."""
        return frozenset(self.by[:depth]) | self.filtered


@dataclass(frozen=True)
class PreparedTotals:
    """A totals question with its names resolved: the measures it finds, in the order asked, and the others.

    `model` is the viewer's, with the columns made for the question (7.8); `order` names a place in `by` or a measure, and whether it descends.
    """

    model: ViewerModel
    asked: Asked
    found: dict[str, CheckedMeasure]
    not_found: list[str]
    depths: list[int]
    order: list[tuple[int | str, bool]] = field(default_factory=list)

    def granting(self, model: ViewerModel, measure: CheckedMeasure) -> list[RoleRows]:
        """The grant roles under which everything that one measure needs exists: S of 7.2."""
        return granting_measure(model, measure, self.asked)


def prepare_totals(model: ViewerModel, question: TotalsQuestion, measures: Measures, attributes: Attributes) -> PreparedTotals:
    """A totals question over what exists for a viewer (7.2, 12.9); `depths` go from lines to the grand total. Raises Refused."""
    schema = model.data.schema
    parse_filter(question.where)
    parsed = parse_made(question)
    columns, offered = within_cube(model, question.cube)
    own = {item.made.as_ for item in parsed}
    named = {name: column_key(name, None, columns) for name in question.by if name not in own}
    found_made = find_made(parsed, schema, columns, offered)
    condition = check_filter(question.where, schema, None, columns, attributes)
    made = check_all(question, found_made, schema, columns, model.data.derived)
    by = tuple(made.keys[name] if name in made.keys else named[name] for name in question.by)
    asked = Asked(by, condition, made.columns)
    model = model.on(model.data.with_made(made.columns)) if made.columns else model
    names = list(dict.fromkeys(question.measures))
    known = {**{name: measures[name] for name in names if name in measures and name in offered}, **made.measures}
    found = {name: known[name] for name in names if name in known and granting_measure(model, known[name], asked)}
    for measure in found.values():
        for table in sorted(counted_tables(measure)):
            missing = next((key for key in sorted(asked.keys) if not schema.reaches(table, key[0])), None)
            if missing:
                raise Refused("invalid", f"{missing[0]}.{missing[1]} cannot be reached from {table}, which {measure.name} counts.")
    depths = [len(by), *(range(len(by) - 1, 0, -1) if question.subtotals else ()), *([0] if by else [])]
    return PreparedTotals(model, asked, found, [name for name in names if name not in found], depths, _ordered(question))


def _ordered(question: TotalsQuestion) -> list[tuple[int | str, bool]]:
    """What the lines are ordered by: places in `by`, and measures. Raises Refused for what the question does not have."""
    found: list[tuple[int | str, bool]] = []
    for written in question.order:
        name = written.removeprefix("-")
        if name not in question.by and name not in question.measures:
            raise Refused("invalid", f"The lines have no {name} to be ordered by.")
        found.append((question.by.index(name) if name in question.by else name, written.startswith("-")))
    return found


def granting_measure(model: ViewerModel, measure: CheckedMeasure, asked: Asked) -> list[RoleRows]:
    """The grant roles under which a measure, its inputs and all that is asked by and filtered by exist (6.4, 7.2)."""
    return model.granting(measure.inputs | asked.needs, measure.tables, None if measure.made else measure.name)


def within_cube(model: ViewerModel, name: str | None) -> tuple[frozenset[ColumnKey], frozenset[str]]:
    """The columns and measures a question may name: those that exist, and in a cube only the cube's (12.9). Raises Refused."""
    existing, schema = model.objects, model.data.schema
    if name is None:
        return existing.columns, existing.measures
    cube = next((cube for cube in schema.model.cubes if cube.name == name), None)
    if cube is None or cube.name not in existing.cubes:
        raise not_found(name)
    named = {hierarchy for dimension in cube.dimensions for hierarchy in dimension.hierarchies}
    levels = {(item.table, column) for item in schema.model.hierarchies if item.name in named and item.name in existing.hierarchies for column in item.columns}
    return frozenset(key for key in existing.columns if key in levels or key[0] in cube.facts), existing.measures & frozenset(cube.measures)


def counted_tables(measure: CheckedMeasure) -> set[str]:
    """The tables whose rows a measure counts: its own, and those of its aggregates."""
    return {measure.table, *(node.table for node in measure.tree.walk() if isinstance(node, tree.Aggregate))}


def _read(condition: tree.Node | None) -> frozenset[ColumnKey]:
    return tree.columns_read(condition) if condition is not None else frozenset()
