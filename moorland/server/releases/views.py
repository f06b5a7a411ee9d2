"""What the draft changes, who gains and loses by it, release, history; and the state every screen shows."""

from typing import Annotated

from drf_spectacular.utils import extend_schema
from pydantic import Field
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.shape import Shape
from moorland.core.insight.differences import ItemChange, differences
from moorland.core.insight.impact import ViewerImpact, impact
from moorland.server.errors import answer, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.releases.bundles import live_release
from moorland.server.releases.models import Release
from moorland.server.releases.publishing import draft_hash, pending_changes, publish
from moorland.server.requests import account_of
from moorland.server.trail.verifying import standing


class ModelName(Shape):
    """A model for the switcher."""

    name: str
    label: str


class StateAnswer(Shape):
    """What the state row shows."""

    changes: int
    live: int | None
    models: list[ModelName]
    as_of: str
    #: What is wrong with the trail, if it is not as it was written.
    trail_broken: str | None


class PendingAnswer(Shape):
    """The draft against live, and who gains and loses what by releasing it."""

    hash: str
    live: int | None
    changes: list[ItemChange]
    viewers: list[ViewerImpact]


class ReleaseRequest(Shape):
    """A release of what was reviewed; `hash` is that of the draft looked at."""

    hash: str
    note: Annotated[str, Field(max_length=2000)] = ""


class ReleaseEntry(Shape):
    """A release in the history, and what it changed."""

    number: int
    note: str
    at: str
    by: str | None
    hash: str
    changes: list[ItemChange]


class ReleasesAnswer(Shape):
    """All releases, newest first."""

    releases: list[ReleaseEntry]


class WorkspaceState(APIView):
    """Administrators: changes in the draft, the live release, the models."""

    @extend_schema(responses=StateAnswer)
    def get(self, request: Request) -> Response:
        base, live = evaluator("draft"), live_release()
        models = [ModelName(name=model.name, label=model.title) for model in base.bundle.models]
        broken = standing()
        return answer(
            StateAnswer(
                changes=len(pending_changes()),
                live=live.number if live else None,
                models=models,
                as_of=base.as_of.isoformat(),
                trail_broken=broken.message if broken else None,
            )
        )


class Pending(APIView):
    """Administrators: what a release would change, and for whom."""

    @extend_schema(responses=PendingAnswer)
    def get(self, request: Request) -> Response:
        live, after = live_release(), evaluator("draft")
        changes = pending_changes()
        viewers = impact(evaluator("live"), after, sorted(after.people.users)) if changes else []
        return answer(PendingAnswer(hash=draft_hash(), live=live.number if live else None, changes=changes, viewers=viewers))


def _entry(release: Release, before: Release | None) -> ReleaseEntry:
    return ReleaseEntry(
        number=release.number,
        note=release.note,
        at=release.created_at.isoformat(timespec="seconds"),
        by=release.created_by.login if release.created_by else None,
        hash=release.content_hash,
        changes=differences(before.document if before else {}, release.document) if before else [],
    )


class Releases(APIView):
    """Administrators: the history; release the draft that was reviewed."""

    @extend_schema(responses=ReleasesAnswer)
    def get(self, request: Request) -> Response:
        releases = list(Release.objects.select_related("created_by")[:200])
        return answer(ReleasesAnswer(releases=[_entry(release, before) for release, before in zip(releases, [*releases[1:], None], strict=True)]))

    @extend_schema(request=ReleaseRequest, responses={201: ReleaseEntry})
    def post(self, request: Request) -> Response:
        asked = read_body(request, ReleaseRequest)
        release = publish(account_of(request), asked.note, asked.hash)
        before = Release.objects.filter(number=release.number - 1).first()
        return answer(_entry(release, before), 201)


class OneRelease(APIView):
    """Administrators: one release of the history."""

    @extend_schema(responses=ReleaseEntry)
    def get(self, request: Request, number: int) -> Response:
        release = Release.objects.filter(number=number).first()
        if release is None:
            raise missing("release", str(number))
        return answer(_entry(release, Release.objects.filter(number=number - 1).first()))
