"""People who see otherwise than most of their group or organization, and what changed against another day or state (semantics.md 11.5)."""

from collections import Counter
from collections.abc import Iterator
from fractions import Fraction
from typing import Literal

from moorland.core.bundle.shape import Shape
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.holders import held_by
from moorland.core.insight.reach import Reach, ReachClass

#: A group says something of its people where it has at least so many, and at least this share of them see the same.
LEAST_PEOPLE, LEAST_SHARE = 4, Fraction(2, 3)


class StandsOut(Shape):
    """Somebody whose class is not that of most of the smallest group, or organization, that says something of its people."""

    login: str
    name: str
    of: Literal["group", "organization"]
    among: str
    label: str
    others: int
    message: str


class Crossing(Shape):
    """What of a class is otherwise for some of its people than it was, and how it was."""

    what: str
    before: list[str]


def standing_out(evaluator: Evaluator, found: Reach) -> list[StandsOut]:
    """Everybody who stands out, in login order."""
    class_of = {login: place for place, item in enumerate(found.classes) for login in item.logins}
    circles = sorted(_circles(evaluator), key=lambda circle: (len(circle[3]), circle[0], circle[1]))
    told: dict[str, StandsOut] = {}
    looked_at: set[str] = set()
    for kind, name, label, logins in circles:
        if len(logins) < LEAST_PEOPLE:
            continue
        usual, alike = Counter(class_of[login] for login in logins).most_common(1)[0]
        if Fraction(alike, len(logins)) < LEAST_SHARE:
            continue
        for login in logins:
            if login in looked_at:
                continue
            looked_at.add(login)
            if class_of[login] != usual:
                own, most = found.classes[class_of[login]], found.classes[usual]
                message = f"sees {_difference(own, most)} than the {alike} others of {label} who see the same{_by(evaluator, login, most)}"
                title = evaluator.people.users[login].name
                told[login] = StandsOut(login=login, name=title, of=kind, among=name, label=label, others=alike, message=message)
    return [told[login] for login in sorted(told)]


def crossings(before: Reach, after: ReachClass) -> list[Crossing]:
    """What was otherwise for some people of a class; people who were not there are left out."""
    old = [item for item in before.classes if not set(item.logins).isdisjoint(after.logins)]
    found = []
    for name, told in _told(after):
        was = sorted({dict(_told(item)).get(name, "absent") for item in old} - {told})
        if was:
            found.append(Crossing(what=name, before=was))
    return found


def _told(item: ReachClass) -> Iterator[tuple[str, str]]:
    """Everything a class tells, name by name."""
    yield from ((f"table:{name}", str(table.rows)) for name, table in item.tables.items())
    yield from ((f"column:{name}", state) for name, state in item.columns.items())
    yield from ((f"measure:{name}", str(rows)) for name, rows in item.measures.items())
    yield from ((f"page:{name}", "opens") for name in item.pages)


def _circles(evaluator: Evaluator) -> Iterator[tuple[Literal["group", "organization"], str, str, list[str]]]:
    """Groups with their effective enabled members, and organizations with their enabled people."""
    groups: dict[str, list[str]] = {}
    organizations: dict[str, list[str]] = {}
    for viewer in evaluator.everyone():
        if not viewer.enabled or viewer.login is None:
            continue
        for group in viewer.groups:
            groups.setdefault(group, []).append(viewer.login)
        if viewer.organization is not None:
            organizations.setdefault(viewer.organization, []).append(viewer.login)
    for name, logins in groups.items():
        yield "group", name, evaluator.people.groups[name].title, logins
    titles = {item.name: item.title for item in evaluator.bundle.organizations}
    for name, logins in organizations.items():
        yield "organization", name, titles.get(name, name), logins


def _difference(own: ReachClass, most: ReachClass) -> str:
    """The largest differences of two classes in words: tables first, then columns and pages."""
    parts = []
    for name, table in own.tables.items():
        there = most.tables[name].rows if name in most.tables else 0
        if table.rows != there:
            parts.append((abs(table.rows - there), f"{abs(table.rows - there):,} {'more' if table.rows > there else 'fewer'} rows of {name.partition('.')[2]}"))
    words = [text for _, text in sorted(parts, key=lambda part: -part[0])[:2]]
    more = [name for name, state in own.columns.items() if state == "clear" and most.columns.get(name) != "clear"]
    fewer = [name for name, state in most.columns.items() if state == "clear" and own.columns.get(name) != "clear"]
    for names, how in ((more, "more"), (fewer, "fewer")):
        if names and not words:
            words.append(f"{len(names):,} {how} {'column' if len(names) == 1 else 'columns'} in clear")
    for pages, how in ((set(own.pages) - set(most.pages), "more"), (set(most.pages) - set(own.pages), "fewer")):
        if pages:
            words.append(f"{len(pages)} {how} {'page' if len(pages) == 1 else 'pages'}")
    return " and ".join(words) if words else "otherwise"


def _by(evaluator: Evaluator, login: str, most: ReachClass) -> str:
    """The roles somebody holds that those who see the same do not, and how; or those that only the others hold."""
    viewer = evaluator.viewer(login)
    usual = set(evaluator.viewer(most.logins[0]).held)
    own = [name for name in viewer.held if name not in usual]
    if own:
        told = [f"{evaluator.roles[name].role.title}, {' and '.join(held_by(evaluator, viewer, name))}" for name in own]
        return f": by {'; '.join(told)}"
    missing = [evaluator.roles[name].role.title for name in sorted(usual - set(viewer.held))]
    return f": without {', '.join(missing)}" if missing else ": by its own attributes"
