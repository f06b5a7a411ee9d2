"""Measures: checked trees in which other measures stand written out, and what they read (semantics.md 3.6, 4.7)."""

from dataclasses import dataclass, replace

from moorland.core.bundle.schema import Schema
from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_expression, check_parsed
from moorland.core.language.derived import Derived, with_inputs
from moorland.core.language.errors import ConditionError

#: So many measures may stand one inside the other.
MOST_MEASURES_DEEP = 30
#: With every measure written out, a measure has at most so many signs.
MOST_WRITTEN_OUT = 20_000


@dataclass(frozen=True)
class CheckedMeasure:
    """A measure ready to evaluate; `inputs` are its columns, down to stored ones, and `tables` those of its aggregates and columns (3.6)."""

    name: str
    table: str
    tree: tree.Node
    inputs: frozenset[tuple[str, str]]
    tables: frozenset[str]
    #: Written in a question, not in the model: rows count as under `totals: own`, and `full` counts as `no` (5.6, 7.8).
    made: bool = False


def check_measure(schema: Schema, name: str, derived: Derived, expression: str | None = None, table: str | None = None) -> CheckedMeasure:
    """The measure of that name, or the same with another expression and table while it is edited.

    Raises ConditionError: unknown names, types, a column outside an aggregate, a cycle of measures.
    """
    measure = schema.measures.get(name)
    text = expression if expression is not None else measure.expression if measure else ""
    own_table = table or (measure.table if measure else "")
    checked = _written_out(schema, name, text, own_table, (), [0])
    return _measured(checked, name, own_table, derived, len(text))


def check_made(schema: Schema, name: str, derived: Derived, parsed: tree.Node, table: str, columns: frozenset[tuple[str, str]]) -> CheckedMeasure:
    """A measure written in a question over the columns that exist for the asker (7.8). Raises ConditionError."""

    def other(node: tree.MeasureRef) -> tree.Node:
        measure = schema.measures[node.name]
        return _written_out(schema, measure.name, measure.expression, measure.table, (name,), [0])

    checked = check_parsed(parsed, Scope(schema=schema, table=table, viewer=False, aggregates=True, columns=columns, measure=other))
    return replace(_measured(checked, name, table, derived, parsed.end), made=True)


def _measured(checked: tree.Node, name: str, table: str, derived: Derived, length: int) -> CheckedMeasure:
    """A measure from its checked tree. Raises ConditionError where it has no aggregate."""
    columns = with_inputs(tree.columns_read(checked), derived)
    aggregates = [node for node in checked.walk() if isinstance(node, tree.Aggregate)]
    if not aggregates:
        raise ConditionError("aggregate", "a measure has at least one of SUM, AVG, MIN, MAX, COUNT.", 0, length)
    tables = {table, *(node.table for node in aggregates), *(owner for owner, _ in columns)}
    return CheckedMeasure(name, table, checked, columns, frozenset(tables))


def _written_out(schema: Schema, name: str, text: str, table: str, above: tuple[str, ...], written: list[int]) -> tree.Node:
    """The checked tree of a measure, other measures written out in place of their names; `written` holds how many signs that took so far."""

    def other(node: tree.MeasureRef) -> tree.Node:
        if node.name in (*above, name):
            cycle = " → ".join([*above, name, node.name])
            raise ConditionError("cycle", f"the measures form a cycle: {cycle}.", node.start, node.end)
        if len(above) >= MOST_MEASURES_DEEP:
            raise ConditionError("nested", f"measures build on one another more than {MOST_MEASURES_DEEP} deep.", node.start, node.end)
        named = schema.measures[node.name]
        written[0] += len(named.expression)
        if written[0] > MOST_WRITTEN_OUT:
            message = f"with the measures it builds on written out, this is longer than {MOST_WRITTEN_OUT:,} signs."
            raise ConditionError("nested", message, node.start, node.end)
        return _written_out(schema, named.name, named.expression, named.table, (*above, name), written)

    return check_expression(text, Scope(schema=schema, table=table, viewer=False, aggregates=True, measure=other))
