"""What an origin says of people and groups, however it was asked or came by itself."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from moorland.server.directory.people_rows import Cell


@dataclass(frozen=True)
class SaidPerson:
    """A person as an origin says: `fields` hold what it says and nothing else, a blank one takes away. `where` tells a reader which entry is meant."""

    key: str
    fields: Mapping[str, Cell]
    where: str = ""
    enabled: bool = True
    #: What is kept of it as it was said, where the origin asks for that again.
    document: dict[str, Any] | None = None

    @property
    def login(self) -> str:
        """The login it says, blank where it says none."""
        cell = self.fields.get("login", "")
        return (cell if isinstance(cell, str) else next(iter(cell), "")).strip()


@dataclass(frozen=True)
class SaidGroup:
    """A group as an origin said it, kept because the origin asks for it again; None as document: it is gone."""

    key: str
    document: dict[str, Any] | None


@dataclass(frozen=True)
class Said:
    """What is said at once.

    `whole`: who is not in it is gone; else `gone` are those who are. `members` holds, for each group that is spoken of, all people in it by their
    keys; `about` bounds that to some people, None is everybody of the origin. `notes` are sentences for who looks.
    """

    people: list[SaidPerson] = field(default_factory=list)
    members: Mapping[str, frozenset[str]] = field(default_factory=dict)
    whole: bool = False
    about: frozenset[str] | None = None
    gone: frozenset[str] = frozenset()
    groups: list[SaidGroup] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


def everybody_in(groups: Mapping[str, Iterable[str]], people: Mapping[str, str], name: str) -> tuple[frozenset[str], bool]:
    """The keys of all people in a group and in the groups inside it, and whether a group is inside itself on the way.

    `groups` are the members of each group by address, `people` the keys of people by address.
    """
    found: set[str] = set()
    done: set[str] = set()
    circle = False
    # Depth first with the path, so that a circle is told from a group met twice.
    waiting: list[tuple[str, tuple[str, ...]]] = [(name, ())]
    while waiting:
        group, path = waiting.pop()
        if group in path:
            circle = True
            continue
        if group in done:
            continue
        done.add(group)
        for member in groups.get(group, ()):
            if member in people:
                found.add(people[member])
            elif member in groups:
                waiting.append((member, (*path, group)))
    return frozenset(found), circle
