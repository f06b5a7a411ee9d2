"""What the addresses of duties take and give."""

from pydantic import Field

from moorland.core.bundle.duties import ActName, Dimension, Duty
from moorland.core.bundle.shape import Name, Shape


class GivenDutyEntry(Shape):
    """A duty as it was given; `people` are who has it by this, `unknown` what its scope names that is not here any more."""

    id: int
    version: int
    duty: Duty
    label: str
    given_by: str
    given_at: str
    people: list[str]
    acting: bool
    unknown: list[str]
    silent: list[Dimension]


class ActEntry(Shape):
    """An act, in words, and what its scope is written in."""

    name: ActName
    allows: str
    dimensions: list[Dimension]


class ReadySetEntry(Shape):
    """A ready-made set of acts; `chosen` is what has to be named for it."""

    name: str
    label: str
    about: str
    acts: list[ActName]
    chosen: list[Dimension]


class DutiesAnswer(Shape):
    """Every duty, and what duties are made of; `sources` and the like are what a scope can name."""

    duties: list[GivenDutyEntry]
    acts: list[ActEntry]
    sets: list[ReadySetEntry]
    models: dict[str, str]
    roles: dict[str, str]
    shelves: dict[str, str]


class DutySave(Shape):
    """A duty to give, or to change: then with the version that was looked at."""

    duty: Duty
    version: int | None = None


class MayDo(Shape):
    """What an account may do by one duty, and how it comes by it."""

    id: int
    duty: Duty
    path: list[str]
    given_by: str


class AccountRights(Shape):
    """What an account may do, duty by duty; `alone` says that nobody else keeps the whole workspace."""

    login: str
    name: str
    duties: list[MayDo]
    acts: list[ActName]
    everywhere: list[ActName]
    alone: bool


class WhoCanRequest(Shape):
    """Who can do this: an act, over whatever is named."""

    act: ActName
    person: Name | None = None
    model: Name | None = None
    role: Name | None = None
    shelf: Name | None = None
    attribute: Name | None = None


class WhoCanEntry(Shape):
    """Somebody who can, and the groups by which (none: given to them)."""

    login: str
    name: str
    path: list[str]
    can_sign_in: bool


class WhoCanAnswer(Shape):
    """Everybody who can do it."""

    accounts: list[WhoCanEntry] = Field(max_length=100_000)
