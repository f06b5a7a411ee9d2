"""Schedules over the API: kept by who may refresh the table and use the source; run at once."""

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.model import Model as ModelShape
from moorland.server.catalog.models import KeptTable, Model
from moorland.server.catalog.scope import refuse_content, refuse_model
from moorland.server.changes import expect_version, recorded
from moorland.server.duties.permission import over_everything, request_rights, within
from moorland.server.duties.rights import outside
from moorland.server.errors import Failure, answer, from_document, missing, read_body
from moorland.server.releases.bundles import workspace
from moorland.server.requests import VERSION, account_of, version_of
from moorland.server.schedules.checks import run_checks
from moorland.server.schedules.models import ChecksSchedule, Schedule
from moorland.server.schedules.running import run
from moorland.server.schedules.shapes import ChecksScheduleEntry, ChecksScheduleSave, RunEntry, ScheduleEntry, ScheduleList, ScheduleSave, ScheduleText, When
from moorland.server.schedules.timing import next_run
from moorland.server.tasks.running import start
from moorland.server.tasks.shapes import TaskAnswer, task_answer


class Schedules(APIView):
    """Who keeps a model: its schedules; keep one, new or changed."""

    needs = {"GET": within("models"), "PUT": within("models")}

    @extend_schema(responses=ScheduleList)
    def get(self, request: Request, model: str) -> Response:
        refuse_model(request, model)
        found = Schedule.objects.filter(model=model).select_related("keeper").prefetch_related("runs")
        return answer(ScheduleList(schedules=[_entry(item) for item in found], time_zone=workspace().time_zone))

    @extend_schema(request=ScheduleSave, responses=ScheduleEntry)
    def put(self, request: Request, model: str) -> Response:
        asked = read_body(request, ScheduleSave)
        text = asked.text
        if text.model != model:
            raise Failure(422, "invalid", "A schedule is of the model it is kept under.")
        _refuse(request, text)
        stored = Schedule.objects.filter(model=model, table=text.table).first()
        if asked.version is None and stored is not None:
            raise Failure(422, "invalid", f"{text.table} has a schedule already.")
        if asked.version is not None:
            if stored is None:
                raise missing("schedule", text.table)
            expect_version(stored, asked.version, f"the schedule of {text.table}")
        with recorded(account_of(request), "change schedule" if stored else "add schedule", f"{model}.{text.table}") as change:
            item = stored or Schedule(model=model, table=text.table, version=0)
            change.before = stored.document if stored else None
            change.after = text.model_dump(mode="json")
            item.document, item.enabled, item.keeper = change.after, asked.enabled, account_of(request)
            item.next_at = next_run(text.when, workspace().time_zone, timezone.now()) if asked.enabled else None
            item.moved()
        return answer(_entry(item))


class OneSchedule(APIView):
    """Who keeps a model: run a schedule now, as a task; take it away."""

    needs = {"POST": within("models"), "DELETE": within("models")}

    @extend_schema(request=None, responses={202: TaskAnswer})
    def post(self, request: Request, key: int) -> Response:
        item = _stored(request, key)
        _refuse(request, from_document(ScheduleText, item.document))
        task = start("schedule", f"{item.model}.{item.table}", account_of(request), lambda progress: _run(key))
        return answer(task_answer(task), 202)

    @extend_schema(parameters=[VERSION], request=None, responses={204: None})
    def delete(self, request: Request, key: int) -> Response:
        item = _stored(request, key)
        with recorded(account_of(request), "delete schedule", f"{item.model}.{item.table}") as change:
            expect_version(item, version_of(request), f"the schedule of {item.table}")
            change.before = item.document
            item.delete()
        return Response(status=204)


def _run(key: int) -> dict[str, str]:
    made = run(key)
    return {"state": made.state, "message": made.message} if made is not None else {"state": "running", "message": "It runs already."}


def _stored(request: Request, key: int) -> Schedule:
    item = Schedule.objects.filter(pk=key).first()
    if item is None or not request_rights(request).reaches("models", model=item.model):
        raise missing("schedule", str(key))
    return item


def _refuse(request: Request, text: ScheduleText) -> None:
    """Raises Failure for a table that is not the account's to refresh, or a source that is not its to use."""
    refuse_model(request, text.model)
    refuse_content(request, text.model, [text.table])
    if not request_rights(request).reaches("sources", source=text.source):
        raise outside(f"Refreshing from {text.source} needs the duty over sources as well.")
    stored = Model.objects.filter(name=text.model).first()
    table = from_document(ModelShape, stored.document).table(text.table) if stored else None
    if table is None or table.alias_of is not None:
        raise missing("table", f"{text.model}.{text.table}")
    if table.in_place is not None or KeptTable.objects.filter(model=text.model, table=text.table).exists():
        raise Failure(422, "invalid", f"{text.table} is not refreshed: its rows {'stay in a source' if table.in_place else 'are kept here'}.")


def _entry(item: Schedule) -> ScheduleEntry:
    return ScheduleEntry(
        id=item.pk,
        text=from_document(ScheduleText, item.document),
        enabled=item.enabled,
        version=item.version,
        keeper=item.keeper.name if item.keeper else None,
        next_at=item.next_at,
        running=item.running_since is not None,
        runs=[
            RunEntry(began_at=run.began_at, ended_at=run.ended_at, state=run.state, message=run.message, rows=run.rows)  # type: ignore[arg-type]
            for run in list(item.runs.all())[:10]
        ],
    )


class ChecksByItself(APIView):
    """Who keeps checks over everything: when promises run by themselves; run them now, as a task."""

    needs = {"GET": within("checks"), "PUT": over_everything("checks"), "POST": over_everything("checks")}

    @extend_schema(responses=ChecksScheduleEntry)
    def get(self, request: Request) -> Response:
        return answer(_checks_entry(ChecksSchedule.objects.select_related("keeper").first()))

    @extend_schema(request=ChecksScheduleSave, responses=ChecksScheduleEntry)
    def put(self, request: Request) -> Response:
        asked = read_body(request, ChecksScheduleSave)
        stored = ChecksSchedule.objects.first()
        if (stored is None) != (asked.version is None):
            raise Failure(409, "stale", "The schedule was changed meanwhile. Look again, then decide.")
        if stored is not None and asked.version is not None:
            expect_version(stored, asked.version, "the schedule of promises")
        with recorded(account_of(request), "change schedule", "promises") as change:
            change.before = stored.document if stored else None
            change.after = asked.when.model_dump(mode="json") if asked.when is not None else None
            if asked.when is None:
                if stored is not None:
                    stored.delete()
            else:
                item = stored or ChecksSchedule(version=0)
                item.document, item.enabled, item.keeper = change.after, True, account_of(request)
                item.next_at = next_run(asked.when, workspace().time_zone, timezone.now())
                item.moved()
        return answer(_checks_entry(ChecksSchedule.objects.select_related("keeper").first()))

    @extend_schema(request=None, responses={202: TaskAnswer})
    def post(self, request: Request) -> Response:
        if not ChecksSchedule.objects.exists():
            raise missing("schedule", "of promises")
        task = start("promises", "by schedule", account_of(request), lambda progress: {"message": run_checks() or "They run already."})
        return answer(task_answer(task), 202)


def _checks_entry(item: ChecksSchedule | None) -> ChecksScheduleEntry:
    return ChecksScheduleEntry(
        when=from_document(When, item.document) if item else None,
        version=item.version if item else None,
        keeper=item.keeper.name if item and item.keeper else None,
        next_at=item.next_at if item else None,
        running=item is not None and item.running_since is not None,
        last_at=item.last_at if item else None,
        last_message=item.last_message if item else "",
        last_well=item.last_well if item else True,
        time_zone=workspace().time_zone,
    )
