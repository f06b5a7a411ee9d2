"""A run of an origin: what it says is tried, held where it is beyond the bounds, and applied whole or not at all (accounts.md 18)."""

import datetime
import hashlib
import json
import logging
from collections.abc import Callable, Iterable

from django.db.models import Q
from django.utils import timezone

from moorland.core.bundle.problems import BundleError
from moorland.server.changes import recorded
from moorland.server.directory.models import Account
from moorland.server.directory.service import Tried, still_as_judged, tried, tried_alone
from moorland.server.duties.rights import rights_of
from moorland.server.errors import Failure, from_document
from moorland.server.origins.arriving import MOST_ALONE, Arrived, arrive
from moorland.server.origins.models import Entry, Joined, Origin, OriginRun
from moorland.server.origins.said import Said
from moorland.server.origins.shapes import ArrivalReport, ArrivedRow, OriginDocument, OriginText
from moorland.server.origins.thresholds import LATELY, beyond_bounds

#: A run that has not ended after so long is taken to have been cut off.
LONGEST = datetime.timedelta(hours=2)
#: So many runs of an origin are remembered, and so many people of one are told.
MOST_RUNS, MOST_TOLD = 200, 500

_log = logging.getLogger(__name__)


def text_of(origin: Origin) -> OriginText:
    """What an origin is."""
    return from_document(OriginDocument, {"origin": origin.document}).origin


def tried_run(origin: Origin, text: OriginText, said: Said, by: Account, over_time: bool = False) -> tuple[ArrivalReport, Tried, Arrived]:
    """What a run would do; it is made and taken back. Raises Failure where it cannot be made."""
    made: list[Arrived] = []
    beyond: list[str] = []

    def change() -> None:
        made.append(arrive(origin, text, said))

    keys = {person.key for person in said.people} | said.gone
    alone = not said.whole and not said.members and len(keys) <= MOST_ALONE

    def about() -> set[int]:
        entries = Entry.objects.filter(origin=origin, key__in=keys).exclude(account=None).values_list("account_id", flat=True)
        return {*entries, *Joined.objects.filter(origin=origin, key__in=keys).values_list("account_id", flat=True)}

    found = (tried_alone(change, by, origin.pk, about) if alone else None) or tried(change, by, origin=origin.pk)
    arrived = made[-1]
    beyond += beyond_bounds(origin, text, found, arrived, over_time)
    return _report(found, arrived, beyond), found, arrived


def _report(found: Tried, arrived: Arrived, beyond: list[str]) -> ArrivalReport:
    rows = sorted(arrived.rows.values(), key=lambda row: (_ORDER[row.outcome], row.name))
    acting = [row for row in rows if row.outcome != "unchanged"]
    written = json.dumps([[row.key, row.outcome, row.changes] for row in acting if row.outcome != "refused"])
    return ArrivalReport(
        counts=arrived.counts(),
        rows=acting[:MOST_TOLD],
        more=max(0, len(acting) - MOST_TOLD),
        notes=arrived.notes,
        viewers=[item for item in found.viewers if item.changes][:MOST_TOLD],
        gained=found.gained[:MOST_TOLD],
        lost=found.lost[:MOST_TOLD],
        beyond=beyond,
        broken=found.broken,
        fingerprint=hashlib.sha256(written.encode()).hexdigest(),
    )


_ORDER = {"refused": 0, "gone": 1, "changed": 2, "created": 3, "unchanged": 4}


def carried_out(
    origin: Origin, text: OriginText, said: Said, by: Account, accepted: str | None = None, over_time: bool = False, whole: bool = False
) -> OriginRun:
    """One run: applied, the same as before, or held; what came of it is remembered.

    `over_time`: it comes by itself, and is counted with what came within the hour. `whole`: where one person is refused, all of it is.
    Raises Failure where nothing of it can be taken.
    """
    run = OriginRun(origin=origin)
    report, found, arrived = tried_run(origin, text, said, by, over_time)
    if whole and (refused := next((row.why for row in report.rows if row.outcome == "refused"), None)) is not None:
        raise Failure(409, "refused", refused)
    run.counts, run.fingerprint, run.report = report.counts, report.fingerprint, [row.model_dump(mode="json") for row in report.rows]
    run.gained, run.lost, run.gone = len(found.gained), len(found.lost), arrived.gone
    let_through = accepted == report.fingerprint or (over_time and origin.released_until is not None and origin.released_until > timezone.now())
    if report.beyond and not let_through:
        run.state, run.message = "held", " ".join(report.beyond)
    else:
        changes = any(report.counts[outcome] for outcome in ("created", "changed", "gone"))
        with recorded(by, "people from an origin", text.name, "people") as change:
            arrive(origin, text, said)
            if changes:
                still_as_judged(found)
                change.details = {**report.counts, "gained": len(found.gained), "lost": len(found.lost), "let through": bool(report.beyond)}
                change.after = {row.name: row.changes or [row.outcome] for row in report.rows if row.outcome != "refused"}
            else:
                change.nothing()
        run.state = "applied" if changes else "same"
        run.message = _told(arrived, _said(report.counts) if changes else "Nothing changed.")
    _remember(origin, run, over_time)
    return run


def _remember(origin: Origin, run: OriginRun, over_time: bool) -> None:
    """Keeps what came of a run. What comes one by one is kept where it changed somebody, and once where it is held again and again."""
    run.ended_at, run.message = timezone.now(), run.message[:1000]
    last = origin.runs.first() if run.state == "held" else None
    if last is not None and last.state == "held" and last.fingerprint == run.fingerprint:
        OriginRun.objects.filter(pk=last.pk).update(ended_at=run.ended_at, message=run.message)
        run.pk = last.pk
        return
    if over_time and run.state == "same":
        return
    run.save()
    beyond = OriginRun.objects.filter(pk__in=list(origin.runs.values_list("pk", flat=True)[MOST_RUNS:]))
    beyond.filter(began_at__lt=timezone.now() - LATELY).delete()


def _said(counts: dict[str, int]) -> str:
    parts = [f"{counts[outcome]:,} {word}" for outcome, word in (("created", "new"), ("changed", "changed"), ("gone", "gone")) if counts[outcome]]
    return f"{', '.join(parts)}."


def _told(arrived: Arrived, done: str) -> str:
    refused = arrived.counts()["refused"]
    return " ".join([done, *([f"{refused:,} refused."] if refused else []), *arrived.notes])


def keeper_of(origin: Origin) -> Account:
    """Whoever keeps an origin, if they may still do by hand what it does. Raises Failure."""
    keeper = origin.keeper
    if keeper is None or not keeper.good_today():
        raise Failure(403, "not_allowed", "Whoever keeps this has no account that is enabled. Somebody else has to keep it.")
    if not rights_of(keeper).keeps_all:
        raise Failure(403, "not_allowed", f"{keeper.name} has no duty over everything any more, which a directory needs.")
    return keeper


def once(origin: Origin, work: Callable[[], OriginRun]) -> OriginRun:
    """Lets one run of an origin go at a time; what it fails with is remembered. Raises Failure (409) where one is under way."""
    now = timezone.now()
    free = Origin.objects.filter(pk=origin.pk).filter(Q(running_since=None) | Q(running_since__lt=now - LONGEST))
    if not free.update(running_since=now):
        raise Failure(409, "busy", "It is being read already. Wait until that run ends.")
    trouble = "The server met an error. Nothing was changed."
    try:
        run = work()
        trouble = ""
        return run
    except (Failure, BundleError) as failure:
        trouble = failure.message if isinstance(failure, Failure) else failure.problems[0].sentence()
        raise
    except Exception:
        _log.exception("origin %s", origin.name)
        raise
    finally:
        Origin.objects.filter(pk=origin.pk).update(running_since=None, trouble=trouble[:600], troubled_at=timezone.now() if trouble else None)
        if trouble:
            OriginRun.objects.create(origin=origin, state="failed", message=trouble[:1000], ended_at=timezone.now())


def rows_told(run: OriginRun) -> Iterable[ArrivedRow]:
    """What a run did, as it was told."""
    return [from_document(ArrivedRow, row) for row in run.report]


def is_holding(origin: Origin) -> bool:
    """Whether the last that came is held, and nobody let it through since."""
    last = origin.runs.first()
    return last is not None and last.state == "held" and not (origin.released_until is not None and origin.released_until > timezone.now())


def waiting() -> list[tuple[str, str]]:
    """Origins that wait for somebody, by what they are called, with what is wrong."""
    found = []
    for origin in Origin.objects.filter(enabled=True):
        if origin.trouble:
            found.append((text_of(origin).title, origin.trouble))
        elif is_holding(origin):
            last = origin.runs.first()
            found.append((text_of(origin).title, f"held: {last.message if last is not None else ''}"))
    return found
