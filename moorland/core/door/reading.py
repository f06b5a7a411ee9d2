"""A statement as it is read: how SQL is written here, and what is no query that can be asked (channels.md 13.6)."""

import logging

import sqlglot
from sqlglot import exp
from sqlglot.dialects.postgres import Postgres
from sqlglot.errors import SqlglotError

from moorland.core.door.errors import NOT_SUPPORTED, READ_ONLY, SYNTAX, SqlRefused

# What is no SQL is told to whoever wrote it, not to the log.
logging.getLogger("sqlglot").setLevel(logging.ERROR)

#: A statement has at most so many signs, and nests at most so deep.
MOST_SIGNS = 200_000
MOST_DEPTH = 60
_WRITES = (exp.Insert, exp.Update, exp.Delete, exp.Create, exp.Drop, exp.Alter, exp.Merge, exp.TruncateTable, exp.Copy, exp.Grant)


class Door(Postgres):
    """SQL as clients write it; nulls come last either way unless something else is written (13.4)."""

    NULL_ORDERING = "nulls_are_last"


def parsed(text: str) -> exp.Query:
    """The one query of a statement. Raises SqlRefused for what is none."""
    if len(text) > MOST_SIGNS:
        raise SqlRefused("54000", f"A statement has at most {MOST_SIGNS:,} signs.")
    if _depth(text) > MOST_DEPTH:
        raise SqlRefused("54001", f"The statement nests more than {MOST_DEPTH} deep.")
    try:
        found = [item for item in sqlglot.parse(text, dialect=Door) if item is not None]
    except SqlglotError as error:
        details = getattr(error, "errors", None) or [{}]
        place = details[0].get("start_context")
        raise SqlRefused(
            SYNTAX, f"syntax error: {details[0].get('description') or 'this is not SQL'}", position=len(place) if place is not None else None
        ) from None
    except (RecursionError, ValueError):
        raise SqlRefused(SYNTAX, "syntax error: this is not SQL") from None
    if len(found) != 1:
        raise SqlRefused(SYNTAX, "cannot insert multiple commands into a prepared statement" if found else "the statement is empty")
    statement = found[0]
    if isinstance(statement, _WRITES) or any(isinstance(node, _WRITES) for node in statement.walk()):
        raise SqlRefused(READ_ONLY, "This door answers questions and changes nothing.", "Use SELECT.")
    if not isinstance(statement, exp.Query) or isinstance(statement, exp.Subquery | exp.Table):
        raise SqlRefused(NOT_SUPPORTED, "Only SELECT is answered here.")
    return with_plain_negations(statement)


def with_plain_negations(statement: exp.Query) -> exp.Query:
    """A statement in which NOT stands around what it negates, never as a mark on it."""
    for node in list(statement.walk()):
        if node.args.get("negate"):
            inner = node.copy()
            inner.set("negate", None)
            node.replace(exp.Not(this=exp.Paren(this=inner)))
    return statement


def _depth(text: str) -> int:
    """How deep brackets nest; those in texts count too, which does no harm."""
    depth = most = 0
    for sign in text:
        depth += (sign in "([") - (sign in ")]")
        most = max(most, depth)
    return most
