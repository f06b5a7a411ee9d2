"""What the addresses that explain take and give: why, who, what a line or several roles do."""

from pydantic import Field

from moorland.core.bundle.policy import EntitlementSentence
from moorland.core.bundle.shape import Day, Name, Shape
from moorland.core.insight.bridge import BridgeQuestion
from moorland.core.insight.combining import CombineQuestion
from moorland.core.insight.remedies import Remedy
from moorland.core.insight.trace import Trace, Traced
from moorland.core.insight.verdict import Verdict
from moorland.core.insight.who import WhoAnswer, WhoChange, WhoQuestion
from moorland.server.viewing.shapes import Asked, PinnedViewer, Viewers


class WhyRequest(Asked):
    """Why a viewer can or cannot; with another viewer, where the two part."""

    viewer: PinnedViewer
    other: PinnedViewer | None = None
    about: Traced


class WhyAnswer(Shape):
    """What it comes to, the trace, what single changes would help, and the layer where another viewer parts."""

    verdict: Verdict
    other_verdict: Verdict | None
    trace: Trace
    remedies: list[Remedy]
    other: Trace | None
    parts_at: str | None


class WhoRequest(Asked):
    """Who reaches something, and by which sentence; against the live release, or another day, who is new and who is gone."""

    about: WhoQuestion
    against_live: bool = False
    against_day: Day | None = None


class WhoTold(Shape):
    """Who reaches it, and what changed against what it was compared with."""

    answer: WhoAnswer
    against: WhoChange | None = None


class BridgeRequest(Asked):
    """How a viewer's figure comes about from that of all data, or of another viewer."""

    viewer: PinnedViewer
    start: PinnedViewer | None = None
    about: BridgeQuestion


class EntitlementRequest(Asked):
    """The lines of a table of entitlements as a sentence reads them."""

    model: Name
    sentence: EntitlementSentence
    limit: int = Field(default=100, ge=1, le=500)
    offset: int = Field(default=0, ge=0)
    faulty_only: bool = False


class EvidenceRequest(Shape):
    """What the columns of a table of entitlements look like."""

    model: Name
    through: Name
    table: Name
    separator: str | None = Field(default=None, min_length=1, max_length=10)


class CombineRequest(Asked):
    """Several roles at once."""

    about: CombineQuestion


class WholeTotalsRequest(Asked):
    """What whole totals of a members sentence, at a place in the edited role, give away to some viewers."""

    role: Name
    sentence: int = Field(ge=0)
    viewers: Viewers


class GivenAway(Shape):
    """Numbers of hidden members that whole totals less the visible lines give, in sentences."""

    message: str
    evidence: list[str]


class RedundantRequest(Asked):
    """Which sentences of a role take nothing away."""

    role: Name


class Redundant(Shape):
    """A sentence, by its place in the role, and why it takes nothing away."""

    sentence: int
    message: str


class RedundantAnswer(Shape):
    """Empty where every sentence takes something away from somebody."""

    found: list[Redundant]


class WholeTotalsAnswer(Shape):
    """Empty where nothing single can be worked out."""

    found: list[GivenAway]
