"""The shapes of roles: sentences of nine kinds and assignments (semantics.md 5)."""

from collections.abc import Iterator
from typing import Annotated, Literal, get_args

from pydantic import Field, model_validator

from moorland.core.bundle.shape import ConditionText, Day, Name, Named, Scalar, Shape

ObjectName = Annotated[str, Field(pattern=r"^(table|column|measure|hierarchy|cube|tag|folder):.+$", max_length=400)]
PageTarget = Annotated[str, Field(pattern=r"^(page|shelf):.+$", max_length=400)]
#: What may be done on a page; `create` is done on a shelf.
PageAction = Literal["open", "edit", "create", "publish", "export"]


class RowsSentence(Shape):
    """Rows of a table for which a condition is true (5.3)."""

    table: Name
    where: ConditionText


class AttributeIs(Shape):
    """`{attribute: a}`: any value of an attribute names the person."""

    attribute: Name


class BetweenColumns(Shape):
    """`{between: [low, high]}` of a match, both included."""

    between: Annotated[list[Name], Field(min_length=2, max_length=2)]


class EverythingText(Shape):
    """`{text: ALL}`: the word that opens everything."""

    text: str


class EntitlementSentence(Shape):
    """Rows by a table that says who may see what (5.3)."""

    table: Name
    through: Name
    person: Name
    person_is: Literal["login", "email", "organization", "group", "role"] | AttributeIs
    where: ConditionText | None = None
    match: dict[str, Name | BetweenColumns]
    separator: str | None = Field(default=None, min_length=1, max_length=10)
    everything: Literal["blank"] | EverythingText | None = None


class ViewerItem(Shape):
    """`{viewer: areas}`: each value of the viewer's attribute."""

    viewer: Name


class MemberEntry(Shape):
    """See, or do not see, what lies under a path."""

    path: list[Scalar | ViewerItem]
    see: bool


class MembersSentence(Shape):
    """Rows by the members of a hierarchy (5.3), with own or whole totals (8)."""

    hierarchy: Name
    unlisted: Literal["hidden", "visible"] = "hidden"
    list: Annotated[list[MemberEntry], Field(default_factory=list)]
    totals: Literal["own", "whole"] = "own"


class ObjectsSentence(Shape):
    """Which tables, columns, measures, hierarchies and cubes exist (5.5)."""

    default: Literal["visible", "hidden"] = "visible"
    hide: list[ObjectName] = Field(default_factory=list)
    show: list[ObjectName] = Field(default_factory=list)


class Fixed(Shape):
    text: str = Field(title="Fixed text", examples=["withheld"])


class Keep(Shape):
    first: int = Field(default=0, ge=0, title="First characters")
    last: int = Field(default=0, ge=0, title="Last characters", examples=[3])
    fill: str = Field(default="•", min_length=1, max_length=1, title="Others shown as")


class RoundTo(Shape):
    to: float = Field(gt=0, strict=False, title="To the nearest", examples=[100])


class PeriodTo(Shape):
    to: Literal["month", "quarter", "year"] = Field(title="Only its", examples=["month"])


class FixedMask(Shape):
    fixed: Fixed


class KeepMask(Shape):
    keep: Keep


class RoundMask(Shape):
    round: RoundTo


class PeriodMask(Shape):
    period: PeriodTo


class AtLeast(Shape):
    at_least: int = Field(ge=1)


class FullInTotals(Shape):
    full: AtLeast


class MaskSentence(Shape):
    """Cells that are shown only in part (5.6)."""

    column: str = Field(pattern=r"^[^.]+\.[^.]+$")
    with_: Literal["withhold", "hash"] | FixedMask | KeepMask | RoundMask | PeriodMask = Field(alias="with")
    when: ConditionText | None = None
    in_totals: Literal["no", "shown"] | FullInTotals = "no"


class BeneathSentence(Shape):
    """Whether rows may be listed beneath a number, and how many (5.7)."""

    tables: list[Name]
    rows: bool = True
    limit: int | None = Field(default=None, ge=0)
    only_under: int | None = Field(default=None, ge=0)
    export: bool = False


class ChangeSentence(Shape):
    """Which rows may be inserted, updated, deleted (5.8)."""

    table: Name
    insert: ConditionText | None = None
    update: ConditionText | None = None
    delete: ConditionText | None = None


class PagesSentence(Shape):
    """Which pages may be opened, edited, published, exported, and on which shelves readers make pages of their own (5.9)."""

    actions: list[PageAction] = Field(min_length=1)
    on: list[PageTarget] | None = None
    where: ConditionText | None = None


SentenceKind = Literal["rows", "entitlement", "members", "objects", "mask", "beneath", "change", "pages"]
SENTENCE_KINDS: tuple[SentenceKind, ...] = get_args(SentenceKind)


class Sentence(Shape):
    """One sentence of a role: exactly one kind, and why it is there; one that is switched off says nothing."""

    rows: RowsSentence | None = None
    entitlement: EntitlementSentence | None = None
    members: MembersSentence | None = None
    objects: ObjectsSentence | None = None
    mask: MaskSentence | None = None
    beneath: BeneathSentence | None = None
    change: ChangeSentence | None = None
    pages: PagesSentence | None = None
    label: str | None = None
    about: str | None = None
    reason: str | None = None
    #: Kept and shown, but not evaluated, and its names are not checked.
    off: bool = False

    @model_validator(mode="after")
    def _one_kind(self) -> "Sentence":
        if len(self.kinds) != 1:
            raise ValueError(f"a sentence is exactly one of {', '.join(SENTENCE_KINDS)}")
        return self

    @property
    def kinds(self) -> list[SentenceKind]:
        """The kinds that are set."""
        return [kind for kind in SENTENCE_KINDS if getattr(self, kind) is not None]

    @property
    def kind(self) -> SentenceKind:
        """The kind of this sentence."""
        return self.kinds[0]


class Assignment(Shape):
    """Maps a role to a user, a group, everyone or a condition, between two days (5.2)."""

    user: Name | None = None
    group: Name | None = None
    everyone: Literal[True] | None = None
    when: ConditionText | None = None
    from_: Day | None = Field(default=None, alias="from")
    until: Day | None = None
    reason: str | None = None

    @model_validator(mode="after")
    def _one_target(self) -> "Assignment":
        named = [name for name in ("user", "group", "everyone", "when") if getattr(self, name) is not None]
        if len(named) != 1:
            raise ValueError("an assignment names exactly one of user, group, everyone, when")
        if self.from_ and self.until and self.until < self.from_:
            raise ValueError("the last day lies before the first")
        return self


class Role(Named):
    """Opens (grant) or narrows (limit), by its sentences, for those it is assigned to (5.1)."""

    kind: Literal["grant", "limit"]
    model: Name | None = None
    sentences: list[Sentence] = Field(default_factory=list)
    assigned: list[Assignment] = Field(default_factory=list)

    @property
    def acting(self) -> Iterator[tuple[int, Sentence]]:
        """The sentences that are not switched off, each with its place in the role."""
        return ((place, sentence) for place, sentence in enumerate(self.sentences) if not sentence.off)
