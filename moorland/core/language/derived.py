"""Derived columns: checked expressions and mappings, and what they read down to stored columns (semantics.md 3.4, 12.4)."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from moorland.core.bundle.model import Column
from moorland.core.bundle.problems import Problem, nearest_name
from moorland.core.bundle.schema import Schema
from moorland.core.bundle.values import TypedValue, typed_value, value_of_text
from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_expression
from moorland.core.language.errors import ConditionError

ColumnKey = tuple[str, str]

#: Begins the name of a column made for the occasion (7.8); no name in a bundle begins so.
MADE = "\x00"


def is_made(key: ColumnKey) -> bool:
    """Whether a column was made for the occasion."""
    return key[1].startswith(MADE)


#: So many derived columns may build on one another.
MOST_DERIVED_DEEP = 30


@dataclass(frozen=True)
class DerivedColumn:
    """A derived column ready to compute, over the rows of the table that declares it.

    `expression`, or the `values` a mapping gives those of the column `of`, and `otherwise` for all others. `reads` are
    the columns it names, `inputs` these and all that they read in turn.
    """

    key: ColumnKey
    type: str
    expression: tree.Node | None
    of: ColumnKey | None
    values: Mapping[TypedValue, TypedValue | None]
    otherwise: TypedValue | None
    reads: frozenset[ColumnKey]
    inputs: frozenset[ColumnKey] = frozenset()


Derived = Mapping[ColumnKey, DerivedColumn]


def check_derived(schema: Schema) -> tuple[dict[ColumnKey, DerivedColumn], list[Problem]]:
    """Every derived column of a model, those of aliases among them, and what is wrong with the rest (paths inside the model)."""
    checked: dict[ColumnKey, DerivedColumn] = {}
    problems: list[Problem] = []
    for index, table in enumerate(schema.model.tables):
        for position, column in enumerate(table.columns):
            if not column.derived:
                continue
            place = f"tables[{index}].columns[{position}]"
            found = _check(schema, table.name, column, place)
            if isinstance(found, DerivedColumn):
                checked[found.key] = found
            else:
                problems += found
    for name, table in schema.tables.items():
        for column in table.columns:
            original = checked.get((schema.original(name), column.name))
            if table.alias_of is not None and original is not None:
                reads = frozenset((name, read) if owner == table.alias_of else (owner, read) for owner, read in original.reads)
                checked[name, column.name] = DerivedColumn(
                    (name, column.name), original.type, original.expression, original.of, original.values, original.otherwise, reads
                )
    complete: dict[ColumnKey, DerivedColumn] = {}
    for key, derived in checked.items():
        inputs, cycle = _inputs(key, checked)
        if cycle:
            circle = " → ".join(".".join(step) for step in cycle)
            problems.append(Problem("cycle", f"the derived columns form a cycle: {circle}.", path=_place(schema, key)))
        elif _depth(key, checked) > MOST_DERIVED_DEEP:
            problems.append(Problem("nested", f"derived columns build on one another more than {MOST_DERIVED_DEEP} deep.", path=_place(schema, key)))
        complete[key] = DerivedColumn(key, derived.type, derived.expression, derived.of, derived.values, derived.otherwise, derived.reads, frozenset(inputs))
    problems += _check_keys(schema, complete)
    return complete, problems


def with_inputs(columns: Iterable[ColumnKey], derived: Derived) -> frozenset[ColumnKey]:
    """The columns and all that the derived ones among them read, down to stored ones (3.6)."""
    found = frozenset(columns)
    return found.union(*(derived[key].inputs for key in found if key in derived))


def _check(schema: Schema, table: str, column: Column, place: str) -> DerivedColumn | list[Problem]:
    key = (table, column.name)
    if column.expression is not None and column.mapping is not None:
        return [Problem("shape", "a derived column has an expression or a mapping, not both.", path=place)]
    if column.expression is not None:
        try:
            expression = check_expression(column.expression, Scope(schema=schema, table=table, viewer=False))
        except ConditionError as error:
            return [error.problem(f"{place}.expression")]
        if expression.type not in (column.type, "null") and (expression.type, column.type) != ("integer", "number"):
            return [Problem("type", f"the expression is {expression.type}, but the column is declared {column.type}.", path=f"{place}.expression")]
        return DerivedColumn(key, column.type, expression, None, {}, None, tree.columns_read(expression))
    mapping = column.mapping
    assert mapping is not None
    source = schema.columns.get((table, mapping.of))
    if source is None:
        names = [name for owner, name in schema.columns if owner == table]
        return [Problem("unknown_name", f"there is no column {mapping.of}.", path=f"{place}.mapping.of", nearest=nearest_name(mapping.of, names))]
    problems: list[Problem] = []
    values: dict[TypedValue, TypedValue | None] = {}
    for text, value in mapping.values.items():
        try:
            values[value_of_text(text, source.type)] = None if value is None else typed_value(value, column.type)
        except ValueError as error:
            problems.append(Problem("type", f"{error}.", path=f"{place}.mapping.values.{text}"))
    otherwise = None
    try:
        otherwise = None if mapping.otherwise is None else typed_value(mapping.otherwise, column.type)
    except ValueError as error:
        problems.append(Problem("type", f"{error}.", path=f"{place}.mapping.else"))
    of = (table, mapping.of)
    return problems or DerivedColumn(key, column.type, None, of, values, otherwise, frozenset([of]))


def _inputs(key: ColumnKey, checked: Derived) -> tuple[set[ColumnKey], list[ColumnKey]]:
    """All that a derived column reads, and the cycle where it reads itself."""
    found: set[ColumnKey] = set()
    stack = [(read, [key, read]) for read in checked[key].reads]
    while stack:
        read, path = stack.pop()
        if read == key:
            return found, path
        if read not in found:
            found.add(read)
            stack += [(deeper, [*path, deeper]) for deeper in (checked[read].reads if read in checked else ())]
    return found, []


def _depth(key: ColumnKey, checked: Derived) -> int:
    """How many derived columns stand one on the other beneath one; there is no cycle."""
    level, depth = {key}, 0
    while level and depth <= MOST_DERIVED_DEEP:
        level = {read for one in level if one in checked for read in checked[one].reads}
        depth += 1
    return depth


def _check_keys(schema: Schema, derived: Derived) -> list[Problem]:
    """A derived column is no key; one that refers to a lookup reads columns of its own table only, so that no join needs itself."""
    problems = [
        Problem("derived_key", f"{table.name}.{table.key} is derived; a key is stored.", path=_place(schema, (table.name, table.key)))
        for table in schema.model.tables
        if table.key is not None and (table.name, table.key) in derived
    ]
    for steps in schema.parents.values():
        for step in steps:
            key = (step.many, step.column)
            if key in derived and any(owner not in (step.many, schema.original(step.many)) for owner, _ in derived[key].inputs):
                problems.append(
                    Problem("derived_key", f"{step.many}.{step.column} refers to {step.one}, so it reads no other table.", path=_place(schema, key))
                )
    return problems


def _place(schema: Schema, key: ColumnKey) -> str:
    names = [table.name for table in schema.model.tables]
    index = names.index(schema.original(key[0]))
    columns = [column.name for column in schema.model.tables[index].columns]
    return f"tables[{index}].columns[{columns.index(key[1])}]"
