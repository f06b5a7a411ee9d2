"""The one scheduler of the server: it looks every few seconds for what is due, so that it survives restarts and needs to know of no change."""

import logging

from apscheduler.schedulers.background import BackgroundScheduler
from django.db import connection

from moorland.server.origins.ldap_runs import run_due_directories
from moorland.server.origins.models import Origin
from moorland.server.releases.models import Workspace
from moorland.server.reviews.closing import run_due_reviews
from moorland.server.schedules.checks import run_due_checks
from moorland.server.schedules.models import ChecksSchedule, Schedule
from moorland.server.schedules.running import run_due

#: Seconds between two looks.
LOOK_SECONDS = 5

_log = logging.getLogger(__name__)


def start() -> BackgroundScheduler:
    """Looks for what is due for as long as the server runs; one look at a time. What ran when the server stopped is free again."""
    for kind in (Schedule, ChecksSchedule, Origin):
        kind.objects.exclude(running_since=None).update(running_since=None)
    scheduler = BackgroundScheduler(timezone="UTC")
    scheduler.add_job(_look, "interval", seconds=LOOK_SECONDS, max_instances=1, coalesce=True)
    scheduler.start()
    return scheduler


def _look() -> None:
    try:
        if not Workspace.objects.exists():
            return
        run_due()
        run_due_checks()
        run_due_directories()
        run_due_reviews()
    except Exception:
        _log.exception("schedules could not be looked at")
    finally:
        connection.close()
