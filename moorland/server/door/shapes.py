"""What the API tells of the query door and its keys."""

from typing import Annotated

from pydantic import Field

from moorland.core.bundle.shape import Name, Shape
from moorland.core.door.parity import ParityDifference


class NewDoorKey(Shape):
    """A door key to make, for so many days (null: without end). The name stands behind the login, as `login/name`."""

    name: Annotated[str, Field(min_length=1, max_length=60, pattern=r"^[a-z0-9][a-z0-9._-]*$")]
    days: int | None = Field(default=90, ge=1, le=3_650)


class NewDoorKeyOf(NewDoorKey):
    """A door key to make for a service."""

    login: Name


class DoorKeyEntry(Shape):
    """A door key as it is listed; never the key itself."""

    id: int
    login: str
    name: str
    created_at: str
    expires_at: str | None
    last_used_at: str | None


class MadeDoorKey(Shape):
    """A door key, shown this one time, and the name a client comes with."""

    key: str
    user: str
    entry: DoorKeyEntry


class OwnDoor(Shape):
    """The door as somebody finds it: whether it is open, where, whether it lets them in, and their keys."""

    open: bool
    port: int | None
    encrypted: bool
    allowed: bool
    keys: list[DoorKeyEntry]


class DoorSession(Shape):
    """A session of the door: who came in, as whom it asks, since when, from where, and with which program."""

    number: int
    account: str
    login: str
    key: str
    since: str
    address: str
    program: str
    asked: int
    busy: bool
    encrypted: bool


class DoorState(Shape):
    """The door as its keepers see it."""

    open: bool
    port: int | None
    encrypted: bool
    sessions: list[DoorSession]
    keys: list[DoorKeyEntry]


class ParityRequest(Shape):
    """Whom to ask as, through every channel; with `pushed_down` a database of its own is filled and asked, too, which takes longer."""

    logins: list[Name] = Field(min_length=1, max_length=12)
    pushed_down: bool = False


class ParityWay(Shape):
    """How many answers of one way were compared, and how many differ."""

    way: str
    compared: int
    differ: int


class ParityAnswer(Shape):
    """What was compared, and every difference."""

    ways: list[ParityWay]
    differences: list[ParityDifference]
    seconds: float
