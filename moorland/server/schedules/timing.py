"""When a schedule runs next."""

import datetime
import zoneinfo
from collections.abc import Callable
from typing import Any

from apscheduler.triggers.base import BaseTrigger
from apscheduler.triggers.cron import CronTrigger
from apscheduler.triggers.interval import IntervalTrigger
from django.db.models import QuerySet

from moorland.server.schedules.shapes import When


def next_run(when: When, zone: str, after: datetime.datetime) -> datetime.datetime:
    """The first time after a moment; an hour that a day does not have moves to the next that it has."""
    found: datetime.datetime | None = _trigger(when, zoneinfo.ZoneInfo(zone), after).get_next_fire_time(None, after + datetime.timedelta(seconds=1))
    assert found is not None
    return found.astimezone(datetime.UTC)


def follow_the_clock(kept: QuerySet[Any], when_of: Callable[[Any], When | None], zone: str, now: datetime.datetime) -> None:
    """What was put off while the clock was ahead comes when it would have come: nothing waits longer than until its next time from now."""
    for item in kept.filter(enabled=True, next_at__gt=now):
        when = when_of(item)
        coming = next_run(when, zone, now) if when is not None else None
        if coming is not None and item.next_at > coming:
            kept.filter(pk=item.pk).update(next_at=coming)


def _trigger(when: When, zone: zoneinfo.ZoneInfo, after: datetime.datetime) -> BaseTrigger:
    if when.minutes is not None:
        return IntervalTrigger(minutes=when.minutes, start_date=after + datetime.timedelta(minutes=when.minutes), timezone=zone)
    assert when.at is not None
    hour, _, minute = when.at.partition(":")
    return CronTrigger(hour=int(hour), minute=int(minute), day_of_week=",".join(when.days) or None, timezone=zone)
