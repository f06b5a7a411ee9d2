"""Promises over the API: told by duty, made, tried and taken out by who keeps checks and may look at everybody with values."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.promises import Promise as PromiseShape
from moorland.core.bundle.writing import to_plain
from moorland.core.insight.promises import PromiseResult, models_of, run_promise
from moorland.server.changes import expect_version, recorded
from moorland.server.checks.models import Promise, PromiseState
from moorland.server.checks.running import outcome, results
from moorland.server.checks.shapes import PromiseEntry, PromiseOutcome, PromisesAnswer, PromiseSave, PromiseTried, PromiseTry
from moorland.server.duties.permission import request_rights, within
from moorland.server.duties.rights import Rights, outside
from moorland.server.errors import Failure, answer, from_document, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.releases.bundles import State, live_number
from moorland.server.requests import VERSION, account_of, version_of

MOST_PROMISES = 1_000


class Promises(APIView):
    """By duty: every promise of the draft, and whether it is kept in the draft and live."""

    needs = {"GET": within("checks", "release")}

    @extend_schema(responses=PromisesAnswer)
    def get(self, request: Request) -> Response:
        rights = request_rights(request)
        return answer(PromisesAnswer(promises=_entries(rights, list(Promise.objects.all())), may_write=_may_write(rights)))


class OnePromise(APIView):
    """By duty: keep or take out a promise of the draft; stale saves are refused."""

    needs = {"PUT": within("checks"), "DELETE": within("checks")}

    @extend_schema(request=PromiseSave, responses=PromiseEntry)
    def put(self, request: Request, name: str) -> Response:
        asked, rights = read_body(request, PromiseSave), request_rights(request)
        if asked.promise.name != name:
            raise Failure(422, "invalid", "A promise keeps its name. Change its label instead.")
        _refuse(rights, asked.promise)
        with recorded(account_of(request), "change promise", name, "policy") as change:
            stored = Promise.objects.filter(name=name).first()
            if asked.version is None and stored is not None:
                raise Failure(422, "invalid", f"There is a promise {name} already.", [Problem("duplicate", "taken", path="promise.name")])
            if asked.version is not None and stored is None:
                raise missing("promise", name)
            document = to_plain(asked.promise)
            if stored is None:
                if Promise.objects.count() >= MOST_PROMISES:
                    raise Failure(422, "invalid", f"A workspace has at most {MOST_PROMISES:,} promises.")
                change.action, change.after = "add promise", document
                stored = Promise.appended(name, document)
            else:
                expect_version(stored, asked.version, f"the promise {name}")
                change.before, change.after = stored.document, document
                stored.rewritten(document)
        return answer(_entries(rights, [stored])[0])

    @extend_schema(request=None, responses={204: None}, parameters=[VERSION])
    def delete(self, request: Request, name: str) -> Response:
        with recorded(account_of(request), "delete promise", name, "policy") as change:
            stored = Promise.objects.filter(name=name).first()
            if stored is None:
                raise missing("promise", name)
            _refuse_scope(request_rights(request), from_document(PromiseShape, stored.document))
            expect_version(stored, version_of(request), f"the promise {name}")
            change.before = stored.document
            stored.delete()
            PromiseState.objects.filter(name=name).delete()
        return Response(status=204)


class PromiseTries(APIView):
    """By duty: what a promise would find, kept nowhere."""

    needs = {"POST": within("checks")}

    @extend_schema(request=PromiseTry, responses=PromiseTried)
    def post(self, request: Request) -> Response:
        asked, rights = read_body(request, PromiseTry), request_rights(request)
        _refuse(rights, asked.promise)
        draft, live = (_told(rights, outcome(evaluator(state), asked.promise), None) for state in ("draft", "live"))
        return answer(PromiseTried(draft=draft, live=live))


def _entries(rights: Rights, stored: list[Promise]) -> list[PromiseEntry]:
    """Promises with their outcomes, of those whose models the account's duties reach."""
    shapes = [from_document(PromiseShape, item.document) for item in stored]
    known = [(item, shape) for item, shape in zip(stored, shapes, strict=True) if _reaches(rights, shape, ("checks", "release"))]
    found: dict[State, list[PromiseResult]] = {"draft": results("draft", [shape for _, shape in known])}
    if live_number():
        found["live"] = results("live", [shape for _, shape in known])
    since = {(item.name, item.state): item.since.isoformat(timespec="seconds") for item in PromiseState.objects.all()}
    return [
        PromiseEntry(
            name=item.name,
            label=shape.title,
            version=item.version,
            promise=shape if rights.whole("look-values") else None,
            draft=_told(rights, found["draft"][place], since.get((item.name, "draft"))),
            live=_told(rights, found["live"][place], since.get((item.name, "live"))) if "live" in found else None,
        )
        for place, (item, shape) in enumerate(known)
    ]


def _told(rights: Rights, result: PromiseResult, since: str | None) -> PromiseOutcome:
    return PromiseOutcome(kept=result.kept, since=since, message=result.message if rights.whole("look-values") else None)


def _may_write(rights: Rights) -> bool:
    """A promise asks the true values of anybody's rows: who makes one may look at everybody with values."""
    return "checks" in rights.acts and rights.whole("look-values")


def _reaches(rights: Rights, promise: PromiseShape, acts: tuple[str, ...]) -> bool:
    models = models_of(promise.must)
    return any(
        all(rights.reaches(act, model=model) for model in models) if models else rights.reaches(act, every_model=True)  # type: ignore[arg-type]
        for act in acts
    )


def _refuse_scope(rights: Rights, promise: PromiseShape) -> None:
    if not _reaches(rights, promise, ("checks",)):
        raise outside("This promise is about models outside of the scope of your duties over checks.")
    if not rights.whole("look-values"):
        raise outside("A promise can ask for values of anybody's rows: who makes one may look at everybody with values.")


def _refuse(rights: Rights, promise: PromiseShape) -> None:
    """Raises Failure where an account may not make a promise, or it names what is not there."""
    _refuse_scope(rights, promise)
    try:
        run_promise(evaluator("draft"), promise)
    except BundleError as wrong:
        problems = [problem.at("promise") if problem.path is None else problem for problem in wrong.problems]
        raise Failure(422, "invalid", wrong.problems[0].sentence(), problems) from None
