"""Findings, how much promises guard, and the probe, over the API: of the draft, for who keeps checks over everything."""

from typing import Any

from django.db import transaction
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.policy import Sentence
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.findings.finding import WEIGHTS, Finding
from moorland.core.insight.findings.noticing import notice
from moorland.core.insight.findings.placing import key_of, mended, place_of
from moorland.core.insight.guarding import Guard, GuardedSentence, guard
from moorland.core.insight.probe.closing import closings
from moorland.core.insight.probe.probing import probe, probe_classes
from moorland.core.insight.probe.shapes import ViewerProbe
from moorland.core.insight.wording import said
from moorland.server.changes import recorded
from moorland.server.checks.background import Work, known, worked_out
from moorland.server.checks.check_shapes import (
    Acceptance,
    AcceptRequest,
    ClosingAnswer,
    ClosingRequest,
    FindingEntry,
    FindingsAnswer,
    GuardAnswer,
    ProbeAnswer,
    SeenRequest,
)
from moorland.server.checks.models import AcceptedFinding, SeenFindings
from moorland.server.checks.own_findings import own_findings
from moorland.server.duties.permission import over_everything, request_rights
from moorland.server.errors import Failure, answer, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.requests import account_of
from moorland.server.viewing.looks import record_look

#: A find may be held against changes for this many unknowns at most in one request; the price of the request bounds the rest.
VIEWER = OpenApiParameter("viewer", str, description="A login; one of each class of people who see the same, unless given.")


class Guarding(APIView):
    """Who keeps checks over everything: how much the promises of the draft guard, worked out once for each change.

    With `known` only what was worked out before is told; nothing is begun.
    """

    needs = {"GET": over_everything("checks")}

    @extend_schema(responses=GuardAnswer, parameters=[OpenApiParameter("known", bool, description="Begin nothing.")])
    def get(self, request: Request) -> Response:
        base, values = evaluator("draft"), request_rights(request).whole("look-values")
        if request.query_params.get("known") == "true" and known(base, "guard") is None:
            return answer(GuardAnswer(ready=False, done=0, of=0, failed=None, share=0, guarded=0, sentences=[]))
        work = worked_out(base, "guard", lambda told: guard(base, told))
        if not work.ended.is_set() or work.failed is not None:
            return answer(GuardAnswer(**_underway(work), share=0, guarded=0, sentences=[]))
        found: Guard = work.result
        sentences = found.sentences if values else [_without_literals(base, item) for item in found.sentences]
        return answer(GuardAnswer(**_underway(work), share=found.share, guarded=found.guarded, sentences=sentences))


class Findings(APIView):
    """Who keeps checks over everything: what is worth a look in the draft, worked out once for each change."""

    needs = {"GET": over_everything("checks")}

    @extend_schema(responses=FindingsAnswer)
    def get(self, request: Request) -> Response:
        base, values = evaluator("draft"), request_rights(request).whole("look-values")
        work = worked_out(base, "findings", lambda told: notice(base))
        if not work.ended.is_set() or work.failed is not None:
            return answer(FindingsAnswer(**_underway(work), findings=[]))
        accepted = {item.key: item for item in AcceptedFinding.objects.filter(until__gte=base.as_of)}
        seen = SeenFindings.objects.filter(login=account_of(request).login).first()
        found = [*work.result, *own_findings()]
        found.sort(key=lambda item: WEIGHTS.index(item.weight))
        entries = [_entry(base, finding, accepted, None if seen is None else set(seen.keys), values) for finding in found]
        return answer(FindingsAnswer(**_underway(work), findings=entries))


class AcceptedFindings(APIView):
    """Who keeps checks over everything: let a finding stand until a day, with the reason."""

    needs = {"POST": over_everything("checks")}

    @extend_schema(request=AcceptRequest, responses={204: None})
    def post(self, request: Request) -> Response:
        asked, base = read_body(request, AcceptRequest), evaluator("draft")
        work = worked_out(base, "findings", lambda told: notice(base))
        found = next((item for item in [*(work.result or []), *own_findings()] if key_of(base.bundle, item) == asked.key), None)
        if found is None:
            raise missing("finding", asked.key)
        if asked.until < base.as_of:
            raise Failure(422, "invalid", f"{asked.until} is over. Choose a day on which the finding comes back.")
        place = place_of(base.bundle, found)
        with recorded(account_of(request), "accept finding", place.label) as change:
            values = {"kind": found.kind, "label": place.label, "reason": asked.reason, "until": asked.until, "accepted_by": account_of(request).login}
            AcceptedFinding.objects.update_or_create(key=asked.key, defaults=values)
            change.details = {"kind": found.kind, "until": str(asked.until), "reason": asked.reason}
        return Response(status=204)


class OneAcceptedFinding(APIView):
    """Who keeps checks over everything: take back that a finding may stand."""

    needs = {"DELETE": over_everything("checks")}

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, key: str) -> Response:
        found = AcceptedFinding.objects.filter(key=key).first()
        if found is None:
            raise missing("finding", key)
        with recorded(account_of(request), "take finding up again", found.label) as change:
            change.details = {"kind": found.kind}
            found.delete()
        return Response(status=204)


class SeenFindingsView(APIView):
    """Who keeps checks over everything: say which findings were seen; later ones are marked as new."""

    needs = {"POST": over_everything("checks")}

    @extend_schema(request=SeenRequest, responses={204: None})
    def post(self, request: Request) -> Response:
        asked = read_body(request, SeenRequest)
        with transaction.atomic():
            SeenFindings.objects.update_or_create(login=account_of(request).login, defaults={"keys": asked.keys})
        return Response(status=204)


class Probing(APIView):
    """Who keeps checks over everything: what a viewer, or one of each class of viewers, could work out in the draft."""

    needs = {"GET": over_everything("checks")}

    @extend_schema(responses=ProbeAnswer, parameters=[VIEWER])
    def get(self, request: Request) -> Response:
        base, login = evaluator("draft"), request.query_params.get("viewer") or None
        if login is not None and login not in base.people.users:
            raise missing("user", login)

        def make(told: Any) -> list[ViewerProbe]:
            return [probe(base, base.viewer(login))] if login is not None else probe_classes(base, progress=told)

        fresh = worked_out(base, f"probe {login or ''}", make)
        if not fresh.ended.is_set() or fresh.failed is not None:
            return answer(ProbeAnswer(**_underway(fresh), viewers=[]))
        record_look(account_of(request), [login or "everyone"], "probe", "draft")
        values = request_rights(request).whole("look-values")
        return answer(ProbeAnswer(**_underway(fresh), viewers=fresh.result if values else [_without_figures(item) for item in fresh.result]))


class Closings(APIView):
    """Who keeps checks and may look at everybody with values: changes of roles, each tried against a find of the probe."""

    needs = {"POST": over_everything("checks")}

    @extend_schema(request=ClosingRequest, responses=ClosingAnswer)
    def post(self, request: Request) -> Response:
        asked, base = read_body(request, ClosingRequest), evaluator("draft")
        if not request_rights(request).whole("look-values"):
            raise Failure(403, "outside", "What closes a find is tried on values: who asks may look at everybody with values.")
        if asked.viewer not in base.people.users:
            raise missing("user", asked.viewer)
        if asked.find.model not in base.models:
            raise missing("model", asked.find.model)
        record_look(account_of(request), [asked.viewer], "probe", "draft")
        return answer(ClosingAnswer(tried=closings(base, base.viewer(asked.viewer), asked.find)))


def _underway(work: Work) -> dict[str, Any]:
    ended = work.ended.is_set()
    return {"ready": ended and work.failed is None, "done": work.done, "of": work.of, "failed": work.failed if ended else None}


def _entry(base: Evaluator, finding: Finding, accepted: dict[str, AcceptedFinding], seen: set[str] | None, values: bool) -> FindingEntry:
    key = key_of(base.bundle, finding)
    held = accepted.get(key)
    return FindingEntry(
        key=key,
        kind=finding.kind,
        weight=finding.weight,
        place=place_of(base.bundle, finding),
        message=finding.message if values else finding.kind.replace("_", " "),
        remedy=finding.remedy,
        evidence=finding.evidence if values else [],
        new=seen is not None and key not in seen,
        accepted=None
        if held is None
        else Acceptance(reason=held.reason, until=held.until, by=held.accepted_by, at=held.accepted_at.isoformat(timespec="seconds")),
        edit=mended(base.bundle, finding) if values else None,
    )


def _without_literals(base: Evaluator, item: GuardedSentence) -> GuardedSentence:
    """A sentence for who may not look at values: no text or number of a condition, and no promise that names one."""
    role = base.roles[item.role].role
    written: Sentence | None = role.sentences[item.sentence] if item.sentence is not None else None
    mutants = [mutant.model_copy(update={"change": f"way {place + 1}"}) for place, mutant in enumerate(item.mutants)]
    return item.model_copy(update={"says": said(written, literals=False) if written else "is assigned", "mutants": mutants, "proposed": None})


def _without_figures(item: ViewerProbe) -> ViewerProbe:
    """What was found as subjects alone: which column or measure, and of what kind."""
    found = [
        find.model_copy(update={"value": None, "low": None, "high": None, "by": [], "arithmetic": "", "subject": find.subject.model_copy(update=_NAMELESS)})
        for find in item.found
    ]
    return item.model_copy(update={"found": found})


_NAMELESS = {"row": None, "member": None, "where": None}
