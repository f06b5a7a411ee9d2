"""Names in questions: only what exists for the viewer can be named, in the order of refusals of 7.6."""

from moorland.core.bundle.people import AttributeDefinition
from moorland.core.bundle.schema import Schema
from moorland.core.engine.questions import Refused, not_found
from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.errors import ConditionError
from moorland.core.language.parser import parse

ColumnKey = tuple[str, str]


def column_key(name: str, table: str | None, existing: frozenset[ColumnKey]) -> ColumnKey:
    """The column a question names, bare for the table asked. Raises Refused (not found)."""
    owner, dot, column = name.partition(".")
    key = (owner, column) if dot else (table or "", name)
    if key not in existing and table is not None and (table, name) in existing:
        key = (table, name)
    if key not in existing:
        raise not_found(name)
    return key


def parse_filter(text: str | None) -> tree.Node | None:
    """The parsed filter of a question; syntax and inner queries are refused before names are looked at (7.6)."""
    if text is None:
        return None
    try:
        parsed = parse(text)
    except ConditionError as error:
        raise Refused("invalid", f"The filter cannot be read at character {error.start + 1}: {error.message}") from None
    inner = next((node for node in parsed.walk() if isinstance(node, tree.InnerQuery)), None)
    if inner is not None:
        raise Refused("invalid", f"The filter cannot be read at character {inner.start + 1}: a question has no inner query.")
    return parsed


def filter_scope(schema: Schema, table: str | None, columns: frozenset[ColumnKey], attributes: dict[str, AttributeDefinition]) -> Scope:
    """What the filter of a question may name: these columns, and of the viewer's attributes those shown to everyone (4.8)."""
    shown = {name: definition for name, definition in attributes.items() if definition.shown_to == "everyone"}
    return Scope(schema=schema, table=table, attributes=shown, anywhere=table is None, columns=columns)


def check_filter(
    text: str | None, schema: Schema, table: str | None, columns: frozenset[ColumnKey], attributes: dict[str, AttributeDefinition]
) -> tree.Node | None:
    """The typed filter of a question over what exists for the viewer (4.8). Raises Refused."""
    if text is None:
        return None
    try:
        return check_condition(text, filter_scope(schema, table, columns, attributes))
    except ConditionError as error:
        if error.code == "unknown_name":
            raise not_found(text[error.start : error.end]) from None
        raise Refused("invalid", f"The filter cannot be used at character {error.start + 1}: {error.message}") from None
