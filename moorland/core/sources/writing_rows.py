"""Changes of rows written to a source: each row compared with what it was, all in one transaction or none (sources.md 18.7)."""

from collections.abc import Iterator, Sequence
from typing import Any

from sqlglot import exp

from moorland.core.engine.changes import RowChange
from moorland.core.language.sql import Parameters
from moorland.core.language.sql_parts import cast, is_null
from moorland.core.sources.tables_in_place import SqlTable

#: A statement with its bound values; it changes one row, or nothing of all is changed.
Statement = tuple[str, dict[str, Any]]


def statements(held: SqlTable, changes: Sequence[RowChange]) -> list[Statement]:
    """The statements that make some changes: names are identifiers, values are bound, and a row is found by all that was read of it."""
    return [_Writing(held).of(change) for change in changes]


class _Writing:
    def __init__(self, held: SqlTable) -> None:
        self.held, self.dialect = held, held.engine.dialect
        self.parameters = Parameters(self.dialect)

    def of(self, change: RowChange) -> Statement:
        made: exp.Expression
        if change.old is None:
            made = self._insert(change.new or {})
        elif change.new is None:
            made = exp.Delete(this=self.held.relation_named(), where=self._as_it_was(change.old))
        else:
            sets = [exp.EQ(this=exp.column(name, quoted=True), expression=self._bound(name, value)) for name, value in change.new.items()]
            made = exp.Update(this=self.held.relation_named(), expressions=sets, where=self._as_it_was(change.old))
        return made.sql(dialect=self.dialect.name), self.parameters.values

    def _insert(self, new: dict[str, Any]) -> exp.Expression:
        columns = [exp.to_identifier(name, quoted=True) for name in new]
        values = exp.Tuple(expressions=[self._bound(name, value) for name, value in new.items()])
        return exp.Insert(this=exp.Schema(this=self.held.relation_named(), expressions=columns), expression=exp.Values(expressions=[values]))

    def _as_it_was(self, old: dict[str, Any]) -> exp.Expression:
        """That every cell is what was read of it; null where it was null."""
        return exp.Where(this=exp.and_(*self._compared(old)))

    def _compared(self, old: dict[str, Any]) -> Iterator[exp.Expression]:
        for name, value in old.items():
            own = self.held.read_value(name)
            yield is_null(own) if value is None else exp.EQ(this=own, expression=self._bound(name, value))

    def _bound(self, name: str, value: Any) -> exp.Expression:
        """A value of a column, in its type where the engine tells types apart."""
        if value is None:
            return exp.Null()
        bound = self.parameters.bind(value)
        return bound if self.dialect.name == "sqlite" else cast(bound, self.dialect.types[self.held.type_of(name)])
