"""People who are elsewhere than on an earlier day: what they held and hold, and what only the old place gave (accounts.md 24)."""

import datetime
from typing import Any

from moorland.core.engine.evaluator import Evaluator
from moorland.core.people import Viewer
from moorland.server.evaluating import evaluator
from moorland.server.reviews.shapes import Mover, MoversAnswer


def movers(since: datetime.date, known: Any) -> MoversAnswer:
    """Everybody whose organization, groups or attributes are otherwise than at the end of a day. Raises Failure for a day before the history."""
    old, new = evaluator("live", since, as_lived=True), evaluator("live")
    secret = {name for name, definition in new.people.definitions.items() if definition.shown_to == "nobody"}
    found = []
    for viewer in new.everyone():
        login = viewer.login or ""
        if not viewer.enabled or login not in old.people.users or not known(viewer):
            continue
        before = old.viewer(login)
        changes = list(_changes(old, new, before, viewer, secret))
        if changes:
            found.append(_mover(old, new, before, viewer, changes))
    return MoversAnswer(since=since, movers=found)


def _changes(old: Evaluator, new: Evaluator, before: Viewer, now: Viewer, secret: set[str]) -> Any:
    if before.organization != now.organization:
        yield f"organization: {_place(old, before.organization)} → {_place(new, now.organization)}"
    for name in sorted(set(before.groups) - set(now.groups)):
        yield f"left {_group(old, name)}"
    for name in sorted(set(now.groups) - set(before.groups)):
        yield f"joined {_group(new, name)}"
    for name in sorted((before.attributes.keys() & now.attributes.keys()) - secret):
        if before.attributes[name].values != now.attributes[name].values:
            yield f"{name}: {_values(before, name)} → {_values(now, name)}"


def _mover(old: Evaluator, new: Evaluator, before: Viewer, now: Viewer, changes: list[str]) -> Mover:
    """What they hold in person or by membership since before, that nobody else in the new place holds."""
    others = [viewer for viewer in new.everyone() if viewer.organization == now.organization and viewer.login != now.login and viewer.enabled]
    moved = before.organization != now.organization
    kept_groups = [name for name, path in now.groups.items() if len(path) == 1 and name in before.groups and not any(name in other.groups for other in others)]
    kept_roles = [
        name
        for name, held in now.held.items()
        if name in before.held
        and new.roles[name].role.kind == "grant"
        and any(assignment is not None and assignment.user == now.login for assignment, _ in held.paths)
        and not any(name in other.held for other in others)
    ]
    return Mover(
        login=now.login or "",
        name=now.name or "",
        changes=changes,
        gained=[new.roles[name].role.title for name in now.held if name not in before.held],
        lost=[old.roles[name].role.title for name in before.held if name not in now.held],
        kept_roles=kept_roles if moved else [],
        kept_groups=kept_groups if moved else [],
    )


def _place(base: Evaluator, name: str | None) -> str:
    return base.people.organizations[name].title if name is not None and name in base.people.organizations else "none"


def _group(base: Evaluator, name: str) -> str:
    return base.people.groups[name].title if name in base.people.groups else name


def _values(viewer: Viewer, name: str) -> str:
    values = viewer.attributes[name].values
    return ", ".join(map(str, values)) if values else "none"
