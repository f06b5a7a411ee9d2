"""What of a model has no rows, because the source of a table is not chosen for whoever asks, and what reads it (sources.md 17.2)."""

from collections.abc import Collection, Mapping, Sequence

from moorland.core.bundle.schema import Schema
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey, Derived

#: The attributes that are not set, by each table that has no rows for it.
Missing = Mapping[str, tuple[str, ...]]


def chosen_by(names: Sequence[str]) -> str:
    """By what a source is chosen that is not chosen for whoever asks, in words."""
    return f"chosen by {' and '.join(f'viewer.{name}' for name in names)}, which {'is' if len(names) == 1 else 'are'} not set"


def read_missing(schema: Schema, derived: Derived, missing: Missing, table: str, conditions: list[tree.Node]) -> tuple[str, ...]:
    """The attributes that are not set of the tables which conditions over a table read: by their columns, on the way to them, or by inner queries."""
    tables: set[str] = set()
    for condition in conditions:
        tables |= tables_read(schema, derived, table, tree.columns_read(condition))
        for query in tree.inner_queries(condition):
            tables |= {query.table} | tables_read(schema, derived, query.table, tree.columns_read(query.where) if query.where else ())
            tables |= tables_read(schema, derived, query.table, tree.columns_read(query.column))
    return missing_of(missing, tables)


def missing_of(missing: Missing, tables: Collection[str]) -> tuple[str, ...]:
    """The attributes that are not set of some tables."""
    return tuple(dict.fromkeys(name for table in sorted(tables) for name in missing.get(table, ())))


def tables_read(schema: Schema, derived: Derived, table: str, columns: Collection[ColumnKey]) -> set[str]:
    """The tables that are read for some columns in the rows of a table, those on the way to them among these."""
    found: set[str] = set()
    waiting, seen = [(table, key) for key in columns], set(columns)
    while waiting:
        origin, key = waiting.pop()
        found |= {key[0], *(step.one for step in schema.paths.get(origin, {}).get(key[0], ()))}
        if key in derived:
            waiting += [(key[0], read) for read in derived[key].reads - seen]
            seen |= derived[key].reads
    return found
