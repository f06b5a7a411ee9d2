"""Pages as somebody sees them: exhibits answered and narrowed, rows beneath a number, and exports within the rules (semantics.md 5.7, 7.1, 10)."""

import json
from dataclasses import dataclass
from typing import Any, Literal, TypeVar

from pydantic import RootModel

from moorland.core.bundle.model import Display
from moorland.core.bundle.pages import Exhibit, Page
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.objects import NOTHING
from moorland.core.engine.opening import OnPage
from moorland.core.engine.questions import Answer, Question, Refusal, Refused, RowsAnswer, RowsQuestion, TotalsAnswer, TotalsQuestion
from moorland.core.insight.exhibits import exhibit_question, exhibit_tables, margin_questions, missing_for
from moorland.core.insight.named_values import exist_for
from moorland.core.language.writing import all_of_text, column_text, one_of_text
from moorland.core.people import Viewer
from moorland.server.errors import Failure, missing
from moorland.server.viewing.kept_answers import keep_answer, kept_answer
from moorland.server.viewing.page_shapes import BeneathRequest, ExhibitAnswer, ExportRequest, FilterChoice, MeasureLabel, MyLook, PageAnswer, PageFilter
from moorland.server.viewing.service import for_viewers_channel, without_states

Asking = TypeVar("Asking", MyLook, BeneathRequest, ExportRequest)
#: So many values are offered to narrow a page by.
MOST_CHOICES = 500
#: So long may all values of a page's filters be together.
MOST_FILTER_SIGNS = 150_000


@dataclass(frozen=True)
class LookedAt:
    """A page and where it comes from: a release, the viewer's own hand, or another reader's (10.4)."""

    page: Page
    made_by: Literal["release", "viewer", "reader"] = "release"
    #: The version of a reader's page: answers of it are kept under it.
    version: int = 0

    def allows(self, base: Evaluator, viewer: Viewer, action: OnPage) -> bool:
        """Whether the viewer may do something on it."""
        return base.may(viewer, action, self.page, own=self.made_by == "viewer")


def page_as_seen(base: Evaluator, viewer: Viewer, looked_at: LookedAt, filters: list[PageFilter], own: bool = False) -> PageAnswer:
    """The page with the answer of each exhibit; one that answers not found, or with no measure left, is unavailable (10.3).

    With `own`, for viewers themselves, the page closes up where an exhibit is unavailable, or keeps its place without its title, because a
    title can name what is withheld; otherwise it says what it needs. Raises Failure (404) for a filter over a column that does not exist
    for the viewer.
    """
    page, seen = looked_at.page, _Seen(base, viewer, looked_at, filters, own)
    exhibits = [seen.exhibit(exhibit, place) for place, exhibit in enumerate(page.exhibits)]
    if own:
        exhibits = [entry for entry, exhibit in zip(exhibits, page.exhibits, strict=True) if _keeps_its_place(exhibit, entry)]
    shown = {name for entry in exhibits if entry.totals for name in entry.totals.measures}
    return PageAnswer(
        name=page.name,
        label=page.title,
        shelf=page.shelf,
        exhibits=exhibits,
        measures=seen.labels(shown),
        columns=seen.displays(),
        filters=[choice for written in page.filters if (choice := seen.choices(page, written))],
        may_export=looked_at.allows(base, viewer, "export"),
    )


def _keeps_its_place(exhibit: Exhibit, entry: ExhibitAnswer) -> bool:
    return exhibit.absent == "keep" or entry.rows is not None or entry.totals is not None or entry.reason is not None


def places_of_exhibits(base: Evaluator, viewer: Viewer, looked_at: LookedAt) -> list[int]:
    """For each exhibit a reader is shown its place on the page: what a reader counts are those only (10.3)."""
    seen = _Seen(base, viewer, looked_at, [], own=True)
    return [place for place, exhibit in enumerate(looked_at.page.exhibits) if _keeps_its_place(exhibit, seen.exhibit(exhibit, place))]


class _Seen:
    """The exhibits of one page for one viewer, under the filters chosen."""

    def __init__(self, base: Evaluator, viewer: Viewer, looked_at: LookedAt, filters: list[PageFilter], own: bool) -> None:
        self.base, self.viewer, self.model, self.own = base, viewer, looked_at.page.model or "", own
        self._of_reader = looked_at.made_by == "reader"
        self._compiled = base.models.get(self.model)
        try:
            self.seen = base.viewer_model(viewer, self.model)
            self.objects = self.seen.objects
        except Refused:
            self.objects = NOTHING
        if sum(len(str(value)) + 4 for item in filters for value in item.values) > MOST_FILTER_SIGNS:
            raise Failure(422, "too_large", "These filters name more values than one question can. Choose fewer, or narrow by a coarser column.")
        self._filters = [(_column(item.column), item.values, item.from_exhibit) for item in filters]
        for key, _, _ in self._filters:
            if key not in self.objects.columns:
                raise missing("column", ".".join(key))

    def exhibit(self, exhibit: Exhibit, place: int | None = None) -> ExhibitAnswer:
        """One exhibit with its answer; what was selected in it does not narrow it."""
        tables = self.tables(exhibit)
        if not self.acts(exhibit):
            return ExhibitAnswer(exhibit=Exhibit(title="Not available", kind=exhibit.kind, width=exhibit.width))
        narrowed = [".".join(key) for key, _, chosen_in in self._filters if self.reaches(tables, key[0]) and (place is None or chosen_in != place)]
        where = all_of_text([exhibit.where, *self.narrowing(tables, place)])
        asked = exhibit.model_copy(update={"where": where})
        answer = self._answered(exhibit_question(self.model, asked))
        if isinstance(answer, RowsAnswer):
            return ExhibitAnswer(exhibit=self.shown(exhibit), rows=without_states(answer), narrowed=narrowed, tables=tables)
        if isinstance(answer, TotalsAnswer) and len(answer.not_found) < len(set(answer.measures)):
            kept = [index for index, name in enumerate(answer.measures) if name not in answer.not_found]
            shown = self.shown(exhibit).model_copy(update={"measures": [exhibit.measures[index] for index in kept]})
            lists = [table for table in tables if table in self.objects.tables and self.seen.listing(table)]
            margins = [_only(one, kept) for question in margin_questions(self.model, asked) if isinstance(one := self._answered(question), TotalsAnswer)]
            return ExhibitAnswer(exhibit=shown, totals=_only(answer, kept), margins=margins, narrowed=narrowed, tables=lists)
        if isinstance(answer, Refusal) and answer.error.code == "too_costly":
            return ExhibitAnswer(exhibit=Exhibit(title="Too much for one answer", kind=exhibit.kind, width=exhibit.width), reason=answer.error.message)
        plain = Exhibit(title="Not available" if self.own else exhibit.title, kind=exhibit.kind, width=exhibit.width)
        return ExhibitAnswer(exhibit=plain, reason=None if self.own else self.reason(exhibit, answer))

    def acts(self, exhibit: Exhibit) -> bool:
        """Whether the exhibit's filter acts for this viewer: what another reader named in it has to exist for them (10.4)."""
        return not (self._of_reader and exhibit.where) or exist_for(self.base, self.viewer, self.model, exhibit)

    def _answered(self, question: Question) -> Answer:
        answer = self.base.answer(self.viewer, question)
        return for_viewers_channel(answer) if self.own else answer

    def reason(self, exhibit: Exhibit, answer: Any) -> str:
        """Why an exhibit is unavailable, for administrators."""
        if self._compiled is None:
            return f"There is no model {self.model}." if self.model else "The page has no model yet."
        if not self.objects.tables:
            return f"No grant role on {self._compiled.schema.model.title} is held: the model does not exist for this viewer."
        needs = missing_for(self.base, self.model, exhibit, self.objects)
        if needs:
            return f"Absent for this viewer: {', '.join(dict.fromkeys(needs))}."
        if isinstance(answer, TotalsAnswer):
            return "No single grant role opens all that it reads; roles never lend columns to one another."
        return getattr(getattr(answer, "error", None), "message", "It cannot be answered.")

    def tables(self, exhibit: Exhibit) -> list[str]:
        """The tables whose rows an exhibit lists or counts."""
        return exhibit_tables(self.base, self.model, exhibit)

    def reaches(self, tables: list[str], owner: str) -> bool:
        """Whether every one of the tables has the columns of another."""
        schema = self._compiled.schema if self._compiled else None
        return bool(tables) and schema is not None and all(schema.reaches(table, owner) for table in tables)

    def narrowing(self, tables: list[str], place: int | None = None) -> list[str]:
        """The conditions of the filters that reach these tables, but for what was selected in the exhibit at a place."""
        return [
            self.condition(key, values) for key, values, chosen_in in self._filters if self.reaches(tables, key[0]) and (place is None or chosen_in != place)
        ]

    def condition(self, key: tuple[str, str], values: list[Any]) -> str:
        """That a column is one of some values. Raises Failure (422) for a value of another type."""
        assert self._compiled is not None
        try:
            return one_of_text(column_text(*key), values, self._compiled.schema.columns[key].type)
        except (ValueError, TypeError) as error:
            raise Failure(422, "invalid", f"{'.'.join(key)} cannot be narrowed so: {error}.") from None

    def choices(self, page: Page, written: str) -> FilterChoice | None:
        """The values a page can be narrowed by: those in rows that count on it, of cells shown in clear; None where the column does not exist."""
        key = _column(written)
        if self._compiled is None or key not in self.objects.columns:
            return None
        measures = [name for exhibit in page.exhibits for name in exhibit.measures if self.reaches(self.tables(exhibit), key[0])]
        where = f"{column_text(*key)} IS NOT NULL"
        question = TotalsQuestion(model=self.model, by=[written], measures=list(dict.fromkeys(measures))[:10], where=where)
        answer = self.base.answer(self.viewer, Question(totals=question)) if measures else None
        if isinstance(answer, TotalsAnswer):
            values = [line.key[0] for line in answer.lines]
        else:
            tables = [exhibit.table for exhibit in page.exhibits if exhibit.table and self.reaches([exhibit.table], key[0])]
            rows = (
                self.base.answer(self.viewer, Question(rows=RowsQuestion(model=self.model, table=tables[0], columns=[written], where=where)))
                if tables
                else None
            )
            values = sorted({row[0] for row in rows.rows}, key=str) if isinstance(rows, RowsAnswer) else []
        column = self._compiled.schema.columns[key]
        return FilterChoice(
            column=written, label=column.label or column.name.replace("_", " "), type=column.type, values=values[:MOST_CHOICES], more=len(values) > MOST_CHOICES
        )

    def labels(self, names: set[str]) -> dict[str, MeasureLabel]:
        """How measures are called and shown."""
        measures = self._compiled.schema.measures if self._compiled else {}
        return {name: MeasureLabel(label=measure.title, format=measure.format) for name, measure in measures.items() if name in names}

    def displays(self) -> dict[str, Display]:
        """How columns are shown in rows, of those that exist for the viewer."""
        columns = self._compiled.schema.columns if self._compiled else {}
        return {".".join(key): display for key in sorted(self.objects.columns) if key in columns and (display := columns[key].display) is not None}

    def shown(self, exhibit: Exhibit) -> Exhibit:
        """The exhibit as it is sent: a viewer is not sent the text of its filter."""
        return exhibit.model_copy(update={"where": None}) if self.own else exhibit


def one_exhibit(base: Evaluator, viewer: Viewer, model: str, exhibit: Exhibit, own: bool = False) -> tuple[ExhibitAnswer, dict[str, MeasureLabel]]:
    """An exhibit that is being written, as a viewer sees it; with `own` as the writer does."""
    seen = _Seen(base, viewer, LookedAt(Page(name="page", shelf="shelf", model=model)), [], own)
    return seen.exhibit(exhibit), seen.labels(set(exhibit.measures))


def rows_beneath(base: Evaluator, viewer: Viewer, looked_at: LookedAt, asked: BeneathRequest, own: bool, export: bool = False) -> RowsAnswer:
    """The rows under one number of a page, under the same filters; with `export`, those that may be exported.

    Raises Failure (404) where the exhibit, or its table, does not exist for the viewer.
    """
    page, seen = looked_at.page, _Seen(base, viewer, looked_at, asked.filters, own)
    if asked.exhibit >= len(page.exhibits) or not seen.acts(page.exhibits[asked.exhibit]):
        raise missing("exhibit", str(asked.exhibit + 1))
    exhibit = page.exhibits[asked.exhibit]
    exhibit = exhibit.model_copy(update={"measures": [name for name in exhibit.measures if name in seen.objects.measures]})
    tables = seen.tables(exhibit)
    table = asked.table if asked.table in tables else tables[0] if tables else ""
    if table not in seen.objects.tables:
        raise missing("exhibit", str(asked.exhibit + 1))
    question = exhibit_question(page.model or "", exhibit)
    by = question.totals.by if question.totals else []
    if len(asked.key) > len(by):
        raise Failure(422, "invalid", "There are more values than the exhibit has columns.")
    keys = [_column(name) for name in by[: len(asked.key)]]
    if any(key not in seen.objects.columns for key in keys):
        raise missing("exhibit", str(asked.exhibit + 1))
    where = all_of_text([exhibit.where, *seen.narrowing([table]), *(seen.condition(key, [value]) for key, value in zip(keys, asked.key, strict=True))])
    columns = exhibit.columns if exhibit.kind == "list" and exhibit.columns else None
    rows = RowsQuestion(
        model=page.model or "", table=table, columns=columns, where=where, order=exhibit.order if columns else [], limit=asked.limit, offset=asked.offset
    )
    answer = base.exported_rows(viewer, rows) if export else base.answer(viewer, Question(rows=rows))
    if not isinstance(answer, RowsAnswer):
        raise missing("exhibit", str(asked.exhibit + 1))
    return without_states(answer) if own else answer


def exported_exhibit(base: Evaluator, viewer: Viewer, looked_at: LookedAt, asked: BeneathRequest) -> list[list[Any]]:
    """An exhibit as a table with a header; a list, and rows beneath a number, only with the rows that may be exported (5.7).

    Raises Failure (404) where it does not exist, (403) where nothing of it may be exported.
    """
    page = looked_at.page
    if not looked_at.allows(base, viewer, "export"):
        raise Failure(403, "not_allowed", "This page may be looked at, but not exported.")
    if asked.exhibit >= len(page.exhibits):
        raise missing("exhibit", str(asked.exhibit + 1))
    exhibit = page.exhibits[asked.exhibit]
    if exhibit.kind == "list" or asked.beneath:
        rows = rows_beneath(base, viewer, looked_at, asked, own=True, export=True)
        if not rows.rows:
            raise Failure(403, "not_allowed", "These rows may be looked at, but not exported.")
        return [rows.columns, *rows.rows]
    entry = _Seen(base, viewer, looked_at, asked.filters, own=True).exhibit(exhibit)
    if entry.totals is None:
        raise missing("exhibit", str(asked.exhibit + 1))
    totals = entry.totals
    lines: list[list[Any]] = [[*line.key, *line.values] for line in totals.lines if totals.by and len(line.key) == len(totals.by)]
    closing: list[Any] = [*(["Total"] if totals.by else []), *([None] * (len(totals.by) - 1)), *totals.total]
    return [[*totals.by, *totals.measures], *lines, closing]


def _column(written: str) -> tuple[str, str]:
    table, _, column = written.partition(".")
    return table, column


def _only(answer: TotalsAnswer, kept: list[int]) -> TotalsAnswer:
    """The answer with the measures at these places only: what is absent leaves no mark."""
    names = [answer.measures[index] for index in kept]

    def pick(values: list[Any]) -> list[Any]:
        return [values[index] for index in kept]

    lines = [line.model_copy(update={"values": pick(line.values)}) for line in answer.lines]
    return answer.model_copy(
        update={
            "measures": pick(answer.measures),
            "lines": lines,
            "total": pick(answer.total),
            "basis": pick(answer.basis),
            "not_found": [],
            "withheld": [item for item in answer.withheld if item[1] in names],
        }
    )


def as_on_the_page(base: Evaluator, viewer: Viewer, looked_at: LookedAt, asked: Asking) -> Asking:
    """What is asked with the places of exhibits as the page has them; readers count those they are shown. Raises Failure (404)."""
    exhibit: int | None = getattr(asked, "exhibit", None)
    numbers = [exhibit] if exhibit is not None else []
    numbers += [item.from_exhibit for item in asked.filters if item.from_exhibit is not None]
    if not numbers:
        return asked
    key = (looked_at.page.name, looked_at.version, "places")
    # Of somebody without an account, the login alone does not say what they see.
    known = viewer.login in base.people.users
    kept = kept_answer(base, viewer.login or "", key) if known else None
    places = json.loads(kept) if kept else places_of_exhibits(base, viewer, looked_at)
    if kept is None and known:
        keep_answer(base, viewer.login or "", key, RootModel[list[int]](places))
    if max(numbers) >= len(places):
        raise missing("exhibit", str(max(numbers) + 1))
    moved = [item if item.from_exhibit is None else item.model_copy(update={"from_exhibit": places[item.from_exhibit]}) for item in asked.filters]
    own = {"exhibit": places[exhibit]} if exhibit is not None else {}
    return asked.model_copy(update={"filters": moved, **own})
