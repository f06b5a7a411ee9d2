"""SQL asked as a viewer: the statement read, asked as questions, and computed on their answers (channels.md 13)."""

from collections.abc import Mapping, Sequence
from typing import Any

import pyarrow as pa

from moorland.core.door.above import Result, computed, refuse_capped, refuse_unknown, table_of
from moorland.core.door.catalogue import Catalogue, catalogue_of
from moorland.core.door.errors import SqlRefused, refused_as
from moorland.core.door.reading import parsed
from moorland.core.door.translation import Plan, Translation
from moorland.core.engine.columns import ARROW_TYPES
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.listing import ListedRows
from moorland.core.engine.questions import Refusal, RowsQuestion, TotalsAnswer
from moorland.core.people import Viewer
from moorland.core.price import step


def ask_sql(evaluator: Evaluator, viewer: Viewer, text: str, parameters: Sequence[Any] = (), catalogue: Catalogue | None = None) -> Result:
    """What a statement gives a viewer. Raises SqlRefused."""
    return ask_planned(evaluator, viewer, planned(evaluator, viewer, text, parameters, catalogue))


def ask_planned(evaluator: Evaluator, viewer: Viewer, plan: Plan, export: bool = False) -> Result:
    """What a statement that was read gives; with `export`, of the rows that may be exported. Raises SqlRefused."""
    tables, notices, capped = {}, [], []
    for base in plan.bases:
        step()
        rows = base.question.rows
        answer = evaluator.listed(viewer, rows, export) if rows is not None else evaluator.answer(viewer, base.question)
        if isinstance(answer, Refusal):
            raise refused_as(answer.error.code, answer.error.message)
        assert isinstance(answer, ListedRows | TotalsAnswer)
        if export and isinstance(answer, ListedRows) and not answer.view.grants:
            raise SqlRefused("42501", "Your roles let no rows of this relation be exported.", "Copy totals, or list the rows with SELECT.")
        said = _capped(rows, answer) if rows is not None and isinstance(answer, ListedRows) else None
        if said is not None:
            notices.append(said)
            capped.append(said)
        tables[base.name] = table_of(base, answer)
    refuse_capped(plan, capped)
    return computed(plan, tables, notices)


def described(plan: Plan) -> Result:
    """The names and types of what a statement gives, without asking anything; it has no rows. Raises SqlRefused."""
    empty = {base.name: pa.table({column.name: pa.array([], ARROW_TYPES[column.type]) for column in base.columns}) for base in plan.bases}
    return computed(plan, empty, [])


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


def _capped(asked: RowsQuestion, answer: ListedRows) -> str | None:
    """What is said of rows of which not all that match are listed; None where all are, or no more were asked for."""
    given = len(answer.rows)
    wanted = max(answer.visible - asked.offset, 0)
    wanted = wanted if asked.limit is None else min(wanted, asked.limit)
    return f"{given:,} of {answer.visible:,} rows: this is what your roles list" if given < wanted else None
