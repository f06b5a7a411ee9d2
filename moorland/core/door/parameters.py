"""The types of a statement's parameters, from where they stand, and values to read it by before any are bound (channels.md 13.6)."""

import datetime
from typing import Any

from sqlglot import exp

from moorland.core.bundle.shape import ValueType
from moorland.core.door.catalogue import Catalogue
from moorland.core.door.relations import folded

#: A value of each type, to read a statement by.
SAMPLES: dict[ValueType, Any] = {
    "boolean": True, "integer": 1, "number": 1.0, "text": "", "date": datetime.date(2000, 1, 1), "timestamp": datetime.datetime(2000, 1, 1)
}  # fmt: skip
_CASTS: dict[str, ValueType] = {
    "BOOLEAN": "boolean", "SMALLINT": "integer", "INT": "integer", "BIGINT": "integer", "DOUBLE": "number", "FLOAT": "number", "DECIMAL": "number",
    "DATE": "date", "TIMESTAMP": "timestamp", "TIMESTAMPTZ": "timestamp", "TEXT": "text", "VARCHAR": "text",
}  # fmt: skip
_BESIDE = (exp.EQ, exp.NEQ, exp.LT, exp.LTE, exp.GT, exp.GTE, exp.Add, exp.Sub, exp.Mul, exp.Div, exp.Mod, exp.Between, exp.In, exp.Is, exp.NullSafeEQ, exp.NullSafeNEQ, exp.Coalesce)  # fmt: skip


def listed_parameters(statement: exp.Query) -> set[int]:
    """The numbers of the parameters that are lists: those ANY takes."""
    found = set()
    for node in statement.find_all(exp.Parameter, exp.Placeholder):
        beside = node.parent
        while isinstance(beside, exp.Paren | exp.Cast):
            beside = beside.parent
        if isinstance(beside, exp.Any | exp.All) and node.name.isdigit():
            found.add(int(node.name))
    return found


def parameter_types(statement: exp.Query, catalogue: Catalogue | None) -> list[ValueType]:
    """The type of each parameter, by number: what it is cast to, compared with or counts; else text. Of a list, that of what is in it."""
    found: dict[int, ValueType] = {}
    for node in statement.find_all(exp.Parameter, exp.Placeholder):
        if node.name.isdigit():
            number = int(node.name)
            kind = _from_place(node, statement, catalogue)
            if kind is not None:
                found.setdefault(number, kind)
            else:
                found.setdefault(number, "text")
    return [found.get(number, "text") for number in range(1, max(found, default=0) + 1)]


def _from_place(node: exp.Expression, statement: exp.Query, catalogue: Catalogue | None) -> ValueType | None:
    beside = node.parent
    while isinstance(beside, exp.Paren | exp.Neg | exp.Tuple | exp.Any | exp.All):
        beside = beside.parent
    if isinstance(beside, exp.Cast):
        return _CASTS.get(beside.to.this.name if hasattr(beside.to.this, "name") else "")
    if isinstance(beside, exp.Limit | exp.Offset | exp.Fetch):
        return "integer"
    if isinstance(beside, _BESIDE):
        for other in beside.iter_expressions():
            kind = _type_of(other, statement, catalogue)
            if kind is not None:
                return kind
    return None


def _type_of(node: exp.Expression, statement: exp.Query, catalogue: Catalogue | None) -> ValueType | None:
    """The type of what stands beside a parameter, where that is plain."""
    while isinstance(node, exp.Paren):
        node = node.this
    if isinstance(node, exp.Literal):
        return None if node.is_string else "integer" if str(node.this).isdigit() else "number"
    if isinstance(node, exp.Cast):
        return _CASTS.get(node.to.this.name if hasattr(node.to.this, "name") else "")
    if isinstance(node, exp.Count | exp.Length):
        return "integer"
    if isinstance(node, exp.Sum | exp.Avg | exp.Min | exp.Max | exp.Abs | exp.Round | exp.Add | exp.Sub | exp.Mul):
        inner = [_type_of(part, statement, catalogue) for part in node.iter_expressions()]
        return next((kind for kind in inner if kind is not None), None)
    if isinstance(node, exp.Column) and catalogue is not None:
        return _column_type(node, statement, catalogue)
    return None


def _column_type(node: exp.Column, statement: exp.Query, catalogue: Catalogue) -> ValueType | None:
    """The type of a column that only relations named in the statement have."""
    name, qualifier = folded(node.this), folded(node.args.get("table"))
    for table in statement.find_all(exp.Table):
        schema = folded(table.args.get("db")) or None
        for relation in catalogue.find(folded(table.this), schema):
            field = relation.by_name.get(name) or relation.by_name.get(f"{qualifier}.{name}")
            if field is not None:
                return field.type
    return None
