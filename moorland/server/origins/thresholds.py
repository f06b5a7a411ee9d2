"""What of a run is beyond what an origin may do by itself (accounts.md 18)."""

import datetime
from collections.abc import Iterator

from django.utils import timezone

from moorland.server.directory.service import Tried
from moorland.server.origins.arriving import Arrived
from moorland.server.origins.models import Entry, Origin, OriginRun
from moorland.server.origins.shapes import OriginText

#: What comes one by one is counted over so long.
LATELY = datetime.timedelta(hours=1)


def beyond_bounds(origin: Origin, text: OriginText, found: Tried, arrived: Arrived, over_time: bool) -> Iterator[str]:
    """What is beyond the bounds, in sentences; none where it may be applied by itself. `over_time` counts with it what came within the hour."""
    lately = OriginRun.objects.filter(origin=origin, state="applied", began_at__gte=timezone.now() - LATELY) if over_time else OriginRun.objects.none()
    gained = len(found.gained) + sum(lately.values_list("gained", flat=True))
    lost = len(found.lost) + sum(lately.values_list("lost", flat=True))
    gone = arrived.gone + sum(lately.values_list("gone", flat=True))
    span = " within an hour" if over_time else ""
    if gained > text.bounds.gain:
        yield f"{gained:,} people would gain a role or lose a limit{span}; up to {text.bounds.gain:,} may by itself."
    if lost > text.bounds.lose:
        yield f"{lost:,} people would lose a role or gain a limit{span}; up to {text.bounds.lose:,} may by itself."
    there = Entry.objects.filter(origin=origin, kind="person", gone=False).exclude(account=None).count()
    # Tried and taken back, or applied: who is gone by it is among those who were there, or was within the hour.
    there += sum(lately.values_list("gone", flat=True))
    if gone and gone * 100 > text.bounds.gone_percent * there:
        yield f"{gone:,} of {there:,} people are gone from it{span}; up to {text.bounds.gone_percent} percent may be by itself."
