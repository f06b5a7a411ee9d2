"""Decisions for other applications, by the OpenID AuthZEN Authorization API 1.0 (channels.md; semantics.md 11.8)."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from django.http import HttpRequest, JsonResponse
from drf_spectacular.utils import extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.duties import ActName
from moorland.core.bundle.problems import BundleError
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.decisions import ACTIONS_OF, KINDS, Deciding, traced
from moorland.core.insight.decisions import Resource as Asked
from moorland.core.insight.trace import trace
from moorland.core.insight.verdict import verdict
from moorland.core.people import Viewer
from moorland.core.price import step
from moorland.server.access.standing_in import reaches
from moorland.server.access.tokens import UsedToken
from moorland.server.duties.permission import SIGNED_IN, request_rights
from moorland.server.errors import Failure, read_body
from moorland.server.evaluating import evaluator
from moorland.server.requests import account_of
from moorland.server.viewing.decision_shapes import (
    Action,
    ActionSearch,
    Decision,
    Decisions,
    EvaluationRequest,
    EvaluationsRequest,
    Found,
    FoundPage,
    Resource,
    ResourceSearch,
    Results,
    SearchPart,
    Subject,
    SubjectSearch,
)
from moorland.server.viewing.looks import record_look

_METADATA = {
    "access_evaluation_endpoint": "/access/v1/evaluation",
    "access_evaluations_endpoint": "/access/v1/evaluations",
    "search_subject_endpoint": "/access/v1/search/subject",
    "search_resource_endpoint": "/access/v1/search/resource",
    "search_action_endpoint": "/access/v1/search/action",
}


def authzen_configuration(request: HttpRequest) -> JsonResponse:
    """Anybody: where decisions are asked for."""
    base = f"{request.scheme}://{request.get_host()}"
    return JsonResponse({"policy_decision_point": base, **{name: base + path for name, path in _METADATA.items()}})


class _Asking:
    """What whoever asks may be decided for: themselves always, others by a duty to look at them or stand in for them."""

    def __init__(self, request: Request) -> None:
        self.request, self.rights, self.account = request, request_rights(request), account_of(request)
        self.base: Evaluator = evaluator("live")
        self.deciding = Deciding(self.base)
        self._viewers: dict[str, Viewer | None] = {}
        self._others: set[str] = set()
        self._own = not isinstance(request.auth, UsedToken) or "read" in request.auth.scope.acts

    def viewer(self, subject: Subject) -> Viewer | None:
        """Whom a subject names; None for nobody."""
        login = subject.id or ""
        if subject.type != "user":
            return None
        if login not in self._viewers:
            self._viewers[login] = self.base.viewer(login) if login in self.base.people.users else None
        return self._viewers[login]

    def reaches(self, viewer: Viewer, asked: Asked) -> bool:
        """Whether decisions about somebody and something may be told. Rows are named by values: they need a look with values."""
        model = self.model_of(asked)
        if not reaches(self.request, model):
            return False
        if viewer.login == self.account.login:
            return self._own
        acts: tuple[ActName, ...] = ("look-values", "stand-in") if asked.kind == "row" else ("look-shapes", "stand-in")
        reached = any(self.rights.reaches(act, person=viewer, model=model, every_model=model is None) for act in acts)
        if reached:
            self._others.add(viewer.login or "")
        return reached

    def model_of(self, asked: Asked) -> str | None:
        """The model a resource is of; a page's is that of its exhibits."""
        if asked.kind != "page":
            return asked.model
        return next((page.model for page in self.base.bundle.pages if page.name == asked.id), None)

    def decide(self, subject: Subject, action: Action, resource: Resource) -> bool:
        """The decision; false where it may not be told."""
        step()
        viewer, asked = self.viewer(subject), _asked(resource)
        if viewer is None or asked is None or not self.reaches(viewer, asked):
            return False
        return self.deciding.may(viewer, action.name, asked, _values(action))

    def reason(self, subject: Subject, action: Action, resource: Resource) -> dict[str, Any] | None:
        """The layer that decides, for who may look at the subject; in words with values for who may look with values."""
        viewer, asked = self.viewer(subject), _asked(resource)
        if viewer is None or asked is None or not self.reaches(viewer, asked):
            return None
        model = self.model_of(asked)
        looks: tuple[ActName, ...] = ("look-shapes", "look-values")
        levels = [act for act in looks if self.rights.reaches(act, person=viewer, model=model, every_model=model is None)]
        question = traced(action.name, asked) if levels else None
        if question is None:
            return None
        try:
            found = trace(self.base, viewer.login or "", question)
        except BundleError:
            return None
        decided = verdict(self.base, found)
        return {"layer": decided.layer, **({"message": decided.message} if "look-values" in levels else {})}

    def record(self) -> None:
        """Notes the others of whom something was told."""
        if self._others:
            record_look(self.account, sorted(self._others), "decisions", "live")


class Evaluation(APIView):
    """Anybody signed in, and programs with a token: one decision, about themselves or whom they may look at or stand in for."""

    needs = {"POST": SIGNED_IN}

    @extend_schema(request=EvaluationRequest, responses=Decision)
    def post(self, request: Request) -> Response:
        asked, asking = read_body(request, EvaluationRequest), _Asking(request)
        decided = _decided(asking, asked.subject, asked.action, asked.resource, asked.context)
        asking.record()
        return _told(request, decided)


class Evaluations(APIView):
    """The same, many decisions at once."""

    needs = {"POST": SIGNED_IN}

    @extend_schema(request=EvaluationsRequest, responses=Decisions)
    def post(self, request: Request) -> Response:
        asked, asking = read_body(request, EvaluationsRequest), _Asking(request)
        parts = asked.evaluations or [asked]
        whole = [
            (part.subject or asked.subject, part.action or asked.action, part.resource or asked.resource, part.context or asked.context or {}) for part in parts
        ]
        if any(item is None for part in whole for item in part):
            raise Failure(400, "invalid", "Each evaluation needs a subject, an action and a resource, of its own or of the request.")
        found: list[Decision] = []
        stop = {"deny_on_first_deny": False, "permit_on_first_permit": True}.get(asked.options.evaluations_semantic)
        for subject, action, resource, context in whole:
            assert subject is not None and action is not None and resource is not None
            found.append(_decided(asking, subject, action, resource, context))
            if found[-1].decision is stop:
                break
        asking.record()
        return _told(request, Decisions(evaluations=found) if asked.evaluations else found[0])


class SearchSubject(APIView):
    """The same: who may do something with a resource, of those who may be told of."""

    needs = {"POST": SIGNED_IN}

    @extend_schema(request=SubjectSearch, responses=Results)
    def post(self, request: Request) -> Response:
        asked, asking = read_body(request, SubjectSearch), _Asking(request)
        resource = _asked(asked.resource)
        found: list[str] = []
        if resource is not None and asked.subject.type == "user":
            reached = [viewer for viewer in asking.base.everyone() if asking.reaches(viewer, resource)]
            found = sorted(asking.deciding.subjects(reached, asked.action.name, resource, _values(asked.action)))
        asking.record()
        return _told(request, _page(asked.page, [Found(type="user", id=login) for login in found]))


class SearchResource(APIView):
    """The same: with what somebody may do something."""

    needs = {"POST": SIGNED_IN}

    @extend_schema(request=ResourceSearch, responses=Results)
    def post(self, request: Request) -> Response:
        asked, asking = read_body(request, ResourceSearch), _Asking(request)
        viewer, kind = asking.viewer(asked.subject), asked.resource.type
        names: Iterator[str] = iter(())
        if viewer is not None and kind in KINDS:
            within = asked.resource.properties.get("table" if kind == "row" else "model")
            names = asking.deciding.resources(viewer, asked.action.name, kind, str(within) if within is not None else None)
            names = (name for name in names if asking.reaches(viewer, Asked(kind, name)))
        found = [Found(type=kind, id=name) for name in names]
        asking.record()
        return _told(request, _page(asked.page, found))


class SearchAction(APIView):
    """The same: what somebody may do with a resource."""

    needs = {"POST": SIGNED_IN}

    @extend_schema(request=ActionSearch, responses=Results)
    def post(self, request: Request) -> Response:
        asked, asking = read_body(request, ActionSearch), _Asking(request)
        viewer, resource = asking.viewer(asked.subject), _asked(asked.resource)
        names = asking.deciding.actions(viewer, resource) if viewer is not None and resource is not None and asking.reaches(viewer, resource) else []
        asking.record()
        return _told(request, _page(asked.page, [Found(name=name) for name in names]))


def _asked(resource: Resource) -> Asked | None:
    return Asked(resource.type, resource.id) if resource.type in ACTIONS_OF and resource.id else None


def _values(action: Action) -> Mapping[str, Any]:
    values = action.properties.get("set")
    return values if isinstance(values, dict) else {}


def _decided(asking: _Asking, subject: Subject, action: Action, resource: Resource, context: Mapping[str, Any]) -> Decision:
    decision = asking.decide(subject, action, resource)
    reason = asking.reason(subject, action, resource) if context.get("reasons") is True else None
    return Decision(decision=decision, context=reason)


def _page(page: SearchPart, found: Sequence[Found]) -> Results:
    start = int(page.token or 0)
    part = list(found[start : start + page.limit])
    more = start + len(part) < len(found)
    return Results(results=part, page=FoundPage(next_token=str(start + len(part)) if more else "", count=len(part), total=len(found)))


def _told(request: Request, shape: BaseModel) -> Response:
    """An answer without what it does not say, under the name the caller gave the request."""
    response = Response(shape.model_dump(mode="json", exclude_none=True))
    name = request.META.get("HTTP_X_REQUEST_ID", "")
    if name.isprintable() and 0 < len(name) <= 200:
        response["X-Request-ID"] = name
    return response
