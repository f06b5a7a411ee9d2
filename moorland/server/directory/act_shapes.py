"""Changes to people, groups, organizations and attributes, as they are asked for."""

from typing import Annotated, Literal

from pydantic import Field

from moorland.core.bundle.people import AttributeDefinition, AttributeValue, OrganizationValue
from moorland.core.bundle.shape import Day, Name, Shape

Logins = Annotated[list[Name], Field(max_length=20_000)]
Somebody = Annotated[list[Name], Field(min_length=1, max_length=20_000)]
Names = Annotated[list[Name], Field(max_length=2_000)]
Text = Annotated[str, Field(max_length=4000)]
ShortText = Annotated[str, Field(max_length=200)]


class AssignedRole(Shape):
    """A role with the days between which it holds."""

    role: Name
    from_: Day | None = Field(default=None, alias="from")
    until: Day | None = None
    reason: ShortText = ""


class NewPerson(Shape):
    """Somebody who is not here yet."""

    login: Name
    name: Annotated[str, Field(min_length=1, max_length=200)]
    email: Annotated[str, Field(max_length=254)] | None = None
    organization: Name | None = None
    kind: Literal["person", "service"] = "person"
    about: Text = ""
    keeper: ShortText = ""
    attributes: dict[str, AttributeValue] = Field(default_factory=dict)
    groups: Names = Field(default_factory=list)
    roles: list[AssignedRole] = Field(default_factory=list, max_length=200)


class SignInFlags(Shape):
    """How somebody signs in; what is left out stays."""

    must_change_password: bool | None = None
    password_never_expires: bool | None = None
    keeps_password: bool | None = None


class GoodBetween(Shape):
    """The first and last day on which an account is good; null is without bound."""

    from_: Day | None = Field(default=None, alias="from")
    until: Day | None = None


class PeopleChange(Shape):
    """The same change for some people; what is left out stays. An attribute set to null is cleared, an empty organization or e-mail taken away."""

    logins: Somebody
    versions: dict[str, int] = Field(default_factory=dict)
    name: Annotated[str, Field(min_length=1, max_length=200)] | None = None
    email: Annotated[str, Field(max_length=254)] | None = None
    organization: ShortText | None = None
    enabled: bool | None = None
    good: GoodBetween | None = None
    sign_in: SignInFlags | None = None
    about: Text | None = None
    keeper: ShortText | None = None
    attributes: dict[str, AttributeValue] = Field(default_factory=dict)
    join: Names = Field(default_factory=list)
    leave: Names = Field(default_factory=list)
    give: list[AssignedRole] = Field(default_factory=list, max_length=200)


class PeopleDeletion(Shape):
    """People to delete; `hand_over_to` becomes the owner of the pages and keeper of what they keep."""

    logins: Somebody
    hand_over_to: Name | None = None


class Leaving(Shape):
    """Somebody leaves: the account is good until a day, what is mapped to it ends then, and what it owns and keeps is handed over at once."""

    login: Name
    last_day: Day
    hand_over_to: Name | None = None


class GroupChange(Shape):
    """A group to add, or to change: what is left out stays. `version` is the one that was looked at, left out for a new group."""

    name: Name
    version: int | None = None
    label: ShortText | None = None
    about: Text | None = None
    keeper: ShortText | None = None
    priority: int | None = None
    no_priority: bool = False
    enabled: bool | None = None
    attributes: dict[str, AttributeValue] = Field(default_factory=dict)
    add_users: Logins = Field(default_factory=list)
    remove_users: Logins = Field(default_factory=list)
    add_groups: Names = Field(default_factory=list)
    remove_groups: Names = Field(default_factory=list)


class GroupMove(Shape):
    """A group taken out of one group and put into another; None is the top."""

    name: Name
    out_of: Name | None = None
    into: Name | None = None


class OrganizationChange(Shape):
    """An organization to add, or to change. `version` is left out for a new one; `attributes` set to null are cleared."""

    name: Name
    version: int | None = None
    label: ShortText | None = None
    about: Text | None = None
    keeper: ShortText | None = None
    parent: Name | None = None
    attributes: dict[str, OrganizationValue | None] = Field(default_factory=dict)


class AttributeSave(Shape):
    """An attribute's definition; `version` is left out for a new one."""

    definition: AttributeDefinition
    version: int | None = None


class Deletion(Shape):
    """Something to delete by its name."""

    name: Name


class Act(Shape):
    """Exactly one change. Every one acts at once, and can be tried first."""

    add_person: NewPerson | None = None
    change_people: PeopleChange | None = None
    delete_people: PeopleDeletion | None = None
    leave: Leaving | None = None
    save_group: GroupChange | None = None
    move_group: GroupMove | None = None
    delete_group: Deletion | None = None
    save_organization: OrganizationChange | None = None
    delete_organization: Deletion | None = None
    save_attribute: AttributeSave | None = None
    delete_attribute: Deletion | None = None


class CopyItem(Shape):
    """Something that copying access from somebody would give; what is dated or sensitive is left out unless chosen."""

    kind: Literal["group", "attribute", "role"]
    name: str
    label: str
    detail: str
    value: AttributeValue = None
    from_: Day | None = Field(default=None, alias="from")
    until: Day | None = None
    dated: bool
    sensitive: str | None


class CopyAnswer(Shape):
    """What somebody has that can be copied."""

    login: str
    organization: str | None
    items: list[CopyItem]


class OwnedThing(Shape):
    """Something that hangs on a person: what it is, and what becomes of it if the person is deleted."""

    kind: str
    name: str
    becomes: str


class OwnsAnswer(Shape):
    """All that hangs on a person."""

    login: str
    things: list[OwnedThing]


class InvitationAnswer(Shape):
    """A link by which somebody sets a password once; it is shown this one time."""

    path: str
    expires_at: str


class Forgotten(Shape):
    """Whose password is forgotten."""

    login: Annotated[str, Field(min_length=1, max_length=200)]


class InvitationsRequest(Shape):
    """Links for some people; with `mail`, sent to their own mail where that can be done, and not shown."""

    logins: Somebody
    mail: bool = False


class InvitedPerson(Shape):
    """A link for somebody, that it was sent, or why there is none."""

    login: str
    name: str
    path: str | None = None
    expires_at: str | None = None
    mailed_to: str | None = None
    refused: str | None = None


class InvitationsAnswer(Shape):
    """What came of it for each; links are shown this one time."""

    people: list[InvitedPerson]


class FirstPassword(Shape):
    """The password somebody chooses on following such a link."""

    token: Annotated[str, Field(max_length=200)]
    password: Annotated[str, Field(min_length=1, max_length=1000)]


class PasswordChange(Shape):
    """Another password, by whoever knows the present one."""

    present: Annotated[str, Field(min_length=1, max_length=1000)]
    password: Annotated[str, Field(min_length=1, max_length=1000)]


class SetUp(Shape):
    """A new workspace with its first administrator; `token` is the one the server printed."""

    token: Annotated[str, Field(max_length=200)]
    workspace: Annotated[str, Field(min_length=1, max_length=200)]
    time_zone: Annotated[str, Field(max_length=60)] = "UTC"
    login: Name
    name: Annotated[str, Field(min_length=1, max_length=200)]
    password: Annotated[str, Field(min_length=1, max_length=1000)]


class PlaceCard(Shape):
    """A group or an organization with all that is kept of it."""

    name: str
    label: str
    about: str
    keeper: str
    version: int
    priority: int | None
    enabled: bool
    attributes: dict[str, OrganizationValue | AttributeValue]
    parents: list[str]
    groups: list[str]
    users: list[str]
    roles: list[str]
    reached: int
