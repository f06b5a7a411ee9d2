"""What the addresses of viewing take and give."""

from typing import Annotated, Any, Literal

from pydantic import Field

from moorland.core.bundle.model import Model
from moorland.core.bundle.people import ViewerReference
from moorland.core.bundle.policy import Role
from moorland.core.bundle.shape import Day, Shape
from moorland.core.engine.questions import Answer, ObjectsAnswer, Question, TotalsQuestion
from moorland.core.insight.effect import AlignedQuestion, AlignedRows, ModelShare
from moorland.core.insight.falling import Fallen
from moorland.core.language.clauses import Group
from moorland.server.errors import ProblemShape

StateName = Literal["draft", "live"]


class AllData(Shape):
    """All the data, as administrators compare with it."""

    all_data: Literal[True]


PinnedViewer = ViewerReference | AllData
Viewers = Annotated[list[PinnedViewer], Field(max_length=8)]


class Asked(Shape):
    """What every question of an administrator carries: the state, the day, unsaved roles."""

    state: StateName = "draft"
    as_of: Day | None = None
    edited: list[Role] = Field(default_factory=list, max_length=50)


class EvaluateRequest(Asked):
    """Questions for viewers, unsaved sentences included; with `unseen`, totals also of what none of them sees."""

    viewers: Viewers
    unseen: bool = False
    ask: list[Question] = Field(max_length=60)


class ViewerAnswers(Shape):
    """One viewer's answers, in the order asked."""

    viewer: str | None
    answers: list[Answer]


class EvaluateAnswer(Shape):
    """One entry a viewer, in order."""

    state: StateName
    unsaved: bool
    viewers: list[ViewerAnswers]
    unseen: list[Answer]


class EffectRequest(Asked):
    """What an edited role does to viewers: shares, rows and totals, before and after."""

    model: str
    viewers: Viewers
    rows: AlignedQuestion | None = None
    totals: TotalsQuestion | None = None


class EffectSide(Shape):
    """Shares and rows for each viewer in one state; a viewer's entry says why where it cannot be evaluated."""

    shares: list[ModelShare]
    rows: AlignedRows | None
    totals: list[Answer]


class EffectAnswer(Shape):
    """Before and after the edit; `problems` are those of the edited role, and `after` is then left out.

    `held_by` tells which viewers hold the edited role, `objects` what exists under that role alone, `fallen` what falls under it
    because of what it hides, and `fell` which of that fell before the edit too (`kind:name`).
    """

    before: EffectSide
    after: EffectSide | None
    problems: list[ProblemShape]
    held_by: list[bool]
    objects: ObjectsAnswer | None
    fallen: list[Fallen]
    fell: list[str]


class AlignedRequest(Asked):
    """Rows for several viewers in one order."""

    viewers: Viewers
    rows: AlignedQuestion


class ModelAnswer(Shape):
    """A model with the number of rows of each table and everything an objects sentence may mention; `version` is that of the draft."""

    document: Model
    version: int
    rows: dict[str, int]
    objects: list[str]
    reaches: dict[str, list[str]]
    #: The attributes of whoever asks by which the source of a table is chosen, by table (sources.md 17.2).
    chosen_by: dict[str, list[str]]


class ValueCount(Shape):
    """A distinct value and the rows that hold it."""

    value: Any
    rows: int


class ValuesAnswer(Shape):
    """The distinct values of a column, most frequent first."""

    type: str
    distinct: int
    blank: int
    values: list[ValueCount]


class MatchRequest(Shape):
    """A pasted list, item by item as it was pasted."""

    texts: list[Annotated[str, Field(max_length=400)]] = Field(max_length=5000)


class Unmatched(Shape):
    """An item that is no value of the column, and the nearest one."""

    text: str
    nearest: Any


class MatchAnswer(Shape):
    """The values found, once each and in the order pasted, and what was not."""

    found: list[ValueCount]
    missing: list[Unmatched]


class MyAskRequest(Shape):
    """A viewer's own questions."""

    ask: list[Question] = Field(max_length=60)


class MyAnswers(Shape):
    """Answers with cell states left out: a hidden cell cannot be told from an empty one (7.1)."""

    answers: list[Answer]


class CheckRequest(Shape):
    """A condition to check while it is typed."""

    model: str | None = None
    table: str | None = None
    where: str = Field(max_length=20_000)
    kind: Literal["rows", "pages", "assignment", "question"]


class CheckAnswer(Shape):
    """Whether the condition can be used; if not, where and why; and its clauses in groups, None where it has a comment
    that picking would lose."""

    valid: bool
    problem: ProblemShape | None
    group: Group | None
