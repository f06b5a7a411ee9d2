"""Measures and columns made for the occasion: expressions in questions over what exists for the asker (semantics.md 7.8)."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from moorland.core.bundle.pages import Made
from moorland.core.bundle.schema import Schema
from moorland.core.bundle.shape import VALUE_TYPES
from moorland.core.engine.questions import Refused, TotalsQuestion, not_found
from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_names, check_parsed
from moorland.core.language.derived import MADE, ColumnKey, Derived, DerivedColumn, with_inputs
from moorland.core.language.errors import ConditionError
from moorland.core.language.measures import CheckedMeasure, check_made
from moorland.core.language.parser import parse


@dataclass(frozen=True)
class MadeParts:
    """The expressions of a question, checked: measures by their names, and the columns its `by` names, with what they are."""

    measures: Mapping[str, CheckedMeasure]
    keys: Mapping[str, ColumnKey]
    columns: Derived


NOTHING_MADE = MadeParts({}, {}, {})


@dataclass(frozen=True)
class ParsedMade:
    """An expression whose syntax was read, before its names are looked at (7.6)."""

    made: Made
    tree: tree.Node


def parse_made(question: TotalsQuestion) -> list[ParsedMade]:
    """The expressions of a question. Raises Refused (invalid) for syntax, and for inner queries whatever they name."""
    return [ParsedMade(item, _parsed(item)) for item in question.made]


def _parsed(item: Made) -> tree.Node:
    try:
        parsed = parse(item.expression)
    except ConditionError as error:
        raise _invalid(item, error) from None
    inner = next((node for node in parsed.walk() if isinstance(node, tree.InnerQuery)), None)
    if inner is not None:
        raise Refused("invalid", f"{item.as_} cannot be read at character {inner.start + 1}: a question has no inner query.")
    return parsed


def find_made(parsed: list[ParsedMade], schema: Schema, columns: frozenset[ColumnKey], measures: frozenset[str]) -> list[tuple[ParsedMade, str]]:
    """Each expression with the table it is of, its bare names qualified. Raises Refused: not found for any name that does not exist for the asker."""
    return [_found(item, schema, columns, measures) for item in parsed]


def _found(item: ParsedMade, schema: Schema, columns: frozenset[ColumnKey], measures: frozenset[str]) -> tuple[ParsedMade, str]:
    tables = {owner for owner, _ in columns}
    if item.made.table is not None and item.made.table not in tables:
        raise not_found(item.made.table)
    qualified = _qualified(item, columns)
    scope = Scope(schema=schema, table=item.made.table, viewer=False, aggregates=True, anywhere=True, columns=columns)
    try:
        check_names(qualified.tree, scope)
    except ConditionError as error:
        raise not_found(item.made.expression[error.start : error.end]) from None
    for node in qualified.tree.walk():
        if isinstance(node, tree.Name) and node.qualifier == "measure" and node.name not in measures:
            raise not_found(f"measure.{node.name}")
    return qualified, item.made.table or _table(qualified, schema)


def _qualified(item: ParsedMade, columns: frozenset[ColumnKey]) -> ParsedMade:
    """Bare names qualified: by the table that is said, else by the only one that has the column. Raises Refused."""

    def owner(name: tree.Name) -> str | None:
        if item.made.table is not None and (item.made.table, name.name) in columns:
            return item.made.table
        owners = sorted(table for table, column in columns if column == name.name) if item.made.table is None else []
        if len(owners) > 1:
            raise Refused("invalid", f"{name.name} is a column of {', '.join(owners)}: write which, as {owners[0]}.{name.name}.")
        return owners[0] if owners else None

    return replace(item, tree=_with_owners(item.tree, owner))


def _with_owners(node: tree.Node, owner: Callable[[tree.Name], str | None]) -> tree.Node:
    """The tree with bare names qualified by what `owner` says of them."""
    if isinstance(node, tree.Name):
        found = owner(node) if node.qualifier is None else None
        return replace(node, qualifier=found) if found is not None else node
    changed: dict[str, Any] = {}
    for name in node.__dataclass_fields__:
        value = getattr(node, name)
        if isinstance(value, tree.Node):
            changed[name] = _with_owners(value, owner)
        elif isinstance(value, tuple) and any(isinstance(part, tree.Node) for part in value):
            changed[name] = tuple(_with_owners(part, owner) if isinstance(part, tree.Node) else part for part in value)
    return replace(node, **changed)


def _table(item: ParsedMade, schema: Schema) -> str:
    """The table an expression is of: the one of those it names that reaches all others. Raises Refused (invalid)."""
    names = [node for node in item.tree.walk() if isinstance(node, tree.Name)]
    owners = sorted({node.qualifier for node in names if node.qualifier not in (None, "measure", "viewer", "page")} - {None})
    owners += (
        sorted({schema.measures[node.name].table for node in names if node.qualifier == "measure" and node.name in schema.measures} - set(owners))
        if not owners
        else []
    )
    if not owners:
        raise Refused("invalid", f"{item.made.as_} names no column: say of which table it is.")
    found = next((table for table in owners if all(schema.reaches(table, other) for other in owners)), None)
    if found is None:
        raise Refused("invalid", f"{item.made.as_} reads {' and '.join(owners)}, and none of them reaches the others.")
    return str(found)


def check_all(question: TotalsQuestion, found: list[tuple[ParsedMade, str]], schema: Schema, columns: frozenset[ColumnKey], derived: Derived) -> MadeParts:
    """The expressions typed: those named in `measures` as measures, those in `by` as columns. Raises Refused (invalid)."""
    if not found:
        return NOTHING_MADE
    measures: dict[str, CheckedMeasure] = {}
    keys: dict[str, ColumnKey] = {}
    made: dict[ColumnKey, DerivedColumn] = {}
    for item, table in found:
        name = item.made.as_
        try:
            if name in question.measures:
                measures[name] = check_made(schema, name, derived, item.tree, table, columns)
            if name in question.by:
                column = _column(item, table, schema, columns, derived)
                keys[name], made[column.key] = column.key, column
        except ConditionError as error:
            raise _invalid(item.made, error) from None
    return MadeParts(measures, keys, made)


def _column(item: ParsedMade, table: str, schema: Schema, columns: frozenset[ColumnKey], derived: Derived) -> DerivedColumn:
    """A column made for the occasion, computed over the rows of its table as a derived one is (3.4)."""
    checked = check_parsed(item.tree, Scope(schema=schema, table=table, viewer=False, columns=columns))
    if checked.type == "null":
        raise ConditionError("type", "this is always blank.", checked.start, checked.end)
    reads = tree.columns_read(checked)
    # What bare names stand for hangs on what exists for the asker, so it is part of the name under which the column is kept.
    name = f"{MADE}{item.made.expression}{MADE}{sorted(reads)}"
    return DerivedColumn((table, name), VALUE_TYPES[checked.type], checked, None, {}, None, reads, with_inputs(reads, derived))


def _invalid(item: Made, error: ConditionError) -> Refused:
    return Refused("invalid", f"{item.as_} cannot be used at character {error.start + 1}: {error.message}")
