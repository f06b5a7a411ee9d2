"""SQL asked as a viewer: the statement read, asked as questions, and computed on their answers (channels.md 13)."""

import logging
from collections.abc import Mapping, Sequence
from typing import Any

import sqlglot
from sqlglot import exp
from sqlglot.dialects.postgres import Postgres
from sqlglot.errors import SqlglotError

from moorland.core.door.above import Result, computed, refuse_capped, refuse_unknown, table_of
from moorland.core.door.catalogue import Catalogue, catalogue_of
from moorland.core.door.errors import NOT_SUPPORTED, READ_ONLY, SYNTAX, SqlRefused
from moorland.core.door.translation import Base, Plan, Translation, refused_as
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Answer, Refusal, RowsAnswer
from moorland.core.people import Viewer
from moorland.core.price import step

# What is no SQL is told to whoever wrote it, not to the log.
logging.getLogger("sqlglot").setLevel(logging.ERROR)

#: A statement has at most so many signs, and nests at most so deep.
MOST_SIGNS = 200_000
MOST_DEPTH = 60
_WRITES = (exp.Insert, exp.Update, exp.Delete, exp.Create, exp.Drop, exp.Alter, exp.Merge, exp.TruncateTable, exp.Copy, exp.Grant)


class Door(Postgres):
    """SQL as clients write it; nulls come last either way unless something else is written (13.4)."""

    NULL_ORDERING = "nulls_are_last"


def ask_sql(evaluator: Evaluator, viewer: Viewer, text: str, parameters: Sequence[Any] = (), catalogue: Catalogue | None = None) -> Result:
    """What a statement gives a viewer. Raises SqlRefused."""
    return ask_planned(evaluator, viewer, planned(evaluator, viewer, text, parameters, catalogue))


def ask_planned(evaluator: Evaluator, viewer: Viewer, plan: Plan) -> Result:
    """What a statement that was read gives. Raises SqlRefused."""
    tables, notices, capped = {}, [], []
    for base in plan.bases:
        step()
        answer = evaluator.answer(viewer, base.question)
        if isinstance(answer, Refusal):
            raise refused_as(answer.error.code, answer.error.message)
        said = _capped(base, answer)
        if said is not None:
            notices.append(said)
            capped.append(said)
        tables[base.name] = table_of(base, answer)
    refuse_capped(plan, capped)
    return computed(plan, tables, notices)


def planned(evaluator: Evaluator, viewer: Viewer, text: str, parameters: Sequence[Any] = (), catalogue: Catalogue | None = None) -> Plan:
    """A statement as questions and what is computed on their answers. Raises SqlRefused."""
    statement = parsed(text)
    bound: Mapping[int, Any] = dict(enumerate(parameters, start=1))
    try:
        plan = Translation(evaluator, viewer, catalogue or catalogue_of(evaluator, viewer), bound).of(statement)
        refuse_unknown(plan)
    except RecursionError:
        raise SqlRefused("54001", "The statement nests deeper than can be read.") from None
    return plan


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
    return statement


def _capped(base: Base, answer: Answer) -> str | None:
    """What is said of rows of which not all that match are listed; None where all are, or no more were asked for."""
    if not isinstance(answer, RowsAnswer) or base.question.rows is None:
        return None
    asked, given = base.question.rows, len(answer.rows)
    wanted = max(answer.visible - asked.offset, 0)
    wanted = wanted if asked.limit is None else min(wanted, asked.limit)
    return f"{given:,} of {answer.visible:,} rows: this is what your roles list" if given < wanted else None


def _depth(text: str) -> int:
    """How deep brackets nest; those in texts count too, which does no harm."""
    depth = most = 0
    for sign in text:
        depth += (sign in "([") - (sign in ")]")
        most = max(most, depth)
    return most
