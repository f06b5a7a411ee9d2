"""The lines of a review, with what is told of each (accounts.md 22)."""

import datetime
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Refused
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.insight.holders import held_by
from moorland.core.insight.impact import impact
from moorland.core.insight.impacts import ViewerImpact
from moorland.core.people import Viewer
from moorland.server.directory.models import Account, Organization
from moorland.server.duties.models import GivenDuty
from moorland.server.duties.rights import duty_of
from moorland.server.errors import Failure
from moorland.server.evaluating import evaluator
from moorland.server.policies.models import Assignment
from moorland.server.releases.bundles import policy
from moorland.server.releases.history import member_since, remembered_since
from moorland.server.reviews.shapes import LineFacts, ReviewText
from moorland.server.viewing.role_use import last_used_of

#: So many lines a review has at most.
MOST_LINES = 20_000


@dataclass(frozen=True)
class Line:
    """A line before it is stored."""

    kind: str
    login: str
    subject: str
    model: str
    facts: LineFacts
    asked: str


def lines_of(text: ReviewText) -> list[Line]:
    """Every line of a review by what people hold now. Raises Failure where there are too many."""
    base = evaluator("live")
    chosen = [(viewer, role) for viewer in base.everyone() if viewer.enabled for role in viewer.held if _in_scope(base, text, viewer, role)]
    duties = list(_duties(base, text)) if text.scope.duties else []
    if len(chosen) + len(duties) > MOST_LINES:
        raise Failure(
            422, "too_large", f"This review would have {len(chosen) + len(duties):,} lines; at most {MOST_LINES:,}. Narrow it to some roles or organizations."
        )
    facts = _Facts(base, chosen)
    keepers = _Keepers(base, text)
    found = []
    for viewer, role in chosen:
        told = facts.of(viewer, role)
        if not text.scope.sensitive or told.sensitive:
            found.append(Line("role", viewer.login or "", role, base.roles[role].role.model or "", told, keepers.of(viewer, role)))
    return [*found, *(Line("duty", viewer.login or "", key, "", told, keepers.of(viewer, None)) for viewer, key, told in duties)]


def _in_scope(base: Evaluator, text: ReviewText, viewer: Viewer, role: str) -> bool:
    scope = text.scope
    if scope.roles != "all" and role not in scope.roles:
        return False
    if scope.organizations and not set(scope.organizations) & set(viewer.organizations):
        return False
    return not scope.groups or any(name in scope.groups for _, path in viewer.held[role].paths for name in path)


class _Facts:
    """What is told of each role somebody holds; what a role takes with it is worked out for all its holders at once."""

    def __init__(self, base: Evaluator, chosen: list[tuple[Viewer, str]]) -> None:
        self.base = base
        by_role: dict[str, list[str]] = {}
        for viewer, role in chosen:
            by_role.setdefault(role, []).append(viewer.login or "")
        self.lost = {role: self._lost(role, logins) for role, logins in by_role.items()}
        ids = policy("live")[1]
        self.made: dict[tuple[str, str], datetime.date] = {}
        for name, login, group, at in Assignment.objects.filter(role__in=ids.values()).values_list("role_id", "account__login", "group__name", "created_at"):
            self.made[_named(ids, name), login or group or ""] = at.date()
        through = {(viewer.login or "", path[0]) for viewer, role in chosen for _, path in viewer.held[role].paths if path}
        self.members = member_since(through)
        self.used = last_used_of({viewer.login or "" for viewer, _ in chosen})
        self.peers = _peers(base)
        self.sensitive = _sensitive(base)
        self.remembered = remembered_since()
        self._known: dict[tuple[str, str], set[tuple[str, str]]] = {}

    def _lost(self, role: str, logins: list[str]) -> dict[str, ViewerImpact]:
        compiled = self.base.roles[role]
        without = self.base.with_role(compiled.role.model_copy(update={"assigned": []}))
        return {item.login: item for item in impact(self.base, without, logins)}

    def of(self, viewer: Viewer, role: str) -> LineFacts:
        login, shape = viewer.login or "", self.base.roles[role].role
        home = self.base.people.organizations.get(viewer.organization or "")
        lost, columns = self.lost[role].get(login), self._columns_of(viewer, shape.model)
        return LineFacts(
            name=viewer.name or login,
            organization=home.title if home is not None else "",
            label=shape.title,
            restricts=shape.kind == "limit",
            held=held_by(self.base, viewer, role),
            since=self._since(viewer, role),
            remembered_since=self.remembered,
            opens=_opens(lost, shape.kind == "limit"),
            sensitive=[title for model, title, key in self.sensitive if model == shape.model and key in columns],
            peers=self._against(viewer, role),
            last_used=self.used.get(login, {}).get(role),
            lost=_also(self.base, viewer, role),
        )

    def _columns_of(self, viewer: Viewer, model: str | None) -> set[tuple[str, str]]:
        key = (viewer.login or "", model or "")
        if key not in self._known:
            self._known[key] = _columns(self.base, viewer, model)
        return self._known[key]

    def _since(self, viewer: Viewer, role: str) -> datetime.date | None:
        """The first day of the way that it is held longest by."""
        found: list[datetime.date | None] = []
        for assignment, path in viewer.held[role].paths:
            made = self.made.get((role, (assignment.user or assignment.group or "") if assignment is not None else ""))
            joined = self.members.get((viewer.login or "", path[0])) if path else made
            # Older than what is remembered: then the day of the mapping is all that is known.
            known = [day for day in (made, joined) if day is not None]
            found.append(max(known) if known and not (path and joined is None) else None)
        return None if None in found or not found else min(day for day in found if day is not None)

    def _against(self, viewer: Viewer, role: str) -> str:
        people = self.peers.get(viewer.organization or "", [])
        if len(people) < 2 or viewer.organization is None:
            return "nobody else there to compare with"
        others = sum(role in other.held for other in people if other.login != viewer.login)
        home = self.base.people.organizations[viewer.organization].title
        return f"{others} of {len(people) - 1} others in {home} hold it"


def _named(ids: dict[str, int], key: int) -> str:
    return next((name for name, role in ids.items() if role == key), "")


def _peers(base: Evaluator) -> dict[str, list[Viewer]]:
    found: dict[str, list[Viewer]] = {}
    for viewer in base.everyone():
        if viewer.enabled and viewer.organization is not None:
            found.setdefault(viewer.organization, []).append(viewer)
    return found


def _sensitive(base: Evaluator) -> list[tuple[str, str, tuple[str, str]]]:
    """The sensitive columns of each model, with their titles."""
    tags = set(base.bundle.sensitive_tags)
    return [
        (model.name, f"{table.title}: {column.title}", (table.name, column.name))
        for model in base.bundle.models
        for table in model.tables
        for column in table.columns
        if tags.intersection(column.tags)
    ]


def _columns(base: Evaluator, viewer: Viewer, model: str | None) -> set[tuple[str, str]]:
    """The columns of a model that exist for somebody."""
    try:
        return set(base.viewer_model(viewer, model).objects.columns) if model is not None else set()
    except (Refused, SourceFailed):
        return set()


def _opens(lost: ViewerImpact | None, limit: bool) -> str:
    """What somebody has by a role alone, in one sentence."""
    if lost is None:
        return "Takes nothing away here." if limit else "Opens nothing that other roles do not open too."
    if lost.not_known:
        return "Not known: a source that is chosen for them does not answer."
    rows = [(table.table, table.gained if limit else table.lost, table.rows) for table in lost.tables]
    parts = [f"{count:,} of {every:,} rows of {table}" for table, count, every in sorted(rows, key=lambda item: -item[1]) if count][:3]
    more = len([row for row in rows if row[1]]) - len(parts)
    objects = lost.gained if limit else lost.lost
    kinds: dict[str, int] = {}
    for item in objects:
        kind = item.split(" ", 1)[0]
        kinds[kind] = kinds.get(kind, 0) + 1
    parts += [f"rows of {more} more tables"] if more > 0 else []
    parts += [f"{count} {kind}{'s' if count > 1 else ''}" for kind, count in kinds.items()]
    if not parts:
        return "Shows cells that are masked without it." if not limit else "Masks cells."
    return f"{'Takes away' if limit else 'Alone it opens'} {', '.join(parts)}."


def _also(base: Evaluator, viewer: Viewer, role: str) -> str:
    """What would go with it beside: other roles that hang on a membership by which it is held."""
    groups = {path[0] for _, path in viewer.held[role].paths if path}
    others = [_titled(base, name) for name, held in viewer.held.items() if name != role and all(path and path[0] in groups for _, path in held.paths)]
    return f"Leaving {', '.join(sorted(base.people.groups[name].title for name in groups))} takes {', '.join(others)} too." if others else ""


def _titled(base: Evaluator, role: str) -> str:
    shape = base.roles[role].role
    return f"{shape.title} (restricts)" if shape.kind == "limit" else shape.title


def _duties(base: Evaluator, text: ReviewText) -> Iterator[tuple[Viewer, str, LineFacts]]:
    """A line for each duty somebody holds in person or by a group."""
    remembered = remembered_since()
    for given in GivenDuty.objects.select_related("account", "group"):
        duty = duty_of(given)
        if (duty.until is not None and duty.until < base.as_of) or (
            given.group is not None and text.scope.groups and given.group.name not in text.scope.groups
        ):
            continue
        for viewer in _holders(base, given):
            if text.scope.organizations and not set(text.scope.organizations) & set(viewer.organizations):
                continue
            home = base.people.organizations.get(viewer.organization or "")
            how = "given in person" if given.account is not None else f"through {given.group.label or given.group.name if given.group else ''}"
            scope = "over everything" if duty.within == "everything" else "within a scope"
            facts = LineFacts(
                name=viewer.name or "",
                organization=home.title if home is not None else "",
                label=", ".join(duty.acts),
                held=[f"{how} by {given.given_by}" if given.given_by else how],
                since=given.given_at.date(),
                remembered_since=remembered,
                opens=f"May do {', '.join(duty.acts)} {scope}.",
                sensitive=[],
                peers="",
                last_used=None,
                lost="",
            )
            yield viewer, str(given.pk), facts


def _holders(base: Evaluator, given: GivenDuty) -> Iterable[Viewer]:
    if given.account is not None:
        return [viewer for viewer in base.everyone() if viewer.login == given.account.login and viewer.enabled]
    return [viewer for viewer in base.everyone() if given.group is not None and given.group.name in viewer.groups and viewer.enabled]


class _Keepers:
    """Who answers for what; nobody answers for themselves. Blank: whoever keeps checks."""

    def __init__(self, base: Evaluator, text: ReviewText) -> None:
        self.base, self.text = base, text
        self.able = set(Account.objects.filter(enabled=True, kind="person").values_list("login", flat=True))
        self.organizations = dict(Organization.objects.values_list("name", "keeper"))

    def of(self, viewer: Viewer, role: str | None) -> str:
        """The login of who answers for somebody and a role, or a duty."""
        return next((login for login in self._possible(viewer, role) if login in self.able and login != viewer.login), "")

    def _possible(self, viewer: Viewer, role: str | None) -> Iterator[str]:
        match self.text.answered_by:
            case "named":
                yield self.text.named or ""
            case "organization":
                yield from (self.organizations.get(name, "") for name in viewer.organizations)
            case "role":
                yield (self.base.roles[role].role.keeper or "") if role is not None else ""
