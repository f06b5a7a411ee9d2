"""Promises that run by schedule: rows in sources change without anybody's change here, and what must hold is looked at again (sources.md 19.3)."""

import logging

from django.utils import timezone

from moorland.server.checks.models import PromiseState
from moorland.server.checks.running import results
from moorland.server.errors import Failure, from_document
from moorland.server.evaluating import evaluator
from moorland.server.releases.bundles import workspace
from moorland.server.schedules.models import ChecksSchedule
from moorland.server.schedules.running import cut_off
from moorland.server.schedules.shapes import When
from moorland.server.schedules.timing import follow_the_clock, next_run
from moorland.server.trail.models import record

_log = logging.getLogger(__name__)


def run_due_checks() -> bool:
    """Runs the promises where their time has come; whether they ran."""
    now = timezone.now()
    follow_the_clock(ChecksSchedule.objects.all(), lambda item: from_document(When, item.document), workspace().time_zone, now)
    due = ChecksSchedule.objects.filter(enabled=True, next_at__lte=now).exists()
    return due and run_checks() is not None


def run_checks() -> str | None:
    """One run: what came of it, in a sentence; None where it runs already, or there is no schedule."""
    now = timezone.now()
    if not ChecksSchedule.objects.filter(cut_off(now)).update(running_since=now):
        return None
    well, message = False, "The server met an error. Run them by hand."
    try:
        well, message = _checked()
    except Failure as failure:
        message = failure.message
    except Exception:
        _log.exception("promises by schedule")
    finally:
        schedule = ChecksSchedule.objects.first()
        if schedule is not None:
            when = from_document(When, schedule.document)
            upcoming = next_run(when, workspace().time_zone, timezone.now()) if schedule.enabled else None
            ended = {"running_since": None, "next_at": upcoming, "last_at": timezone.now(), "last_message": message[:1000], "last_well": well}
            ChecksSchedule.objects.filter(pk=schedule.pk).update(**ended)
    return message


def _checked() -> tuple[bool, str]:
    """Runs every promise of what is live, on what sources hold now; whether all are kept, and what is newly broken."""
    held = set(PromiseState.objects.filter(state="live", kept=True).values_list("name", flat=True))
    found = results("live", evaluator("live").bundle.promises)
    broken = [item for item in found if not item.kept]
    newly = [item.label for item in broken if item.name in held]
    record("moorland", "run promises", "by schedule", promises=len(found), broken=len(broken), newly_broken=newly)
    if not found:
        return True, "Nothing is promised."
    if not broken:
        return True, f"All {len(found)} kept."
    since = f" Newly broken: {', '.join(newly)}." if newly else " None newly."
    return False, f"{len(broken)} of {len(found)} broken.{since}"
