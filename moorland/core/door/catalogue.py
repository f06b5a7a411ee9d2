"""What exists for a viewer as schemas and relations: all that statements can name (channels.md 13.2)."""

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from moorland.core.bundle.shape import VALUE_TYPES, ValueType
from moorland.core.engine.asked import within_cube
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.mask_kinds import Hash
from moorland.core.engine.questions import Refused
from moorland.core.engine.visible import ViewerModel
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey
from moorland.core.people import Viewer


@dataclass(frozen=True)
class Field:
    """A column of a relation: a column of the model, or a measure."""

    name: str
    type: ValueType
    key: ColumnKey | None = None
    measure: str | None = None
    about: str | None = None


@dataclass(frozen=True)
class Relation:
    """A table or cube of a model, as much of it as exists for the viewer."""

    schema: str
    name: str
    kind: Literal["table", "cube"]
    table: str
    fields: tuple[Field, ...]
    cube: str | None = None
    about: str | None = None
    #: The name of its key column, where that exists for the viewer.
    key: str | None = None
    #: Columns that are keys of other relations of the schema: column, relation, column there.
    references: tuple[tuple[str, str, str], ...] = ()

    @cached_property
    def by_name(self) -> dict[str, Field]:
        """The fields by their names."""
        return {field.name: field for field in self.fields}

    @property
    def columns(self) -> list[Field]:
        """What `*` stands for: columns, never measures."""
        return [field for field in self.fields if field.key is not None]


@dataclass(frozen=True)
class Catalogue:
    """All relations that exist for a viewer."""

    relations: tuple[Relation, ...]
    #: The schemas that bare names are looked for in first, in this order.
    path: tuple[str, ...] = ()

    def find(self, name: str, schema: str | None) -> list[Relation]:
        """The relations of a name, in a schema, else in the first of the path that has one, else in any."""
        for preferred in self.path if schema is None else ():
            found = [item for item in self.relations if (item.name, item.schema) == (name, preferred)]
            if found:
                return found
        return [item for item in self.relations if item.name == name and schema in (None, item.schema)]


def catalogue_of(evaluator: Evaluator, viewer: Viewer) -> Catalogue:
    """What exists for a viewer, live for as long as the evaluator is."""
    found: list[Relation] = []
    for name in evaluator.models:
        try:
            model = evaluator.viewer_model(viewer, name)
        except Refused:
            continue
        found += _relations(evaluator, name, model)
    return Catalogue(tuple(found))


def _type_of(measure: tree.Node) -> ValueType:
    """The type of a measure's column; of one that is always blank text, as that of a NULL without a type."""
    return VALUE_TYPES.get(measure.type, "text")


def _relations(evaluator: Evaluator, name: str, model: ViewerModel) -> list[Relation]:
    schema, measures = model.data.schema, evaluator.models[name].measures
    objects = model.objects
    hashed = {mask.column for role in model.roles for mask in role.masks if isinstance(mask.kind, Hash)}
    found = []
    for table in schema.tables:
        if table not in objects.tables:
            continue
        lookups = [other for other in schema.tables if other != table and schema.reaches(table, other)]
        fields = [_field(model, key, column, hashed) for column, key in _columns(model, table, table)]
        fields += [_field(model, key, f"{other}.{column}", hashed) for other in lookups for column, key in _columns(model, other, other)]
        taken = {field.name for field in fields}
        fields += [
            Field(
                f"{measure}_measure" if measure in taken else measure,
                _type_of(measures[measure].tree),
                measure=measure,
                about=schema.measures[measure].about,
            )
            for measure in schema.measures
            if measure in objects.measures and schema.measures[measure].table == table
        ]
        key = schema.tables[table].key
        found.append(
            Relation(
                name,
                table,
                "table",
                table,
                tuple(fields),
                about=schema.tables[table].about or schema.tables[table].label,
                key=key if (table, key or "") in objects.columns else None,
                references=tuple(
                    (step.column, step.one, step.key)
                    for step in schema.parents[table]
                    if {(table, step.column), (step.one, step.key)} <= objects.columns and step.one in objects.tables
                ),
            )
        )
    names = {item.name for item in found}
    for cube in schema.model.cubes:
        if cube.name not in objects.cubes:
            continue
        columns, offered = within_cube(model, cube.name)
        facts = cube.facts[0]
        fields = [_field(model, key, f"{key[0]}.{key[1]}", hashed) for key in sorted(columns)]
        fields += [
            Field(measure, _type_of(measures[measure].tree), measure=measure, about=schema.measures[measure].about)
            for measure in cube.measures
            if measure in offered
        ]
        found.append(Relation(name, f"{cube.name}_cube" if cube.name in names else cube.name, "cube", facts, tuple(fields), cube.name, cube.about))
    return found


def _columns(model: ViewerModel, table: str, owner: str) -> list[tuple[str, ColumnKey]]:
    """The visible columns of a table in their order."""
    return [(column.name, (owner, column.name)) for column in model.data.schema.tables[table].columns if (owner, column.name) in model.objects.columns]


def _field(model: ViewerModel, key: ColumnKey, name: str, hashed: set[ColumnKey]) -> Field:
    """A column under a name; one that some held role hashes is described as text (13.5)."""
    column = model.data.schema.columns[key]
    original = (model.data.schema.original(key[0]), key[1])
    return Field(name, "text" if key in hashed or original in hashed else column.type, key=key, about=column.about or column.label)
