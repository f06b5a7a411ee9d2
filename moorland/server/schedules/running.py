"""A run of a schedule: the refresh is staged, and accepted by itself within what was agreed; else it waits, and the old content stays (sources.md 19.2)."""

import datetime
import logging
from collections.abc import Iterator

from django.db.models import Q
from django.utils import timezone

from moorland.core.bundle.problems import BundleError
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.insight.refreshing import RefreshReport
from moorland.server.catalog.from_source import stage_from_source
from moorland.server.catalog.importing import accept_refresh, compared_with
from moorland.server.catalog.models import TableContent
from moorland.server.catalog.scope import readers_of
from moorland.server.catalog.storage import arriving, remove_ended
from moorland.server.directory.models import Account
from moorland.server.directory.service import newly_broken
from moorland.server.duties.rights import rights_of
from moorland.server.errors import Failure, from_document
from moorland.server.evaluating import evaluator
from moorland.server.releases.bundles import workspace
from moorland.server.schedules.models import Schedule, ScheduleRun
from moorland.server.schedules.shapes import Agreed, RunState, ScheduleText
from moorland.server.schedules.timing import follow_the_clock, next_run

#: A run that has not ended after so long is taken to have been cut off.
LONGEST = datetime.timedelta(hours=6)
#: So many runs of a schedule are remembered.
MOST_RUNS = 50

_log = logging.getLogger(__name__)


def run_due() -> int:
    """Runs every schedule whose time has come, each once; gives how many ran. What was missed while nothing ran is made up for once."""
    now = timezone.now()
    follow_the_clock(Schedule.objects.all(), lambda item: from_document(ScheduleText, item.document).when, workspace().time_zone, now)
    ran = 0
    for key in list(Schedule.objects.filter(enabled=True, next_at__lte=now).values_list("pk", flat=True)):
        ran += run(key) is not None
    return ran


def cut_off(now: datetime.datetime) -> Q:
    """What does not run, or was cut off while it did; nothing began later than now."""
    return Q(running_since=None) | Q(running_since__lt=now - LONGEST) | Q(running_since__gt=now)


def run(key: int) -> ScheduleRun | None:
    """One run; None where it runs already, or is gone."""
    now = timezone.now()
    if not Schedule.objects.filter(cut_off(now), pk=key).update(running_since=now):
        return None
    schedule = Schedule.objects.get(pk=key)
    made = ScheduleRun.objects.create(schedule=schedule)
    state: RunState = "failed"
    try:
        state, made.message, made.rows = _refreshed(schedule)
    except (BundleError, SourceFailed, Failure) as wrong:
        made.message = wrong.problems[0].sentence() if isinstance(wrong, BundleError) else wrong.message
    except Exception:
        _log.exception("schedule %s", key)
        made.message = "The server met an error. Nothing was changed."
    finally:
        made.state, made.ended_at, made.message = state, timezone.now(), made.message[:1000]
        made.save()
        text = from_document(ScheduleText, schedule.document)
        Schedule.objects.filter(pk=key).update(running_since=None, next_at=next_run(text.when, workspace().time_zone, timezone.now()))
        beyond = list(schedule.runs.values_list("pk", flat=True)[MOST_RUNS:])
        ScheduleRun.objects.filter(pk__in=beyond).delete()
    return made


def _refreshed(schedule: Schedule) -> tuple[RunState, str, int | None]:
    text = from_document(ScheduleText, schedule.document)
    keeper = may_still(schedule.keeper, text)
    content = stage_from_source(text.model, text.table, text.source, text.relation, keeper)
    report = from_document(RefreshReport, content.report)
    if report.same:
        TableContent.objects.filter(pk=content.pk).update(state="ended")
        remove_ended()
        return "same", "Nothing changed.", content.rows
    beyond = list(beyond_agreed(content, report, text.agreed))
    if beyond:
        return "waiting", " ".join(beyond), content.rows
    accept_refresh(content, keeper)
    return "accepted", f"{report.rows_before:,} rows before, {report.rows_after:,} after.", content.rows


def may_still(keeper: Account | None, text: ScheduleText) -> Account:
    """Whoever keeps a schedule, if they may still do by hand what it does. Raises Failure."""
    if keeper is None or not keeper.good_today():
        raise Failure(403, "not_allowed", "Whoever keeps this schedule has no account that is enabled. Somebody else has to keep it.")
    rights = rights_of(keeper)
    if not rights.reaches("models", model=text.model) or not rights.reaches("sources", source=text.source):
        raise Failure(403, "not_allowed", f"{keeper.name} has no duty any more over the model and the source.")
    entitling = any(readers_of(base, text.model, text.table) for base in (evaluator("draft"), evaluator("live")))
    if entitling and not rights.whole("map"):
        raise Failure(403, "not_allowed", f"Sentences look people up in {text.table}: its content is brought by who may map every role to everybody.")
    return keeper


def beyond_agreed(content: TableContent, report: RefreshReport, agreed: Agreed) -> Iterator[str]:
    """What of a refresh is beyond what was agreed, in sentences; none where it may be accepted by itself."""
    most = report.rows_before * agreed.percent / 100
    if report.lost_columns:
        yield f"The columns {', '.join(report.lost_columns)} are missing."
    if report.rows_before - report.rows_after > most:
        yield f"{report.rows_before - report.rows_after:,} of {report.rows_before:,} rows vanished."
    if report.keys is not None and report.keys.lost > most:
        yield f"{report.keys.lost:,} keys vanished."
    for moved in report.columns:
        # Amounts change all the time; what is grouped and restricted by does not.
        if moved.vanished.rows > most and (moved.type == "text" or moved.level_of):
            yield f"{moved.vanished.values:,} values of {moved.column} vanished, which {moved.vanished.rows:,} rows had."
    before = evaluator(compared_with(content))
    if agreed.nobody_gains_sensitive:
        tagged = _sensitive_tables(before)
        gaining = [viewer.login for viewer in report.viewers for table in viewer.tables if table.gained and (table.model, table.table) in tagged]
        if gaining:
            yield f"{', '.join(dict.fromkeys(gaining[:3]))}{' and others' if len(set(gaining)) > 3 else ''} would see more rows with sensitive columns."
    if agreed.no_promise_breaks:
        broken = newly_broken(before, before.with_content(arriving(content)))
        if broken:
            yield f"The promise {broken[0]} would break."


def _sensitive_tables(base: Evaluator) -> set[tuple[str, str]]:
    sensitive = set(base.bundle.sensitive_tags)
    return {(model.name, table.name) for model in base.bundle.models for table in model.tables if any(sensitive.intersection(c.tags) for c in table.columns)}
