"""What somebody held when: organization, memberships, attribute values and mappings in person, each from a day to a day, by whom (accounts.md 25)."""

import datetime
import zoneinfo
from collections.abc import Iterator
from typing import Any

from moorland.core.bundle.shape import Shape
from moorland.server.directory.document import people_document
from moorland.server.policies.assignments import assignments_of_roles
from moorland.server.policies.models import Role
from moorland.server.releases.bundles import workspace
from moorland.server.releases.history import days_before, remembered_since
from moorland.server.trail.models import Entry

#: A facet of somebody: what kind it is, of which name, and its value in words.
Facet = tuple[str, str, str]


class HeldWhen(Shape):
    """Something somebody had between two days; without `since` it is older than what is remembered, without `until` it is so now.

    `by` and `act` are who changed it and how, on the day it began, as the trail has it.
    """

    kind: str
    name: str
    value: str
    since: datetime.date | None
    until: datetime.date | None
    by: str | None = None
    act: str | None = None


class PersonHistory(Shape):
    """All of it, newest first; `remembered_since` is the first day known."""

    remembered_since: datetime.date
    held: list[HeldWhen]


def history_of(login: str, attributes: set[str]) -> PersonHistory:
    """What somebody held when; of attributes, those that may be told."""
    begun: dict[Facet, datetime.date | None] = {}
    over: list[HeldWhen] = []
    since: datetime.date | None = None
    for last_day, facets in _states(login, attributes):
        for facet in [facet for facet in begun if facet not in facets]:
            kind, name, value = facet
            # It was so until the day before this state began.
            over.append(HeldWhen(kind=kind, name=name, value=value, since=begun.pop(facet), until=since - datetime.timedelta(days=1) if since else None))
        for facet in facets:
            begun.setdefault(facet, since)
        since = last_day + datetime.timedelta(days=1) if last_day is not None else None
    now = [HeldWhen(kind=kind, name=name, value=value, since=day, until=None) for (kind, name, value), day in begun.items()]
    found = sorted([*now, *over], key=lambda item: (item.until is not None, -(item.until or datetime.date.max).toordinal(), item.kind, item.name))
    acts: dict[datetime.date | None, list[Entry]] = {day: _acts_of(day, login) for day in {item.since for item in found if item.since is not None}}
    return PersonHistory(remembered_since=remembered_since(), held=[_with_author(item, acts.get(item.since, [])) for item in found])


def _states(login: str, attributes: set[str]) -> Iterator[tuple[datetime.date | None, set[Facet]]]:
    """What held of somebody, the oldest first, each with its last day; None for now."""
    roles = dict(Role.objects.values_list("pk", "name"))
    kept = [(day, _facets(people, assigned, roles, login, attributes)) for day, people, assigned in days_before()]
    yield from reversed(kept)
    yield None, _facets(people_document(), assignments_of_roles(), roles, login, attributes)


def _facets(people: dict[str, Any], assigned: dict[int, list[dict[str, Any]]], roles: dict[int, str], login: str, attributes: set[str]) -> set[Facet]:
    user = next((item for item in people["users"] if item["login"] == login), None)
    if user is None:
        return set()
    found: set[Facet] = {("organization", "", user["organization"] or "none"), ("name", "", user["name"])}
    if not user["enabled"]:
        found.add(("disabled", "", "disabled"))
    found |= {("group", group["name"], "member") for group in people["groups"] if login in group["users"]}
    for name, value in user["attributes"].items():
        if name in attributes and value is not None:
            found.add(("attribute", name, ", ".join(map(str, value)) if isinstance(value, list) else str(value)))
    for role, items in assigned.items():
        for item in items:
            if item.get("user") == login:
                days = [f"from {item['from']}" if item.get("from") else "", f"until {item['until']}" if item.get("until") else ""]
                found.add(("role", roles.get(role, str(role)), " ".join(part for part in days if part) or "mapped in person"))
    return found


def _with_author(held: HeldWhen, acts: list[Entry]) -> HeldWhen:
    """Who made it so, where an act of that day names it, or names nothing else."""
    for entry in acts:
        if not held.name or held.name in str(entry.details) or held.kind not in str(entry.details):
            return held.model_copy(update={"by": entry.actor, "act": f"{entry.action} {entry.subject}".strip()})
    return held


def _acts_of(day: datetime.date, login: str) -> list[Entry]:
    """The acts of a day that were about somebody."""
    start = datetime.datetime.combine(day, datetime.time(), zoneinfo.ZoneInfo(workspace().time_zone))
    found = Entry.objects.filter(at__gte=start, at__lt=start + datetime.timedelta(days=1), action__in=_ACTS).order_by("number")
    return [entry for entry in found if _concerns(entry, login)]


def _concerns(entry: Entry, login: str) -> bool:
    details = entry.details
    after = details.get("after")
    named = details.get("logins") or []
    return entry.subject == login or login in named or (isinstance(after, dict) and login in after) or login in str(details.get("added", ""))


#: The acts by which what somebody holds changes.
_ACTS = {
    "change people", "add person", "leave", "save group", "map role", "unmap role", "people from an origin", "import people", "import groups", "import bundle", "answer review",
}  # fmt: skip
