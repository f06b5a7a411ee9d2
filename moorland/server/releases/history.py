"""People as they were: kept once for each day on which they changed, so that "as lived on that day" can be answered."""

import base64
import datetime
import json
import zlib
from collections.abc import Iterator
from typing import Any

from cryptography.fernet import InvalidToken
from django.conf import settings

from moorland.core.today import today_in
from moorland.server.directory.document import people_document
from moorland.server.errors import Failure
from moorland.server.keys import sealing_keys
from moorland.server.policies.assignments import assignments_of_roles
from moorland.server.releases.models import PeopleDay, Workspace
from moorland.server.unchanged import unless_changed


def keep_yesterday() -> None:
    """Before the first change of people on a day: keeps them as they were until the day before. Inside the transaction of the change."""
    space = Workspace.objects.first()
    if space is None:
        return
    today = today_in(space.time_zone)
    if space.people_since is None:
        # There is nothing before the first change, and nothing is told of it.
        Workspace.objects.filter(pk=space.pk).update(people_since=today)
        return
    yesterday = today - datetime.timedelta(days=1)
    if space.people_since > yesterday or PeopleDay.objects.filter(last_day__gte=yesterday).exists():
        return
    PeopleDay.objects.create(last_day=yesterday, sealed=_sealed({"people": people_document(), "assigned": _assigned()}))


def people_on(day: datetime.date) -> tuple[dict[str, Any], dict[int, list[dict[str, Any]]]]:
    """The people part of a bundle, and the assignments of each role by its id, at the end of a day. Raises Failure for a day before the history."""
    space = unless_changed("workspace", Workspace.objects.first)
    today = today_in(space.time_zone if space else "UTC")
    since = space.people_since if space and space.people_since else today
    if day < since:
        message = f"The history of people begins on {since}. Who saw what before that day cannot be told."
        raise Failure(422, "before_history", message)
    kept = PeopleDay.objects.filter(last_day__gte=day).order_by("last_day").first()
    if kept is None:
        return people_document(), assignments_of_roles()
    found = _opened(kept)
    return found["people"], {int(role): assigned for role, assigned in found["assigned"].items()}


def remembered_since() -> datetime.date:
    """The first day of the history of people."""
    space = unless_changed("workspace", Workspace.objects.first)
    today = today_in(space.time_zone if space else "UTC")
    return space.people_since if space and space.people_since else today


def days_before() -> Iterator[tuple[datetime.date, dict[str, Any], dict[int, list[dict[str, Any]]]]]:
    """What is kept of days that are over, the last one first: until which day, people, and the assignments of each role."""
    for kept in PeopleDay.objects.order_by("-last_day").iterator():
        found = _opened(kept)
        yield kept.last_day, found["people"], {int(role): assigned for role, assigned in found["assigned"].items()}


def member_since(pairs: set[tuple[str, str]]) -> dict[tuple[str, str], datetime.date]:
    """Since which day people (by login) are in groups without a break; who is in one for longer than is remembered is left out."""
    found: dict[tuple[str, str], datetime.date] = {}
    open_ = set(pairs)
    for last_day, people, _ in days_before():
        if not open_:
            break
        members = {group["name"]: set(group["users"]) for group in people["groups"]}
        ended = {(login, group) for login, group in open_ if login not in members.get(group, ())}
        found.update(dict.fromkeys(ended, last_day + datetime.timedelta(days=1)))
        open_ -= ended
    return found


def _assigned() -> dict[str, list[dict[str, Any]]]:
    return {str(role): assigned for role, assigned in assignments_of_roles().items()}


def _sealed(document: dict[str, Any]) -> str:
    packed = base64.b64encode(zlib.compress(json.dumps(document).encode()))
    return sealing_keys(settings.SEALING_KEYS).encrypt(packed).decode()


def _opened(kept: PeopleDay) -> dict[str, Any]:
    try:
        packed = sealing_keys(settings.SEALING_KEYS).decrypt(kept.sealed.encode())
    except InvalidToken:
        raise Failure(409, "unusable", f"The people kept for {kept.last_day} cannot be opened with the keys of this workspace.") from None
    document: dict[str, Any] = json.loads(zlib.decompress(base64.b64decode(packed)))
    return document
