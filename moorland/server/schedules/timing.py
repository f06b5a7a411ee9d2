"""When a schedule runs next."""

import datetime
import zoneinfo

from apscheduler.triggers.base import BaseTrigger
from apscheduler.triggers.cron import CronTrigger
from apscheduler.triggers.interval import IntervalTrigger

from moorland.server.schedules.shapes import When


def next_run(when: When, zone: str, after: datetime.datetime) -> datetime.datetime:
    """The first time after a moment; an hour that a day does not have moves to the next that it has."""
    found: datetime.datetime | None = _trigger(when, zoneinfo.ZoneInfo(zone), after).get_next_fire_time(None, after + datetime.timedelta(seconds=1))
    assert found is not None
    return found.astimezone(datetime.UTC)


def sooner(kept: datetime.datetime | None, when: When, zone: str, now: datetime.datetime) -> datetime.datetime | None:
    """The next time from now, where the one that is kept is later than that: it was set while the clock was ahead. None where it stands."""
    coming = next_run(when, zone, now)
    return coming if kept is not None and kept > coming else None


def _trigger(when: When, zone: zoneinfo.ZoneInfo, after: datetime.datetime) -> BaseTrigger:
    if when.minutes is not None:
        return IntervalTrigger(minutes=when.minutes, start_date=after + datetime.timedelta(minutes=when.minutes), timezone=zone)
    assert when.at is not None
    hour, _, minute = when.at.partition(":")
    return CronTrigger(hour=int(hour), minute=int(minute), day_of_week=",".join(when.days) or None, timezone=zone)
