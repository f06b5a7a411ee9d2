"""Which tables, columns, measures, hierarchies and cubes exist under a role (semantics.md 3.9, 5.5)."""

from collections.abc import Iterable
from dataclasses import dataclass

from moorland.core.bundle.policy import ObjectsSentence, Role
from moorland.core.bundle.schema import Schema
from moorland.core.engine.questions import ObjectsAnswer
from moorland.core.language.derived import ColumnKey, Derived
from moorland.core.language.measures import CheckedMeasure


@dataclass(frozen=True)
class Objects:
    """`O_r`: what exists under a role, or for a viewer."""

    tables: frozenset[str]
    columns: frozenset[tuple[str, str]]
    measures: frozenset[str]
    hierarchies: frozenset[str]
    cubes: frozenset[str]

    def has(self, columns: Iterable[tuple[str, str]], tables: Iterable[str] = ()) -> bool:
        """Whether all these columns and tables exist."""
        return self.columns.issuperset(columns) and self.tables.issuperset(tables)

    def union(self, other: "Objects") -> "Objects":
        """What exists in either."""
        return Objects(
            self.tables | other.tables,
            self.columns | other.columns,
            self.measures | other.measures,
            self.hierarchies | other.hierarchies,
            self.cubes | other.cubes,
        )

    def intersection(self, other: "Objects") -> "Objects":
        """What exists in both."""
        return Objects(
            self.tables & other.tables,
            self.columns & other.columns,
            self.measures & other.measures,
            self.hierarchies & other.hierarchies,
            self.cubes & other.cubes,
        )


NOTHING = Objects(frozenset(), frozenset(), frozenset(), frozenset(), frozenset())


def everything(schema: Schema) -> Objects:
    """All that a model declares, for an administrator who looks at the model itself."""
    return Objects(
        frozenset(schema.tables),
        frozenset(schema.columns),
        frozenset(schema.measures),
        frozenset(item.name for item in schema.model.hierarchies),
        frozenset(cube.name for cube in schema.model.cubes),
    )


class _Mentions:
    """The object sentences of a role read as one (5.5)."""

    def __init__(self, sentences: list[ObjectsSentence]) -> None:
        self.hide = {name for sentence in sentences for name in sentence.hide}
        self.show = {name for sentence in sentences for name in sentence.show}
        self.default = "hidden" if any(sentence.default == "hidden" for sentence in sentences) else "visible"

    def first(self, *ranks: Iterable[str]) -> bool | None:
        """What the most specific rank that is mentioned says: shown, hidden, or None where none is; hide wins within a rank."""
        for rank in ranks:
            names = set(rank)
            if names & self.hide:
                return False
            if names & self.show:
                return True
        return None


def objects_under(
    role: Role,
    schema: Schema,
    measures: dict[str, CheckedMeasure],
    derived: Derived,
    reading: frozenset[str] = frozenset(),
) -> Objects:
    """`O_r` of a role on its model. `reading` are the tables hidden because they say who may see what, or an inner query reads them (3.9)."""
    mentions = _Mentions([sentence.objects for _, sentence in role.acting if sentence.objects])
    default = mentions.default == "visible"
    tables, columns = _tables_and_columns(mentions, schema, derived, reading)
    visible_measures = set()
    for name, measure in schema.measures.items():
        table = schema.tables[measure.table]
        said = mentions.first([f"measure:{name}"], _tags(measure.tags), _folder(measure.folder), [f"table:{table.name}"], _folder(table.folder))
        checked = measures.get(name)
        if checked is None:
            continue
        if _or_default(said, default) and checked.inputs <= columns and checked.tables <= tables:
            visible_measures.add(name)
    hierarchies = set()
    for hierarchy in schema.model.hierarchies:
        table = schema.tables[hierarchy.table]
        said = mentions.first([f"hierarchy:{hierarchy.name}"], [f"table:{table.name}"], _folder(table.folder))
        if _or_default(said, default) and all((table.name, column) in columns for column in hierarchy.columns):
            hierarchies.add(hierarchy.name)
    cubes = {
        cube.name for cube in schema.model.cubes if _or_default(mentions.first([f"cube:{cube.name}"]), default) and visible_measures.intersection(cube.measures)
    }
    return Objects(frozenset(tables), frozenset(columns), frozenset(visible_measures), frozenset(hierarchies), frozenset(cubes))


def shown_by_name(role: Role) -> frozenset[str]:
    """What the object sentences of a role show by name and do not hide by name."""
    mentions = _Mentions([sentence.objects for _, sentence in role.acting if sentence.objects])
    return frozenset(mentions.show - mentions.hide)


def _tables_and_columns(mentions: _Mentions, schema: Schema, derived: Derived, reading: frozenset[str]) -> tuple[set[str], set[ColumnKey]]:
    """The tables and columns that exist: what the sentences leave, less what reads something that is not there (3.3, 3.9, 5.5)."""
    default = mentions.default == "visible"
    quarantined = _quarantined(schema, derived)
    by_name = {key for key in schema.columns if f"column:{key[0]}.{key[1]}" in mentions.show}
    tables: set[str] = set()
    opened: set[str] = set()
    columns: set[ColumnKey] = set()
    for table in schema.tables.values():
        own = [f"table:{table.name}"], _tags(table.tags), _folder(table.folder)
        said = mentions.first(*own)
        if table.quarantine or said is False or (table.name in reading and own[0][0] not in mentions.show):
            continue
        tables.add(table.name)
        if said or default:
            opened.add(table.name)
        for column in table.columns:
            key = (table.name, column.name)
            said_of_column = mentions.first([f"column:{table.name}.{column.name}"], _tags(column.tags), _folder(column.folder), own[0], own[2])
            if key not in quarantined and _or_default(said_of_column, default):
                columns.add(key)
    while True:
        named = {table for table, _ in columns & by_name}
        left = {name for name in tables if (name in opened or name in named) and schema.original(name) in tables}
        kept = {
            key
            for key in columns
            if key[0] in left and (schema.original(key[0]), key[1]) in columns and (key not in derived or key in by_name or derived[key].reads <= columns)
        }
        if left == tables and kept == columns:
            return tables, columns
        tables, columns = left, kept


def _quarantined(schema: Schema, derived: Derived) -> set[ColumnKey]:
    """The columns in quarantine and those that read one, under every name of their table (3.9)."""
    own = {(name, column.name) for name, table in schema.tables.items() for column in table.columns if column.quarantine or table.quarantine}
    found = {key for key in schema.columns if key in own or (schema.original(key[0]), key[1]) in own}
    return found | {key for key, column in derived.items() if column.inputs & found}


def _tags(tags: list[str]) -> list[str]:
    return [f"tag:{tag}" for tag in tags]


def _folder(folder: str | None) -> list[str]:
    return [f"folder:{folder}"] if folder else []


def _or_default(said: bool | None, default: bool) -> bool:
    return default if said is None else said


def objects_answer(objects: Objects) -> ObjectsAnswer:
    """What exists, sorted by name (7.4)."""
    return ObjectsAnswer(
        tables={table: sorted(column for owner, column in objects.columns if owner == table) for table in sorted(objects.tables)},
        measures=sorted(objects.measures),
        hierarchies=sorted(objects.hierarchies),
        cubes=sorted(objects.cubes),
    )
