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
from moorland.server.checks.running import broken_by_release
from moorland.server.checks.shapes import BrokenPromise
from moorland.server.duties.permission import ANY_DUTY, READERS, request_rights, within
from moorland.server.duties.rights import Rights
from moorland.server.errors import answer, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.releases.bundles import draft_policy, live_release
from moorland.server.releases.models import Release
from moorland.server.releases.publishing import draft_hash, pending_changes, publish
from moorland.server.releases.scope import refuse_release, told_changes
from moorland.server.requests import account_of
from moorland.server.trail.verifying import standing
from moorland.server.viewing.knowing import may_know_model


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
    #: Promises that the draft does not keep; they are overridden with a reason.
    broken: list[BrokenPromise]


class ReleaseRequest(Shape):
    """A release of what was reviewed; `hash` is that of the draft looked at."""

    hash: str
    note: Annotated[str, Field(max_length=2000)] = ""
    #: Why it is released although promises are broken.
    override: Annotated[str, Field(max_length=2000)] = ""


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
    """By duty: changes in the draft, the live release, the models."""

    needs = {"GET": ANY_DUTY}

    @extend_schema(responses=StateAnswer)
    def get(self, request: Request) -> Response:
        base, live = evaluator("draft"), live_release()
        rights = request_rights(request)
        models = [ModelName(name=model.name, label=model.title) for model in base.bundle.models if may_know_model(rights, model.name)]
        broken = standing()
        return answer(
            StateAnswer(
                changes=len(told_changes(rights, pending_changes(), live.document if live else {}, draft_policy()[0])),
                live=live.number if live else None,
                models=models,
                as_of=base.as_of.isoformat(),
                trail_broken=broken.message if broken else None,
            )
        )


class Pending(APIView):
    """By duty: what a release would change, and for whom."""

    needs = {"GET": within("release", "roles", "models", "pages")}

    @extend_schema(responses=PendingAnswer)
    def get(self, request: Request) -> Response:
        live, after, rights = live_release(), evaluator("draft"), request_rights(request)
        changes = pending_changes()
        viewers = impact(evaluator("live"), after, sorted(after.people.users)) if changes and rights.whole("look-values") else []
        changes = told_changes(rights, changes, live.document if live else {}, draft_policy()[0])
        values = rights.whole("look-values")
        broken = [
            BrokenPromise(name=item.name, label=item.label, message=item.message if values else None) for item in (broken_by_release() if changes else [])
        ]
        return answer(PendingAnswer(hash=draft_hash(), live=live.number if live else None, changes=changes, viewers=viewers, broken=broken))


def _entry(release: Release, before: Release | None, rights: Rights) -> ReleaseEntry:
    changes = differences(before.document if before else {}, release.document) if before else []
    return ReleaseEntry(
        number=release.number,
        note=release.note,
        at=release.created_at.isoformat(timespec="seconds"),
        by=release.created_by.login if release.created_by else None,
        hash=release.content_hash,
        changes=told_changes(rights, changes, before.document if before else {}, release.document),
    )


class Releases(APIView):
    """By duty: the history; release the draft that was reviewed."""

    needs = {"GET": READERS, "POST": within("release")}

    @extend_schema(responses=ReleasesAnswer)
    def get(self, request: Request) -> Response:
        releases = list(Release.objects.select_related("created_by")[:200])
        return answer(
            ReleasesAnswer(releases=[_entry(release, before, request_rights(request)) for release, before in zip(releases, [*releases[1:], None], strict=True)])
        )

    @extend_schema(request=ReleaseRequest, responses={201: ReleaseEntry})
    def post(self, request: Request) -> Response:
        asked, account, live = read_body(request, ReleaseRequest), account_of(request), live_release()
        refuse_release(account, request_rights(request), pending_changes(), live.document if live else {}, draft_policy()[0])
        release = publish(account, asked.note, asked.hash, lambda: [item.label for item in broken_by_release()], asked.override)
        before = Release.objects.filter(number=release.number - 1).first()
        return answer(_entry(release, before, request_rights(request)), 201)


class OneRelease(APIView):
    """By duty: one release of the history."""

    needs = {"GET": READERS}

    @extend_schema(responses=ReleaseEntry)
    def get(self, request: Request, number: int) -> Response:
        release = Release.objects.filter(number=number).first()
        if release is None:
            raise missing("release", str(number))
        return answer(_entry(release, Release.objects.filter(number=number - 1).first(), request_rights(request)))
