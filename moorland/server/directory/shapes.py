"""What the addresses of people take and give."""

import datetime
from typing import Annotated, Any, Literal

from pydantic import Field

from moorland.core.bundle.duties import ActName
from moorland.core.bundle.people import AttributeDefinition, AttributeValue
from moorland.core.bundle.shape import Name, Shape
from moorland.core.insight.effect import ModelShare
from moorland.core.insight.holders import RolePath
from moorland.core.insight.impacts import SharedImpact
from moorland.server.directory.act_shapes import GoodBetween, SignInFlags


class DemoSignIn(Shape):
    """A ready-made account of the demo."""

    login: str
    expects: str


class SignedIn(Shape):
    """Who is signed in."""

    login: str
    name: str
    #: Acts allowed in some scope, and those allowed over everything.
    acts: list[ActName]
    everywhere: list[ActName]


class Provider(Shape):
    """A provider to sign in by."""

    name: str
    label: str


class SessionAnswer(Shape):
    """The session, and in demo mode the accounts to try; `ready` is false before a workspace is set up."""

    workspace: str
    ready: bool
    account: SignedIn | None
    demo: list[DemoSignIn]
    demo_password: str | None
    #: Whether a link for a forgotten password can be sent.
    mail: bool = False
    #: Providers that people may sign in by, and why the last try to was refused; told once.
    providers: list[Provider] = Field(default_factory=list)
    refused: str | None = None
    #: Whether the manual is here, under /manual/.
    manual: bool = False
    #: What has to be done before anything else in this session.
    first: Literal["password", "second_factor"] | None = None


class SignInRequest(Shape):
    """Login and password, and the code of the second factor where one is asked for."""

    login: str = Field(max_length=200)
    password: str = Field(max_length=1000)
    code: str = Field(default="", max_length=40)


class PersonEntry(Shape):
    """A line of the list of people."""

    login: str
    name: str
    email: str | None
    organization: str | None
    kind: Literal["person", "service"]
    enabled: bool
    groups: list[str]


class HeldAnswer(Shape):
    """Which roles everybody holds; `labels` are those of the roles."""

    labels: dict[str, str]
    held: dict[str, list[str]]


class AttributeVersions(Shape):
    """The version of each attribute's definition, for changing it."""

    versions: dict[str, int]


class OrganizationEntry(Shape):
    """A node of the tree."""

    name: str
    label: str
    parent: str | None


class GroupEntry(Shape):
    """A group with its direct members."""

    name: str
    label: str
    enabled: bool
    priority: int | None
    users: list[str]
    groups: list[str]


class PeopleAnswer(Shape):
    """Everybody, and how they are arranged."""

    people: list[PersonEntry]
    organizations: list[OrganizationEntry]
    groups: list[GroupEntry]
    attributes: list[AttributeDefinition]


class LadderRung(Shape):
    """A place an attribute may get its value from; `decides` marks those that gave it."""

    kind: Literal["locked", "own", "group", "organization", "default"]
    name: str
    values: list[Any]
    decides: bool


class AttributeCard(Shape):
    """An attribute of a person, with where it comes from; `own` is what is set on the person."""

    definition: AttributeDefinition
    values: list[Any] | None
    conflict: bool
    ladder: list[LadderRung]
    own: AttributeValue


class EffectiveGroup(Shape):
    """A group that reaches somebody, by the path of groups from the direct one."""

    name: str
    label: str
    path: list[str]
    direct: bool


class HeldRoleCard(Shape):
    """A role held, and the ways it is held; `keys` name, for each way, the mapping to the person alone, by which it can be taken away.

    `last_used` is the last day on which it opened something in an answer to the person, told to who reads the trail or keeps checks.
    """

    name: str
    label: str
    kind: Literal["grant", "limit"]
    paths: list[RolePath]
    keys: list[int | None]
    last_used: datetime.date | None = None


class PersonCard(Shape):
    """What reaches a person."""

    login: str
    name: str
    email: str | None
    organization: str | None
    kind: Literal["person", "service"]
    enabled: bool
    about: str
    keeper: str
    version: int
    can_sign_in: bool
    #: How the origin is called that this person comes from, and what of them it says: that is changed there.
    comes_from: str | None
    said: list[str]
    good: GoodBetween
    sign_in: SignInFlags
    acts: list[ActName]
    groups: list[EffectiveGroup]
    attributes: list[AttributeCard]
    roles: list[HeldRoleCard]
    pages: list[str]
    shares: dict[str, ModelShare]
    nothing: str | None


class PersonChange(Shape):
    """What to change about a person; what is left out stays. `version` is the one that was looked at."""

    version: int
    name: Annotated[str, Field(min_length=1, max_length=200)] | None = None
    enabled: bool | None = None
    organization: Name | None = None
    attributes: dict[str, AttributeValue] | None = None
    join: list[Name] = Field(default_factory=list, max_length=100)
    leave: list[Name] = Field(default_factory=list, max_length=100)


class ImpactAnswer(Shape):
    """Who gains and who loses what, now (live) if this is done, and the promises of what is live that it breaks."""

    viewers: list[SharedImpact]
    broken: list[str]
