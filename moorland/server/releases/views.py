"""What the draft changes, who gains and loses by it, release, history; and the state every screen shows."""

import io
import re
import tempfile
import zipfile
from pathlib import Path
from typing import Annotated, Any

from django.conf import settings
from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from pydantic import Field
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.shape import Shape
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.differences import ItemChange, differences
from moorland.core.insight.impact import impact
from moorland.core.insight.impacts import SharedImpact, shared
from moorland.server.bundle_export import write_bundle
from moorland.server.changes import recorded
from moorland.server.checks.running import broken_by
from moorland.server.checks.shapes import BrokenPromise
from moorland.server.directory.models import Account
from moorland.server.duties.permission import ANY_DUTY, KEEPER, READERS, over_everything, request_rights, within
from moorland.server.duties.rights import Rights, outside
from moorland.server.errors import Failure, answer, missing, read_body
from moorland.server.evaluating import evaluator, evaluator_of
from moorland.server.releases.bundles import draft_policy, live_release, release_bundle, workspace
from moorland.server.releases.choosing import ChosenChange, Content, content_of, evaluator_of_content
from moorland.server.releases.models import AskedRelease, Release
from moorland.server.releases.publishing import pending_changes, publish
from moorland.server.releases.returning import return_to
from moorland.server.releases.scope import models_changed, refuse_release, told_changes
from moorland.server.requests import account_of
from moorland.server.trail.models import record
from moorland.server.trail.verifying import standing
from moorland.server.viewing.knowing import may_know_model

#: So many measures are told of, where whole totals change.
MOST_TOTALS = 12


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


class AskedEntry(Shape):
    """A release somebody asked for, which waits for a second person; `stale` where the content is another one by now."""

    id: int
    by: str
    at: str
    note: str
    override: str
    chosen: list[ChosenChange] | None
    hash: str
    stale: bool


class PendingAnswer(Shape):
    """The draft, or chosen changes of it, against live, and who gains and loses what by releasing it.

    `second` says whether a second person has to approve it, `asked` what waits for one.
    """

    hash: str
    live: int | None
    changes: list[ItemChange]
    viewers: list[SharedImpact]
    #: Promises that it does not keep; they are overridden with a reason.
    broken: list[BrokenPromise]
    second: bool
    asked: AskedEntry | None


class PendingRequest(Shape):
    """Chosen changes of the draft; null for all."""

    chosen: Annotated[list[ChosenChange], Field(max_length=2_000)] | None = None


class ReleaseRequest(PendingRequest):
    """A release of what was reviewed; `hash` is that of the content looked at."""

    hash: str
    note: Annotated[str, Field(max_length=2000)] = ""
    #: Why it is released although promises are broken.
    override: Annotated[str, Field(max_length=2000)] = ""


class ReleaseEntry(Shape):
    """A release in the history, and what it changed; `asked_by` where a second person approved it."""

    number: int
    note: str
    at: str
    by: str | None
    asked_by: str | None
    hash: str
    changes: list[ItemChange]


class ReleasesAnswer(Shape):
    """All releases, newest first."""

    releases: list[ReleaseEntry]


class ComparedAnswer(Shape):
    """What leads from one release to another, or to the draft: in sentences, and in people as they are now."""

    changes: list[ItemChange]
    viewers: list[SharedImpact]


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
    """By duty: what a release would change, and for whom; of all changes, or of chosen ones."""

    needs = {"GET": within("release", "roles", "models", "pages"), "POST": within("release", "roles", "models", "pages")}

    @extend_schema(responses=PendingAnswer)
    def get(self, request: Request) -> Response:
        return answer(_pending(request_rights(request), None))

    @extend_schema(request=PendingRequest, responses=PendingAnswer)
    def post(self, request: Request) -> Response:
        return answer(_pending(request_rights(request), read_body(request, PendingRequest).chosen))


def _pending(rights: Rights, chosen: list[ChosenChange] | None) -> PendingAnswer:
    live, content = live_release(), content_of(chosen)
    after = evaluator_of_content(content)
    values = rights.whole("look-values")
    viewers = shared(impact(evaluator("live"), after, sorted(after.people.users), _totals_to_tell(after, content))) if content.changes and values else []
    changes = told_changes(rights, content.changes, live.document if live else {}, content.document)
    broken = [
        BrokenPromise(name=item.name, label=item.label, message=item.message if values else None) for item in (broken_by(after) if content.changes else [])
    ]
    return PendingAnswer(
        hash=content.hash,
        live=live.number if live else None,
        changes=changes,
        viewers=viewers,
        broken=broken,
        second=needs_second(content),
        asked=_asked_entry(),
    )


def _totals_to_tell(after: Evaluator, content: Content) -> list[tuple[str, str]]:
    """The measures of models in which a role's whole totals change: they tell what no row does."""
    models = {
        role.model
        for change in content.changes
        if change.kind == "roles" and any("'whole'" in f"{part.before} {part.after}" for part in change.differences)
        for role in after.bundle.roles
        if role.name == change.name and role.model is not None
    }
    return [(name, measure) for name in sorted(models) for measure in after.models[name].measures][:MOST_TOTALS]


def needs_second(content: Content) -> bool:
    """Whether a second person has to approve a content, by the models the workspace says."""
    asked = workspace().second_person
    live = live_release()
    if live is None or not asked:
        return False
    return "*" in asked or bool(set(asked) & models_changed(content.changes, live.document, content.document))


def _asked_entry() -> AskedEntry | None:
    asked = AskedRelease.objects.order_by("-pk").first()
    if asked is None:
        return None
    chosen = [ChosenChange.model_validate(item) for item in asked.chosen] if asked.chosen is not None else None
    try:
        stale = content_of(chosen).hash != asked.content_hash
    except Failure:
        stale = True
    at = asked.asked_at.isoformat(timespec="seconds")
    return AskedEntry(id=asked.pk, by=asked.asked_by, at=at, note=asked.note, override=asked.override, chosen=chosen, hash=asked.content_hash, stale=stale)


def _entry(release: Release, before: Release | None, rights: Rights) -> ReleaseEntry:
    changes = differences(before.document if before else {}, release.document) if before else []
    return ReleaseEntry(
        number=release.number,
        note=release.note,
        at=release.created_at.isoformat(timespec="seconds"),
        by=release.created_by.login if release.created_by else None,
        asked_by=release.asked_by or None,
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
        asked, account = read_body(request, ReleaseRequest), account_of(request)
        content = content_of(asked.chosen)
        _refuse(account, request, content)
        if needs_second(content):
            raise Failure(409, "second_person", "A second person has to approve this release. Ask for it, and somebody else with the duty makes it live.")
        release = publish(account, asked.note, content, asked.hash, lambda: _broken(content), asked.override)
        return answer(_entry(release, Release.objects.filter(number=release.number - 1).first(), request_rights(request)), 201)


def _broken(content: Content) -> list[str]:
    return [item.label for item in broken_by(evaluator_of_content(content))]


def _refuse(account: Account, request: Request, content: Content) -> None:
    live = live_release()
    refuse_release(account, request_rights(request), evaluator_of_content(content), content.changes, live.document if live else {}, content.document)


class AskedReleases(APIView):
    """By duty: ask a second person for a release of what was reviewed; one waits at a time."""

    needs = {"POST": within("release")}

    @extend_schema(request=ReleaseRequest, responses={201: AskedEntry})
    def post(self, request: Request) -> Response:
        asked, account = read_body(request, ReleaseRequest), account_of(request)
        content = content_of(asked.chosen)
        _refuse(account, request, content)
        if asked.hash != content.hash:
            raise Failure(409, "stale", "The draft changed while you were reviewing it. Look at the changes again, then ask.")
        stopped = _broken(content)
        if stopped and not asked.override.strip():
            raise Failure(409, "promises_broken", f"{stopped[0]} is not kept. Mend it, or say why it is to be released all the same.")
        with recorded(account, "ask for release", "release", "policy") as change:
            waiting = AskedRelease.objects.order_by("-pk").first()
            if waiting is not None and waiting.asked_by != account.login:
                raise Failure(409, "waiting", f"{waiting.asked_by} asked for a release that waits for approval. Approve or decline it first.")
            AskedRelease.objects.all().delete()
            AskedRelease.objects.create(
                content_hash=content.hash,
                chosen=[item.model_dump() for item in asked.chosen] if asked.chosen is not None else None,
                note=asked.note,
                override=asked.override,
                asked_by=account.login,
            )
            change.details = {"hash": content.hash, "changes": [f"{item.change} {item.kind} {item.name}" for item in content.changes]}
        made = _asked_entry()
        assert made is not None
        return answer(made, 201)


class OneAskedRelease(APIView):
    """By duty: approve a release somebody else asked for, just that content; decline it, or take back one's own."""

    needs = {"POST": within("release"), "DELETE": within("release")}

    @extend_schema(request=None, responses={201: ReleaseEntry})
    def post(self, request: Request, number: int) -> Response:
        account, asked = account_of(request), _asked(number)
        if asked.asked_by == account.login:
            raise Failure(403, "own", "Nobody approves a release they asked for themselves. Somebody else with the duty has to.")
        content = content_of([ChosenChange.model_validate(item) for item in asked.chosen] if asked.chosen is not None else None)
        if content.hash != asked.content_hash:
            raise Failure(409, "stale", "The content changed since the release was asked for. It has to be asked for again.")
        _refuse(account, request, content)
        release = publish(account, asked.note, content, asked.content_hash, lambda: _broken(content), asked.override, asked)
        return answer(_entry(release, Release.objects.filter(number=release.number - 1).first(), request_rights(request)), 201)

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        asked = _asked(number)
        with recorded(account_of(request), "decline release", "release", "policy") as change:
            change.details = {"hash": asked.content_hash, "asked for by": asked.asked_by}
            asked.delete()
        return Response(status=204)


def _asked(number: int) -> AskedRelease:
    found = AskedRelease.objects.filter(pk=number).first()
    if found is None:
        raise missing("asked release", str(number))
    return found


class Compared(APIView):
    """By duty: any release against another, or against the draft."""

    needs = {"GET": READERS}

    @extend_schema(
        responses=ComparedAnswer,
        parameters=[
            OpenApiParameter("before", int, required=True, description="The number of a release."),
            OpenApiParameter("after", str, required=True, description="The number of a release, or draft."),
        ],
    )
    def get(self, request: Request) -> Response:
        rights = request_rights(request)
        first, first_document = _content(request.query_params.get("before", ""))
        second, second_document = _content(request.query_params.get("after", "draft"))
        changes = differences(first_document, second_document)
        viewers = shared(impact(first, second, sorted(second.people.users))) if changes and rights.whole("look-values") else []
        return answer(ComparedAnswer(changes=told_changes(rights, changes, first_document, second_document), viewers=viewers))


def _content(named: str) -> tuple[Evaluator, dict[str, Any]]:
    """A release, or the draft, with the people of now. Raises Failure where there is none, or it cannot be evaluated any more."""
    if named == "draft":
        return evaluator("draft"), draft_policy()[0]
    if not re.fullmatch("[0-9]{1,9}", named):
        raise missing("release", named)
    bundle = release_bundle(int(named))
    try:
        return evaluator_of(bundle), Release.objects.get(number=int(named)).document
    except BundleError as error:
        raise Failure(409, "unusable", f"Release {named} cannot be evaluated any more: {error.problems[0].sentence()}", error.problems) from None


class ReturnTo(APIView):
    """By duty: make the draft what an earlier release was; it goes live by a release like any other change."""

    needs = {"POST": over_everything("roles")}

    @extend_schema(request=None, responses={204: None})
    def post(self, request: Request, number: int) -> Response:
        rights = request_rights(request)
        if not all(rights.whole(act) for act in ("roles", "pages", "models", "checks")):
            raise outside("An earlier release brings back roles, pages, models and promises: who returns to it keeps all of them.")
        return_to(account_of(request), number)
        return Response(status=204)


class ReleaseBundle(APIView):
    """Who keeps everything: a release as a bundle folder in a ZIP file, without the rows of its tables."""

    needs = {"GET": KEEPER}

    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    def get(self, request: Request, number: int) -> HttpResponse:
        bundle = release_bundle(number)
        written = io.BytesIO()
        with tempfile.TemporaryDirectory(dir=settings.DATA) as folder, zipfile.ZipFile(written, "w", zipfile.ZIP_DEFLATED) as packed:
            write_bundle(Path(folder), bundle, with_data=False)
            for path in sorted(Path(folder).rglob("*")):
                if path.is_file():
                    packed.write(path, path.relative_to(folder))
        record(account_of(request).login, "download release", f"release {number}")
        response = HttpResponse(written.getvalue(), content_type="application/zip")
        response["Content-Disposition"] = f'attachment; filename="release-{number}.zip"'
        return response


class OneRelease(APIView):
    """By duty: one release of the history."""

    needs = {"GET": READERS}

    @extend_schema(responses=ReleaseEntry)
    def get(self, request: Request, number: int) -> Response:
        release = Release.objects.filter(number=number).first()
        if release is None:
            raise missing("release", str(number))
        return answer(_entry(release, Release.objects.filter(number=number - 1).first(), request_rights(request)))
