"""The shapes of questions and answers (bundle.md); conditions in them use the language of semantics.md 4.8."""

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from moorland.core.bundle.pages import Made
from moorland.core.bundle.people import ViewerReference
from moorland.core.bundle.shape import Day, FilterText, Scalar, Shape

ColumnName = Annotated[str, Field(min_length=1, max_length=401)]
CellState = Literal["clear", "masked", "hidden"]
RefusalCode = Literal["not_found", "invalid", "no_access", "too_costly", "not_available"]


class RowsQuestion(Shape):
    """Rows of a table (7.1). `order` holds column names, descending with a leading `-`."""

    model: str
    table: str
    columns: list[ColumnName] | None = Field(default=None, max_length=400)
    where: FilterText | None = None
    order: list[ColumnName] = Field(default_factory=list, max_length=20)
    limit: int | None = Field(default=None, ge=0)
    offset: int = Field(default=0, ge=0)


class TotalsQuestion(Shape):
    """Measures by columns (7.2, 7.3). In `by` and `measures` an expression may be written in place of a name (7.8);
    it then stands in `made`, where it may be written too.

    `order` holds names of what is asked by and of measures, descending with a leading `-`; it, `limit` and `offset` are of the lines (7.9).
    """

    model: str
    by: list[ColumnName] = Field(default_factory=list, max_length=8)
    measures: list[str] = Field(max_length=50)
    where: FilterText | None = None
    subtotals: bool = False
    cube: str | None = None
    made: list[Made] = Field(default_factory=list, max_length=50)
    order: list[ColumnName] = Field(default_factory=list, max_length=20)
    limit: int | None = Field(default=None, ge=0)
    offset: int = Field(default=0, ge=0)

    @model_validator(mode="before")
    @classmethod
    def _set_apart(cls, document: Any) -> Any:
        """Expressions written in place of names move to `made`, and their names stand for them."""
        if not isinstance(document, dict):
            return document
        found, made = dict(document), list(document.get("made") or [])
        for key in ("by", "measures"):
            items = found.get(key)
            if isinstance(items, list):
                made += [item for item in items if isinstance(item, dict)]
                found[key] = [item.get("as") if isinstance(item, dict) else item for item in items]
        return {**found, "made": made} if made else found

    @model_validator(mode="after")
    def _made_once(self) -> "TotalsQuestion":
        names = [item.as_ for item in self.made]
        if len(set(names)) < len(names):
            raise ValueError("two expressions have the same name")
        return self


class ObjectsQuestion(Shape):
    """What exists (7.4)."""

    model: str


class MembersQuestion(Shape):
    """The members of a hierarchy (7.5)."""

    model: str
    hierarchy: str


class PagesQuestion(Shape):
    """Which pages may be opened, edited, published, exported (10.2)."""


class UpdateRows(Shape):
    """New values for the rows a condition means; no condition means all that would be listed."""

    set: dict[ColumnName, Scalar | None] = Field(min_length=1, max_length=400)
    where: FilterText | None = None


class DeleteRows(Shape):
    """The rows a condition means are to go."""

    where: FilterText | None = None


class InsertRows(Shape):
    """New rows; columns that are not named are null."""

    rows: list[dict[ColumnName, Scalar | None]] = Field(max_length=10_000)


class ChangeQuestion(Shape):
    """A change that is tried, not applied (9.1): exactly one kind."""

    model: str
    table: str
    update: UpdateRows | None = None
    delete: DeleteRows | None = None
    insert: InsertRows | None = None

    @model_validator(mode="after")
    def _one_kind(self) -> "ChangeQuestion":
        if len([part for part in (self.update, self.delete, self.insert) if part is not None]) != 1:
            raise ValueError("a change is exactly one of update, delete, insert")
        return self


#: What is asked, whatever its kind. Code that tells kinds apart matches all of them, with assert_never at the end.
Asked = RowsQuestion | TotalsQuestion | ObjectsQuestion | MembersQuestion | PagesQuestion | ChangeQuestion


class Question(Shape):
    """One question: exactly one kind."""

    rows: RowsQuestion | None = None
    totals: TotalsQuestion | None = None
    objects: ObjectsQuestion | None = None
    members: MembersQuestion | None = None
    pages: PagesQuestion | None = None
    change: ChangeQuestion | None = None

    @model_validator(mode="after")
    def _one_kind(self) -> "Question":
        if len(self._set()) != 1:
            raise ValueError(f"a question is exactly one of {', '.join(type(self).model_fields)}")
        return self

    def _set(self) -> list[Asked]:
        return [part for part in (self.rows, self.totals, self.objects, self.members, self.pages, self.change) if part is not None]

    @property
    def asked(self) -> Asked:
        """The one kind that is set."""
        return self._set()[0]


class Questions(Shape):
    """What `moorland evaluate` is asked."""

    as_of: Day | None = None
    viewers: list[ViewerReference] | Literal["everyone"]
    ask: list[Question] = Field(max_length=1000)


class AnswerError(Shape):
    """Why a question has no answer; the words never tell what is hidden from what never was (6.6)."""

    code: RefusalCode
    message: str


class RowsAnswer(Shape):
    """Rows as the viewer sees them. `visible` counts what matches, before limit and offset."""

    columns: list[str]
    visible: int
    rows: list[list[Any]]
    states: list[list[CellState]]


class Line(Shape):
    """One combination of the columns asked by; `depth` stands on subtotals only."""

    key: list[Any]
    values: list[Any]
    depth: int | None = None


class TotalsAnswer(Shape):
    """Lines sorted by key, the grand total, and how many rows each measure counted (7.3)."""

    by: list[str]
    measures: list[str]
    lines: list[Line]
    total: list[Any]
    basis: list[int | None]
    not_found: list[str]
    withheld: list[list[Any]]
    #: How many lines there are at full depth; given where the question asked for some of them (7.9).
    all_lines: int | None = None
    #: For administrators: how many visible rows masks kept out of each measure (7.3).
    kept_out: list[int | None] | None = None


class ObjectsAnswer(Shape):
    """Everything that exists for the viewer, sorted."""

    tables: dict[str, list[str]]
    measures: list[str]
    hierarchies: list[str]
    cubes: list[str]


class Member(Shape):
    """A member under its path, and how many rows the viewer sees at or beneath it."""

    path: list[Any]
    rows: int


class MembersAnswer(Shape):
    """Visible members and the ancestors that lead to them, sorted by path."""

    members: list[Member]


class PagesAnswer(Shape):
    """The pages on which each action is allowed, sorted."""

    open: list[str]
    edit: list[str]
    publish: list[str]
    export: list[str]
    #: The shelves on which pages of one's own may be made (10.4); left out where there is none.
    create: list[str] | None = None


class ChangeAnswer(Shape):
    """How many rows were meant, and how many of them may be changed (9.3)."""

    meant: int
    allowed: int
    refused: int
    #: For administrators: why rows were refused, with how many each reason concerns first.
    reasons: dict[str, int] | None = None


class Refusal(Shape):
    """An answer that is an error."""

    error: AnswerError


Answer = RowsAnswer | TotalsAnswer | ObjectsAnswer | MembersAnswer | PagesAnswer | ChangeAnswer | Refusal


class Refused(Exception):
    """Raised while a question is answered; becomes a Refusal."""

    def __init__(self, code: RefusalCode, message: str) -> None:
        self.code: RefusalCode = code
        self.message = message
        super().__init__(message)

    def answer(self) -> Refusal:
        """The refusal as an answer."""
        return Refusal(error=AnswerError(code=self.code, message=self.message))


def not_found(name: str) -> Refused:
    """The one way to say that something is absent, whether hidden or never there."""
    return Refused("not_found", f"Nothing named {name} was found.")
