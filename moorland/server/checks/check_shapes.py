"""What the API tells of findings, of how much promises guard, and of the probe."""

import datetime

from pydantic import Field

from moorland.core.bundle.policy import Role as RoleShape
from moorland.core.bundle.shape import Day, Name, Shape
from moorland.core.insight.findings.finding import Weight
from moorland.core.insight.findings.placing import Place
from moorland.core.insight.guarding import GuardedSentence
from moorland.core.insight.probe.closing import Closing
from moorland.core.insight.probe.shapes import Find, ViewerProbe


class UnderwayAnswer(Shape):
    """How far something is that is worked out: `ready` when it is told; `failed` says why it will not be."""

    ready: bool
    done: int
    of: int
    failed: str | None


class GuardAnswer(UnderwayAnswer):
    """How much the promises of the draft guard, in percent of the sentences and assignments that open anything to anybody."""

    share: float
    guarded: int
    sentences: list[GuardedSentence]


class Acceptance(Shape):
    """Who lets a finding stand, why, and the day on which it comes back."""

    reason: str
    until: datetime.date
    by: str
    at: str


class FindingEntry(Shape):
    """A finding of the draft with its place; `edit` is the role with the remedy carried out, where that is certain.

    `evidence` and quoted values are for who may look at everybody with values.
    """

    key: str
    kind: str
    weight: Weight
    place: Place
    message: str
    remedy: str
    evidence: list[str]
    new: bool
    accepted: Acceptance | None
    edit: RoleShape | None


class FindingsAnswer(UnderwayAnswer):
    """Every finding of the draft, weightiest first."""

    findings: list[FindingEntry]


class AcceptRequest(Shape):
    """Let a finding stand, for a reason, until a day."""

    key: str = Field(min_length=1, max_length=40)
    reason: str = Field(min_length=1, max_length=2000, pattern=r"\S")
    until: Day


class SeenRequest(Shape):
    """The findings that were seen."""

    keys: list[str] = Field(max_length=10_000)


class ProbeAnswer(UnderwayAnswer):
    """What viewers could work out: one viewer, or one of each class of people who see the same."""

    viewers: list[ViewerProbe]


class ClosingRequest(Shape):
    """A find of the probe for a viewer."""

    viewer: Name
    find: Find


class ClosingAnswer(Shape):
    """Changes of roles that were tried against a find, those that close it first."""

    tried: list[Closing]
