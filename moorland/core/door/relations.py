"""The relations one innermost SELECT reads: joined along the model's relationships, and what its names stand for (channels.md 13.2, 13.3)."""

from dataclasses import dataclass, field

from sqlglot import exp

from moorland.core.bundle.schema import Schema, Step
from moorland.core.door.catalogue import Catalogue, Field, Relation
from moorland.core.door.errors import AMBIGUOUS, NO_COLUMN, NO_FUNCTION, NO_TABLE, NOT_SUPPORTED, SqlRefused
from moorland.core.door.expressions import Named, position_of
from moorland.core.language.writing import column_text


def folded(identifier: exp.Expression | str | None) -> str:
    """A name as it is meant: in lower case unless it stands in double quotes."""
    if isinstance(identifier, exp.Identifier):
        return str(identifier.this) if identifier.args.get("quoted") else str(identifier.this).lower()
    return str(identifier or "")


def relation_of(catalogue: Catalogue, table: exp.Table) -> Relation:
    """The relation a statement names. Raises SqlRefused, in the same words for one that is hidden and one that never was."""
    if isinstance(table.this, exp.Func):
        named = table.this.name if isinstance(table.this, exp.Anonymous) else table.this.sql_name()
        raise SqlRefused(NO_FUNCTION, f"function {str(named).lower()} does not exist", position=position_of(table))
    name = folded(table.this)
    schema = folded(table.args["db"]) if table.args.get("db") else None
    found = catalogue.find(name, schema) if isinstance(table.this, exp.Identifier) and not table.args.get("catalog") else []
    if len(found) > 1:
        places = ", ".join(f"{item.schema}.{item.name}" for item in found)
        raise SqlRefused("42P09", f'relation "{name}" is in several schemas', f"Write which: {places}.", position_of(table))
    if not found:
        written = f"{schema}.{name}" if schema else name
        raise SqlRefused(NO_TABLE, f'relation "{written}" does not exist', position=position_of(table))
    return found[0]


@dataclass
class Sources:
    """The relations of a SELECT by the names they go by there, and the conditions their joins stand for."""

    by_alias: dict[str, Relation]
    asked: Relation
    conditions: list[str] = field(default_factory=list)

    def find(self, column: exp.Column) -> Field:
        """What a name stands for. Raises SqlRefused."""
        name, place = folded(column.this), position_of(column)
        qualifier = folded(column.args["table"]) if column.args.get("table") else None
        if qualifier is None:
            found = {(item.key, item.measure): item for relation in self.by_alias.values() if (item := relation.by_name.get(name)) is not None}
            if len(found) > 1:
                raise SqlRefused(AMBIGUOUS, f'column reference "{name}" is ambiguous', position=place)
            written = name
        else:
            owner = self.by_alias.get(qualifier)
            # Without a join a lookup's column may be written as table.column, too.
            item = owner.by_name.get(name) if owner is not None else self.asked.by_name.get(f"{qualifier}.{name}")
            found = {(item.key, item.measure): item} if item is not None else {}
            written = f"{qualifier}.{name}"
        if not found:
            raise SqlRefused(NO_COLUMN, f'column "{written}" does not exist', position=place)
        return next(iter(found.values()))

    def named(self, column: exp.Column) -> Named:
        """A column as the condition language names it; a measure is none there."""
        item = self.find(column)
        if item.key is None:
            hint = "A measure stands by its bare name in the SELECT list, beside grouped columns; in HAVING, too."
            raise SqlRefused(NOT_SUPPORTED, f'the measure "{item.name}" cannot stand here', hint, position_of(column))
        return Named(column_text(*item.key), item.type)

    def starred(self, qualifier: str | None, place: int | None) -> list[tuple[str, Field]]:
        """What `*` stands for, or `name.*`."""
        if qualifier is not None and qualifier not in self.by_alias:
            raise SqlRefused(NO_TABLE, f'missing FROM-clause entry for table "{qualifier}"', position=place)
        chosen = self.by_alias.values() if qualifier is None else [self.by_alias[qualifier]]
        return [(item.name, item) for relation in chosen for item in relation.columns]


def sources_of(catalogue: Catalogue, schemas: dict[str, Schema], select: exp.Select) -> Sources:
    """The relations of a SELECT all of whose sources are relations. Raises SqlRefused for a join that is no relationship of the model."""
    first = select.args["from_"].this
    relations = {_alias(first): relation_of(catalogue, first)}
    inner: list[tuple[exp.Join, str]] = []
    for join in select.args.get("joins") or []:
        alias = _alias(join.this)
        if alias in relations:
            raise SqlRefused("42712", f'table name "{alias}" specified more than once', position=position_of(join))
        relations[alias] = relation_of(catalogue, join.this)
        inner.append((join, alias))
    if not inner:
        return Sources(relations, next(iter(relations.values())))
    if len({item.schema for item in relations.values()}) > 1 or any(item.kind == "cube" for item in relations.values()):
        raise _no_join(inner[0][0])
    schema = schemas[next(iter(relations.values())).schema]
    tables = [item.table for item in relations.values()]
    asked = next((item for item in relations.values() if all(schema.reaches(item.table, other) for other in tables)), None)
    if asked is None or len(set(tables)) < len(tables):
        raise _no_join(inner[0][0])
    sources = Sources(relations, asked)
    for join, _ in inner:
        sources.conditions += _joined(sources, schema, join)
    return sources


def _joined(sources: Sources, schema: Schema, join: exp.Join) -> list[str]:
    """The conditions a join stands for: both keys are read, and an inner join leaves out what finds none."""
    side, kind = str(join.args.get("side") or "").upper(), str(join.args.get("kind") or "").upper()
    on = join.args.get("on")
    on = on.this if isinstance(on, exp.Paren) else on
    if side not in ("", "LEFT") or kind not in ("", "INNER", "OUTER") or not isinstance(on, exp.EQ) or join.args.get("method"):
        raise _no_join(join)
    if not isinstance(on.this, exp.Column) or not isinstance(on.expression, exp.Column):
        raise _no_join(join)
    keys = [sources.find(on.this).key, sources.find(on.expression).key]
    step: Step | None = None
    for many, one in (keys, keys[::-1]):
        if many is not None and one is not None:
            steps = schema.parents[many[0]]
            step = step or next((item for item in steps if (item.many, item.column) == many and (item.one, item.key) == one), None)
    if step is None:
        raise _no_join(join)
    joined = relation_table(sources, join)
    if side == "LEFT" and joined != step.one:
        raise SqlRefused(
            NOT_SUPPORTED,
            f"A LEFT JOIN leads from many to one: from {step.many} to {step.one}.",
            f"Begin with {step.many}, or join two SELECTs of their own.",
            position_of(join),
        )
    found = [f"({text} IS NULL OR {text} IS NOT NULL)" for text in (column_text(step.many, step.column),)]
    one_key = column_text(step.one, step.key)
    return [*found, f"({one_key} IS NULL OR {one_key} IS NOT NULL)" if side == "LEFT" else f"{one_key} IS NOT NULL"]


def relation_table(sources: Sources, join: exp.Join) -> str:
    """The table a join brings in."""
    return sources.by_alias[_alias(join.this)].table


def _alias(table: exp.Expression) -> str:
    alias = table.args.get("alias")
    if alias is not None:
        if alias.args.get("columns"):
            raise SqlRefused(NOT_SUPPORTED, "Columns of a relation keep their names.", "Name them in the SELECT list, with AS.", position_of(table))
        return folded(alias.this)
    return folded(table.this)


def _no_join(join: exp.Join) -> SqlRefused:
    hint = "Relations are joined along the relationships of the model, from the column to the key; columns of lookups stand in a relation without a join."
    return SqlRefused(NOT_SUPPORTED, "This join is no relationship of the model.", hint, position_of(join))
