"""Questions answered by a database that holds the tables, in the SQL Moorland writes for it: one more way to ask the same (channels.md, parity)."""

import sqlite3
from typing import TYPE_CHECKING, Any

from moorland.core.engine.cells import json_values
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.pushdown import Statement
from moorland.core.engine.questions import Refused
from moorland.core.language.dialects import DIALECTS, Dialect
from moorland.core.language.sql_parts import NotInSql

if TYPE_CHECKING:
    from moorland.core.door.parity import Case

#: As many viewers are asked this way: those who see otherwise first, by their roles.
MOST_VIEWERS = 6


class PushedDown:
    """The tables of an evaluator in SQLite, filled when the first question needs them."""

    def __init__(self, evaluator: Evaluator) -> None:
        self._evaluator = evaluator
        self._databases: dict[str, sqlite3.Connection] = {}
        self._roles: dict[tuple[str, ...], str | None] = {}

    def __call__(self, case: "Case", expected: Any) -> Any:
        """The rows the database gives; None where SQL does not answer the question yet, or enough viewers were asked."""
        if isinstance(expected, str) or expected is None or not self._is_asked(case):
            return None
        # Which rows of many are listed first is told by the key; without one, each way has an order of its own.
        if case.question.rows is not None and case.relation.key is None:
            return None
        model = case.relation.schema
        # Where tables stay in an engine already, that engine is asked by every other way; and one database is filled, not one for each content.
        if self._evaluator.choosing.get(model) or self._evaluator.data(model).left:
            return None
        dialect = DIALECTS["sqlite"]
        try:
            made = self._evaluator.sql(case.viewer, case.question, dialect)
        except (NotInSql, Refused):
            return None
        database = self._database(model, dialect, made)
        given = [(statement, database.execute(statement.sql, statement.parameters).fetchall()) for statement in made]
        if case.question.rows is not None:
            kinds = {field.name: field.type for field in case.relation.fields}
            texts = [kinds.get(name) == "text" for name in list(kinds)[: len(expected[0])]] if expected else []
            return [[str(value) if is_text and value is not None else value for value, is_text in zip(row, texts, strict=True)] for row in _rows(given)]
        return _lines(case, expected, given)

    def _is_asked(self, case: "Case") -> bool:
        roles = tuple(case.viewer.held)
        if roles not in self._roles and len(self._roles) < MOST_VIEWERS:
            self._roles[roles] = case.viewer.login
        return self._roles.get(roles) == case.viewer.login

    def _database(self, model: str, dialect: Dialect, made: list[Statement]) -> sqlite3.Connection:
        if model not in self._databases:
            self._databases[model] = filled(self._evaluator, model, dialect)
        database = self._databases[model]
        for place in sorted({place for statement in made for place in statement.looks_up}):
            table, _, column = place.partition(".")
            # Names of the model, in quotes.
            database.execute(f"CREATE INDEX IF NOT EXISTS {_quoted(place)} ON {_quoted(table)} ({_quoted(column)})")
        return database


def filled(evaluator: Evaluator, model: str, dialect: Dialect) -> sqlite3.Connection:
    """The tables of a model as they were brought in, in a database in memory."""
    database = sqlite3.connect(":memory:", check_same_thread=False)
    data = evaluator.data(model)
    for table in data.schema.model.tables:
        if table.alias_of is not None:
            continue
        columns = [column for column in table.columns if not column.derived]
        shape = ", ".join(f"{_quoted(column.name)} {dialect.types[column.type]}" for column in columns)
        database.execute(f"CREATE TABLE {_quoted(table.name)} ({shape})")
        values = []
        for column in columns:
            stored = data.stored(table.name, column.name)
            index = stored.codes[:-1] if stored.codes is not None else slice(0, data.rows(table.name))
            plain = json_values(stored.values[index], stored.known[index])
            values.append([value.replace("T", " ") if isinstance(value, str) and column.type == "timestamp" else value for value in plain])
        marks = ", ".join("?" * len(columns))
        # Names of the model, in quotes; the values are bound.
        database.executemany(f"INSERT INTO {_quoted(table.name)} VALUES ({marks})", zip(*values, strict=True))  # noqa: S608
    return database


def _rows(given: list[tuple[Statement, list[Any]]]) -> list[list[Any]]:
    return [list(row) for statement, rows in given if statement.gives == "rows" for row in rows]


def _lines(case: "Case", expected: list[list[Any]], given: list[tuple[Statement, list[Any]]]) -> list[list[Any]]:
    """Lines of totals put together from one statement for each measure; a line the database has not is one of nothing."""
    asked = case.question.totals
    assert asked is not None
    width = len(asked.by)
    found = [[*line[:width], *([None] * len(asked.measures))] for line in expected]
    places = {tuple(map(str, line[:width])): number for number, line in enumerate(expected)}
    for statement, rows in given:
        if statement.depth != width or statement.measure is None:
            continue
        place = width + asked.measures.index(statement.measure)
        for line, wanted in zip(found, expected, strict=True):
            line[place] = wanted[place] if wanted[place] in (None, 0) else None
        for row in rows:
            number = places.get(tuple(map(str, row[:width])))
            if number is None:
                found.append([*row[:width], *([None] * len(asked.measures))])
                number = len(found) - 1
            found[number][place] = row[width]
    return found


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'
