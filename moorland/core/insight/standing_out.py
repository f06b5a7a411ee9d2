"""People who see otherwise than most of their group or organization, and what changed against another day or state (semantics.md 11.5)."""

from collections import Counter
from collections.abc import Iterator, Sequence
from fractions import Fraction
from typing import Any, Literal

from moorland.core.bundle.shape import Shape
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.holders import held_by
from moorland.core.insight.model_reach import STATES, ReachClass
from moorland.core.insight.reach import Reach

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
                message = f"sees {_difference(found, own, most)} than the {alike} others of {label} who see the same{_by(evaluator, login, most)}"
                title = evaluator.people.users[login].name
                told[login] = StandsOut(login=login, name=title, of=kind, among=name, label=label, others=alike, message=message)
    return [told[login] for login in sorted(told)]


def crossings(before: Reach, now: Reach) -> list[list[Crossing]]:
    """For each class what was otherwise for some of its people; people who were not there are left out."""
    old_class = {login: item for item in before.classes for login in item.logins}
    tables, columns, measures = (
        _places(old, new) for old, new in ((_names(before), _names(now)), (before.columns, now.columns), (before.measures, now.measures))
    )
    told = []
    for item in now.classes:
        old = list({id(one): one for login in item.logins if (one := old_class.get(login)) is not None}.values())
        found = [_crossing("table", name, str(rows), [str(one.rows[at]) for one in old]) for name, rows, at in _both(_names(now), item.rows, tables)]
        found += [
            _crossing("column", name, STATES[state], [STATES[one.states[at]] for one in old])
            for name, state, at in _both(now.columns, item.states, columns)
            if any(one.states[at] != state for one in old)
        ]
        found += [
            _crossing("measure", name, _counted(rows), [_counted(one.counted[at]) for one in old])
            for name, rows, at in _both(now.measures, item.counted, measures)
        ]
        pages = {page for one in (item, *old) for page in one.pages} if old else set()
        found += [_crossing("page", page, _opens(item, page), [_opens(one, page) for one in old]) for page in sorted(pages)]
        told.append([crossing for crossing in found if crossing is not None])
    return told


def _names(found: Reach) -> list[str]:
    return [table.name for table in found.tables]


def _places(old: list[str], new: list[str]) -> list[int | None]:
    """Where each of the new names stood among the old ones."""
    at = {name: place for place, name in enumerate(old)}
    return [at.get(name) for name in new]


def _both(names: list[str], values: Sequence[Any], places: list[int | None]) -> Iterator[tuple[str, Any, int]]:
    return ((name, value, at) for name, value, at in zip(names, values, places, strict=True) if at is not None)


def _crossing(kind: str, name: str, now: str, before: list[str]) -> Crossing | None:
    was = sorted(set(before) - {now})
    return Crossing(what=f"{kind}:{name}", before=was) if was else None


def _counted(rows: int | None) -> str:
    return "absent" if rows is None else str(rows)


def _opens(item: ReachClass, page: str) -> str:
    return "opens" if page in item.pages else "does not open"


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


def _difference(found: Reach, own: ReachClass, most: ReachClass) -> str:
    """The largest differences of two classes in words: tables first, then columns and pages."""
    parts = []
    for name, rows, there in zip(_names(found), own.rows, most.rows, strict=True):
        if rows != there:
            parts.append((abs(rows - there), f"{abs(rows - there):,} {'more' if rows > there else 'fewer'} rows of {name.partition('.')[2]}"))
    words = [text for _, text in sorted(parts, key=lambda part: -part[0])[:2]]
    both = list(zip(own.states, most.states, strict=True))
    more, fewer = (sum(mine == "c" != theirs for mine, theirs in pairs) for pairs in (both, [(theirs, mine) for mine, theirs in both]))
    for number, how in ((more, "more"), (fewer, "fewer")):
        if number and not words:
            words.append(f"{number:,} {how} {'column' if number == 1 else 'columns'} in clear")
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
