"""How long the trail is kept: entries past their time go, and a sealed summary of them stays."""

from collections import Counter
from datetime import timedelta

from django.db import transaction
from django.utils import timezone

from moorland.server.releases.models import Workspace
from moorland.server.trail.models import Entry, Summary, record, sealed

#: Nobody may keep the trail for fewer days.
LEAST_DAYS = 30


def remove_old() -> int:
    """Removes the entries that are past the time they are kept, if that is set, and writes their summary; tells how many went."""
    space = Workspace.objects.first()
    if space is None or space.trail_days is None:
        return 0
    with transaction.atomic():
        until = timezone.now() - timedelta(days=max(space.trail_days, LEAST_DAYS))
        newest = Entry.objects.first()
        # The newest entry stays: the next one follows on it. What is removed is always the beginning.
        young = Entry.objects.filter(at__gte=until).order_by("number").values_list("number", flat=True).first()
        end = young if young is not None else newest.number if newest is not None else 0
        old = Entry.objects.filter(number__lt=end).order_by("number")
        last = old.last()
        if last is None:
            return 0
        first = old[0]
        counts = Counter(f"{actor}: {action}" for actor, action in old.values_list("actor", "action"))
        summary = Summary(number=last.number, last_seal=last.seal, first_at=first.at, last_at=last.at, counts=dict(counts))
        summary.seal = sealed("summary", summary.number, summary.content())
        summary.save()
        removed, _ = Entry.objects.filter(number__lte=last.number).delete()
        record("moorland", "remove trail entries", f"up to {last.number}", removed=removed, days=space.trail_days)
    return removed
