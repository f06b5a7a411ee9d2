"""The people of a bundle column by column: each of what tells people apart as small numbers, one a person in login order."""

from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from datetime import date
from functools import cached_property
from operator import attrgetter
from typing import Any

import numpy as np
import numpy.typing as npt

from moorland.core.bundle.people import Group, User

#: Numbers of what people have, equal where they have the same. Shape (people,).
Codes = npt.NDArray[np.int64]
#: What somebody is called: by these people are told apart one by one.
IDENTITY = frozenset({"login", "name", "email", "mail_domain"})
#: Codes that are spread over more than so many times their number are sorted.
WIDE = 16
#: So many ways to tell people apart are kept; those used last.
MOST_KEPT = 8


class Crowd:
    """The users of a bundle in login order, and their columns; each is worked out once."""

    def __init__(self, users: Sequence[User], groups: Sequence[Group]) -> None:
        self.users = sorted(users, key=attrgetter("login"))
        self.logins = [user.login for user in self.users]
        self._groups = groups
        self._columns: dict[str, Codes] = {}
        self._enabled: dict[date, npt.NDArray[np.bool_]] = {}
        self._kept: OrderedDict[Hashable, Codes] = OrderedDict()

    def __len__(self) -> int:
        return len(self.users)

    @cached_property
    def places(self) -> dict[str, int]:
        """Where each login stands."""
        return {login: place for place, login in enumerate(self.logins)}

    @cached_property
    def members(self) -> dict[str, Codes]:
        """The places of the direct members of each group."""
        return {group.name: self.placed(group.users) for group in self._groups}

    def placed(self, logins: Iterable[str]) -> Codes:
        """The places of those of some logins that are here."""
        places = self.places
        return np.array([place for login in logins if (place := places.get(login)) is not None], dtype=np.int64)

    def places_of(self, logins: Sequence[str]) -> Codes:
        """Where each of some logins stands; -1 for one that is not here."""
        if logins is self.logins:
            return np.arange(len(self.logins), dtype=np.int64)
        places = self.places
        return np.array([places.get(login, -1) for login in logins], dtype=np.int64)

    def enabled(self, day: date) -> npt.NDArray[np.bool_]:
        """Whose account is good on a day (2.1)."""
        if day not in self._enabled:
            self._enabled = {day: np.array([user.good_on(day) for user in self.users], dtype=np.bool_)}
        return self._enabled[day]

    def homes(self, numbers: Mapping[str | None, int]) -> Codes:
        """A number for the organization each person is written in."""
        return np.array([numbers[user.organization] for user in self.users], dtype=np.int64)

    def identity(self, name: str) -> Codes:
        """What people are called, one of IDENTITY."""
        if name not in self._columns:
            match name:
                case "login":
                    self._columns[name] = np.arange(len(self.users), dtype=np.int64)
                case "name":
                    self._columns[name] = numbered(user.name for user in self.users)
                case "email":
                    self._columns[name] = numbered(user.email for user in self.users)
                case "mail_domain":
                    self._columns[name] = numbered((user.email or "").rpartition("@")[2] for user in self.users)
                case _:
                    raise LookupError(name)
        return self._columns[name]

    def kept(self, key: Hashable, find: Callable[[], Codes]) -> Codes:
        """What was found under a key, or is found now."""
        if key not in self._kept:
            self._kept[key] = find()
            while len(self._kept) > MOST_KEPT:
                self._kept.popitem(last=False)
        return self._kept[key]

    def own(self, attribute: str) -> Codes:
        """People's own values of an attribute."""
        key = f"own {attribute}"
        if key not in self._columns:
            self._columns[key] = _as_written([user.attributes.get(attribute) for user in self.users])
        return self._columns[key]


def _as_written(values: list[Any]) -> Codes:
    """A number for each value as it is written: 1, 1.0 and true are three, and a list of one is not that one."""
    try:
        codes, known = _numbered(values)
    except TypeError:
        codes, known = _numbered([tuple(value) if value.__class__ is list else value for value in values])
    # Texts are equal only to themselves; of all else the type counts, too.
    texts = {str, type(None)}.issuperset(item.__class__ for key in known for item in (key if key.__class__ is tuple else (key,)))
    return codes if texts else numbered(map(repr, values))


def numbered(values: Iterable[Hashable]) -> Codes:
    """A number for each value, equal where the values are, in the order in which they come first."""
    return _numbered(values)[0]


def _numbered(values: Iterable[Any]) -> tuple[Codes, dict[Any, int]]:
    known: dict[Any, int] = {}
    number = known.setdefault
    return np.array([number(value, len(known)) for value in values], dtype=np.int64), known


def told_apart(codes: Codes, by: Codes) -> Codes:
    """Codes that are equal where both are, from 0 on without gaps."""
    return renumbered(codes * (int(by.max()) + 1) + by) if len(codes) else codes


def some_told_apart(codes: Codes, some: Codes, by: Codes | None = None) -> Codes:
    """The same codes, where those at some places are told apart from the others, and among themselves by other codes (one each)."""
    result = codes.copy()
    if len(some):
        own = codes[some] if by is None else told_apart(codes[some], by)
        result[some] = int(codes.max()) + 1 + renumbered(own)
    return result


def renumbered(codes: Codes) -> Codes:
    """Codes from 0 on without gaps, in the same order; none is negative. Without sorting where they are not spread wide."""
    size = int(codes.max()) + 1
    if size > WIDE * len(codes):
        found: Codes = np.unique(codes, return_inverse=True)[1].astype(np.int64)
        return found
    there = np.zeros(size, dtype=np.bool_)
    there[codes] = True
    numbers: Codes = np.cumsum(there, dtype=np.int64) - 1
    return numbers[codes]


def firsts(codes: Codes) -> list[int]:
    """The place of the first of each code, in order; codes are not spread wide."""
    place = np.full(int(codes.max(initial=-1)) + 1, -1, dtype=np.int64)
    # Of several at one place the last that is written stays.
    place[codes[::-1]] = np.arange(len(codes) - 1, -1, -1)
    found: list[int] = np.sort(place[place >= 0]).tolist()
    return found
