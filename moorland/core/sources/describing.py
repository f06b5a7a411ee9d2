"""What an engine holds: its relations and their columns, as types of semantics.md 1.1 or as none (sources.md 17.1)."""

import re

import sqlglot

from moorland.core.bundle.model import Table
from moorland.core.bundle.shape import Shape, ValueType
from moorland.core.sources.engines import DatabaseEngine

#: How types of engines are read, by the start of their names; what is not here is not read.
READ_AS: tuple[tuple[str, ValueType], ...] = (
    (r"(small|big|tiny|medium)?int(eger)?[248]?\b|(big|small)?serial|long|short|byte\b", "integer"),
    (r"real|double|float[48]?\b|numeric|decimal", "number"),
    (r"text|n?varchar|character|char\b|bpchar|string|clob|name\b", "text"),
    (r"bool", "boolean"),
    (r"timestamp|datetime", "timestamp"),
    (r"date\b", "date"),
)
#: So many relations are told.
MOST_RELATIONS = 2_000


class FoundColumn(Shape):
    """A column of a relation; `type` is null where its type is not read."""

    name: str
    native: str
    type: ValueType | None


class FoundRelation(Shape):
    """A relation or view of an engine."""

    relation: list[str]
    kind: str


def type_of_native(native: str, dialect: str = "") -> ValueType | None:
    """What a type of an engine is read as; None for what is not read."""
    written = native.strip().lower()
    if written == "timestamp with time zone" and dialect == "duckdb":
        # It would need an extension, and none is loaded.
        return None
    return next((type_ for pattern, type_ in READ_AS if re.match(pattern, written)), None)


def relations_of(engine: DatabaseEngine) -> list[FoundRelation]:
    """The relations and views of an engine, without its own. Raises SourceFailed."""
    if engine.dialect.name == "sqlite":
        rows = engine.rows("SELECT name, type FROM sqlite_master WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite_%' ORDER BY name")
        return [FoundRelation(relation=[str(name)], kind=str(kind)) for name, kind in rows[:MOST_RELATIONS]]
    if engine.dialect.name == "spark":
        rows = engine.rows("SHOW TABLES")
        return [FoundRelation(relation=[part for part in (str(space or ""), str(name)) if part], kind="table") for space, name, *_ in rows[:MOST_RELATIONS]]
    rows = engine.rows(
        "SELECT table_schema, table_name, table_type FROM information_schema.tables"
        " WHERE table_schema NOT IN ('information_schema', 'pg_catalog') ORDER BY 1, 2"
    )
    return [FoundRelation(relation=[str(schema), str(name)], kind="view" if "VIEW" in str(kind) else "table") for schema, name, kind in rows[:MOST_RELATIONS]]


def columns_of_relation(engine: DatabaseEngine, relation: list[str]) -> list[FoundColumn]:
    """The columns of a relation, in its order; none where there is no such relation. Raises SourceFailed."""
    if engine.dialect.name == "sqlite":
        rows = engine.rows("SELECT name, type FROM pragma_table_info(:name)", {"name": relation[-1]})
    elif engine.dialect.name == "spark":
        rows = engine.columns(relation)
    else:
        schema = relation[-2] if len(relation) > 1 else ("main" if engine.dialect.name == "duckdb" else "public")
        asked = "SELECT column_name, data_type FROM information_schema.columns WHERE table_schema = :schema AND table_name = :name ORDER BY ordinal_position"
        rows = engine.rows(sqlglot.transpile(asked, write=engine.dialect.name)[0], {"schema": schema, "name": relation[-1]})
    return [FoundColumn(name=str(name), native=str(native), type=type_of_native(str(native), engine.dialect.name)) for name, native in rows]


def differences_of(table: Table, found: list[FoundColumn]) -> list[str]:
    """How a relation is other than the table that is declared to stay there, in sentences; none where it fits."""
    if not found:
        return [f"There is no relation {'.'.join(table.in_place.relation) if table.in_place else table.name}, or it cannot be read."]
    known = {column.name: column for column in found}
    told = []
    for column in table.columns:
        if column.derived:
            continue
        there = known.get(column.name)
        if there is None:
            told.append(f"The column {column.name} is not there.")
        elif there.type is None:
            told.append(f"The column {column.name} is {there.native}, which is not read.")
        elif there.type != column.type and not (column.type == "number" and there.type == "integer"):
            told.append(f"The column {column.name} is {there.native}, which is read as {there.type}; declared is {column.type}.")
    return told
