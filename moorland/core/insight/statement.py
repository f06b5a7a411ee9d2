"""Statements of access: what a person may see, and by whom a table or page may be seen, by which sentence and since when (semantics.md 11.6)."""

import datetime
from collections.abc import Iterator

import numpy as np
from pydantic import model_validator

from moorland.core.bundle.problems import BundleError, Problem, nearest_name
from moorland.core.bundle.shape import Name, Shape
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Refused
from moorland.core.engine.roles import CompiledRole
from moorland.core.engine.table_view import TableView, visible_table
from moorland.core.engine.through_strata import on_strata
from moorland.core.engine.visible import RoleRows, ViewerModel
from moorland.core.insight.holders import held_by
from moorland.core.insight.who import WhoQuestion, who
from moorland.core.insight.wording import said
from moorland.core.people import Viewer


class StatementQuestion(Shape):
    """Of whom, or of what: a person, a table of a model, or a page."""

    person: Name | None = None
    model: Name | None = None
    table: Name | None = None
    page: Name | None = None

    @model_validator(mode="after")
    def _one_thing(self) -> "StatementQuestion":
        if sum(item is not None for item in (self.person, self.table, self.page)) != 1 or (self.table is not None) != (self.model is not None):
            raise ValueError("a statement is of one thing: a person, a table with its model, or a page")
        return self


class StatementLine(Shape):
    """One way in which something may be seen. `since` is the day the role is mapped from; null where it is without one."""

    login: str
    name: str
    subject: str
    sees: str
    role: str
    label: str
    words: list[str]
    held_by: list[str]
    since: datetime.date | None
    until: datetime.date | None


class Statement(Shape):
    """What may be seen as of a day: title, and a line for each role by which it may. `limits` are roles that narrow what the lines say."""

    title: str
    as_of: datetime.date
    lines: list[StatementLine]
    limits: list[StatementLine]


@on_strata
def statement(evaluator: Evaluator, asked: StatementQuestion) -> Statement:
    """The statement. Raises BundleError for somebody or something that does not exist."""
    if asked.person is not None:
        viewer = evaluator.viewer(asked.person)
        title = f"What {viewer.name or asked.person} may see"
        lines = [*_tables_of(evaluator, [viewer]), *_pages_of(evaluator, viewer)] if viewer.enabled else []
        limits = list(_limits_of(evaluator, viewer)) if lines else []
        return Statement(title=title, as_of=evaluator.as_of, lines=lines, limits=limits)
    if asked.page is not None:
        page = next((item for item in evaluator.bundle.pages if item.name == asked.page), None)
        if page is None:
            raise BundleError([Problem("unknown_name", f"there is no page {asked.page}.", nearest=nearest_name(asked.page, []))])
        viewers = [viewer for viewer in evaluator.everyone() if evaluator.may_open(viewer, page.name)]
        lines = [line for viewer in viewers for line in _pages_of(evaluator, viewer, page.name)]
        return Statement(title=f"Who may open {page.title}", as_of=evaluator.as_of, lines=lines, limits=[])
    found = who(evaluator, WhoQuestion(model=asked.model, table=asked.table))
    viewers = [evaluator.viewer(person.login) for person in found.people]
    lines = list(_tables_of(evaluator, viewers, asked.model, asked.table))
    limits = [line for viewer in viewers for line in _limits_of(evaluator, viewer, asked.model)]
    title = evaluator.models[asked.model or ""].schema.tables[asked.table or ""].title
    return Statement(title=f"Who may see {title}", as_of=evaluator.as_of, lines=lines, limits=limits)


#: A role, what it is about, what is seen by it, and the sentences, for everybody who sees the same.
_Way = tuple[CompiledRole, str, str, list[str]]


def _tables_of(evaluator: Evaluator, viewers: list[Viewer], model: str | None = None, table: str | None = None) -> Iterator[StatementLine]:
    """Lines about tables, person by person; worked out once for those who see the same."""
    known = dict[object, list[_Way]]()
    for viewer in viewers:
        view = evaluator.view_of(viewer) if viewer.enabled else None
        if view not in known:
            known[view] = list(_ways(evaluator, viewer, model, table))
        yield from (_line(evaluator, viewer, role, subject, sees, words) for role, subject, sees, words in known[view])


def _ways(evaluator: Evaluator, viewer: Viewer, model: str | None, table: str | None) -> Iterator[_Way]:
    for name in evaluator.models:
        seen = _model(evaluator, viewer, name) if model in (None, name) else None
        if seen is None:
            continue
        for shape in seen.data.schema.tables.values():
            if shape.name in seen.objects.tables and table in (None, shape.name):
                yield from _table_of(seen, shape.name, shape.title)


def _model(evaluator: Evaluator, viewer: Viewer, name: str) -> ViewerModel | None:
    try:
        return evaluator.viewer_model(viewer, name)
    except Refused:
        return None


def _table_of(seen: ViewerModel, table: str, title: str) -> Iterator[_Way]:
    everything = seen.left_by_filters(table)
    of = seen.data.size(table) if everything is None else seen.data.counted(table, everything)
    for grant in visible_table(seen, table).grants:
        view = TableView(seen, table, [grant])
        rows = seen.data.counted(table, view.rows)
        if not rows:
            continue
        listed = "" if grant in seen.listing(table) else ", in totals only"
        sees = f"{rows:,} of {of:,} rows{listed}{_columns(view)}"
        yield grant.role, f"{seen.data.schema.model.title}: {title}", sees, _row_words(grant, table)


def _columns(view: TableView) -> str:
    """Columns that are masked or not there, in words; nothing where all are clear."""
    masked, absent = [], []
    places = np.flatnonzero(view.rows)
    for column in view.model.data.schema.tables[view.table].columns:
        states = set(view.names_in((view.table, column.name), places))
        if states == {"hidden"}:
            absent.append(column.title)
        elif states != {"clear"}:
            masked.append(column.title)
    told = [f"; masked: {', '.join(masked)}"] if masked else []
    return "".join([*told, f"; without {', '.join(absent)}" if absent else ""])


def _row_words(grant: RoleRows, table: str) -> list[str]:
    sentences = [rule.sentence for rule in grant.deciding(table)]
    sentences += [mask.sentence for mask in grant.role.masks if mask.column[0] == table]
    return [said(grant.role.role.sentences[place]) for place in sentences] or ["opens every row"]


def _pages_of(evaluator: Evaluator, viewer: Viewer, page: str | None = None) -> Iterator[StatementLine]:
    for item in evaluator.bundle.pages:
        if page not in (None, item.name) or not evaluator.may_open(viewer, item.name):
            continue
        for role in evaluator.held_roles(viewer):
            rules = [rule for rule in role.pages if "open" in rule.actions] if role.role.kind == "grant" else []
            if rules:
                yield _line(evaluator, viewer, role, f"page {item.title}", "opens", [said(role.role.sentences[rule.sentence]) for rule in rules])


def _limits_of(evaluator: Evaluator, viewer: Viewer, model: str | None = None) -> Iterator[StatementLine]:
    for role in evaluator.held_roles(viewer):
        if role.role.kind == "limit" and model in (None, role.role.model):
            words = [said(sentence) for _, sentence in role.role.acting]
            yield _line(evaluator, viewer, role, "everything above", "less what the limit takes away", words)


def _line(evaluator: Evaluator, viewer: Viewer, role: CompiledRole, subject: str, sees: str, words: list[str]) -> StatementLine:
    assignments = [assignment for assignment, _ in viewer.held[role.role.name].paths if assignment is not None]
    starts, ends = [item.from_ for item in assignments], [item.until for item in assignments]
    return StatementLine(
        login=viewer.login or "",
        name=viewer.name or viewer.login or "",
        subject=subject,
        sees=sees,
        role=role.role.name,
        label=role.role.title,
        words=words,
        held_by=held_by(evaluator, viewer, role.role.name),
        since=None if not starts or None in starts else min(day for day in starts if day is not None),
        until=None if not ends or None in ends else max(day for day in ends if day is not None),
    )


HEADING = ["login", "name", "subject", "sees", "role", "sentences", "held", "since", "until"]


def as_rows(told: Statement) -> list[list[str]]:
    """The statement as lines of a file, under a heading."""
    return [list(HEADING)] + [
        [
            line.login,
            line.name,
            line.subject,
            line.sees,
            line.label,
            "; ".join(line.words),
            "; ".join(line.held_by),
            line.since.isoformat() if line.since else "",
            line.until.isoformat() if line.until else "",
        ]
        for line in [*told.lines, *told.limits]
    ]
