"""What is told to who may look at shapes only: counts, states and verdicts; never a value, a key, a literal or an order (accounts.md 3)."""

import hashlib
from typing import assert_never

from django.conf import settings

from moorland.core.engine.questions import (
    Answer,
    ChangeAnswer,
    Line,
    Member,
    MembersAnswer,
    ObjectsAnswer,
    PagesAnswer,
    Question,
    Refusal,
    RowsAnswer,
    TotalsAnswer,
    TotalsQuestion,
)
from moorland.core.insight.effect import AlignedQuestion, AlignedRow, AlignedRows
from moorland.core.insight.statement import Statement, StatementLine
from moorland.core.insight.trace import Trace, Traced, TraceLayer
from moorland.core.insight.verdict import Verdict
from moorland.core.insight.who import WhoQuestion
from moorland.server.viewing.looking import needs_values

#: Stands for a value that is not told.
UNTOLD = "…"
_TOLD = {"passes": "It passes.", "masked": "It is shown masked.", "stops": "It stops here."}


def refuse_questions(questions: list[Question]) -> None:
    """Raises Failure for questions that narrow or order by values, or try a change: what comes back would tell values."""
    for question in questions:
        rows, totals = question.rows, question.totals
        if question.change is not None or (rows is not None and (rows.where or rows.order)) or (totals is not None and _tells(totals)):
            raise needs_values()


def refuse_aligned(asked: AlignedQuestion) -> None:
    """The same for rows set side by side."""
    if asked.where or asked.order or asked.only != "all":
        raise needs_values()


def refuse_effect(rows: AlignedQuestion | None, totals: TotalsQuestion | None) -> None:
    """The same for the effect of an edit."""
    if rows is not None:
        refuse_aligned(rows)
    if totals is not None and _tells(totals):
        raise needs_values()


def _tells(totals: TotalsQuestion) -> bool:
    """Whether the lines of totals tell values by which they are, or by their order: narrowed, ordered, cut, or by expressions of the asker."""
    return bool(totals.where or totals.made or totals.order or totals.offset) or totals.limit is not None


def refuse_traced(asked: Traced) -> None:
    """A row is named by a value, and so is a line of totals."""
    if asked.table is not None or asked.key or asked.where or asked.change is not None:
        raise needs_values()


def refuse_who(asked: WhoQuestion) -> None:
    """Rows, members and lines are named by values."""
    if asked.row is not None or asked.where or asked.path or asked.key:
        raise needs_values()


def shapes_of(answer: Answer) -> Answer:
    """An answer without its values."""
    match answer:
        case RowsAnswer():
            states = sorted(answer.states, key=_hidden_order)
            return RowsAnswer(columns=answer.columns, visible=answer.visible, rows=[[_told(state) for state in row] for row in states], states=states)
        case TotalsAnswer():
            depths = sorted(line.depth or 0 for line in answer.lines)
            nothing = [None for _ in answer.measures]
            lines = [Line(key=[UNTOLD for _ in answer.by], values=nothing, depth=depth or None) for depth in depths]
            return TotalsAnswer(
                by=answer.by, measures=answer.measures, lines=lines, total=nothing, basis=answer.basis, not_found=answer.not_found, withheld=[], kept_out=None
            )
        case MembersAnswer():
            return MembersAnswer(members=[Member(path=[UNTOLD] * depth, rows=0) for depth in sorted(len(member.path) for member in answer.members)])
        case Refusal() | ObjectsAnswer() | PagesAnswer():
            return answer
        case ChangeAnswer():
            return ChangeAnswer(meant=0, allowed=0, refused=0)
        case _:
            assert_never(answer)


def shapes_of_rows(rows: AlignedRows) -> AlignedRows:
    """Rows side by side as their states, in an order that tells nothing."""
    bare = [
        AlignedRow(
            row=0,
            values=[UNTOLD for _ in row.values],
            states=row.states,
            shown=[None if states is None else [_told(state) for state in states] for states in row.states],
        )
        for row in rows.rows
    ]
    numbered = [row.model_copy(update={"row": place}) for place, row in enumerate(sorted(bare, key=lambda row: _hidden_order(row.states)))]
    return rows.model_copy(update={"rows": numbered})


def shapes_of_trace(trace: Trace) -> Trace:
    """Layers and verdicts, and which role and sentence says so; no words of them."""
    return trace.model_copy(update={"layers": [_bare(layer) for layer in trace.layers]})


def _bare(layer: TraceLayer) -> TraceLayer:
    reasons = [reason.model_copy(update={"message": _TOLD["passes" if reason.passes else "stops"], "compared": [], "held_by": []}) for reason in layer.reasons]
    return TraceLayer(layer=layer.layer, verdict=layer.verdict, message=_TOLD[layer.verdict], reasons=reasons)


def shapes_of_verdict(verdict: Verdict, trace: Trace) -> Verdict:
    """Which layer decides, and by which role and sentence."""
    leads = {"can": "It can be seen.", "masked": "It can be seen masked.", "cannot": "It cannot be seen."}
    return verdict.model_copy(update={"message": f"{leads[trace.outcome]} The layer that decides: {verdict.layer}."})


def shapes_of_statement(statement: Statement) -> Statement:
    """Counts and roles; what the sentences say reads …."""

    def bare(line: StatementLine) -> StatementLine:
        return line.model_copy(update={"words": ["…" for _ in line.words], "held_by": ["…" for _ in line.held_by]})

    return statement.model_copy(update={"lines": [bare(line) for line in statement.lines], "limits": [bare(line) for line in statement.limits]})


def _told(state: str) -> str | None:
    """What stands in a cell: something, or nothing where it is hidden."""
    return None if state == "hidden" else UNTOLD


def _hidden_order(states: object) -> bytes:
    """An order by a keyed hash: the order rows come in tells nothing of what is in them."""
    return hashlib.blake2b(repr(states).encode(), key=str(settings.SECRET_KEY).encode()[:64], digest_size=16).digest()
