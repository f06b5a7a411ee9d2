"""The shapes of people: organizations, attributes, groups, users (semantics.md 2)."""

import datetime
from typing import Literal

from pydantic import Field

from moorland.core.bundle.shape import Day, Name, Named, Scalar, Shape, ValueType

AttributeValue = Scalar | list[Scalar] | None


class OrganizationValue(Shape):
    """A value set on an organization; a locked one cannot be overridden beneath it (2.5a)."""

    value: AttributeValue
    locked: bool = False


class Organization(Named):
    """A node of the tree of organizations (2.3)."""

    parent: Name | None = None
    attributes: dict[str, OrganizationValue | AttributeValue] = Field(default_factory=dict)


class AttributeDefinition(Named):
    """What an attribute may hold and who may set and see it (2.4)."""

    type: ValueType
    multiple: bool = False
    allowed: list[Scalar] | None = None
    default: AttributeValue = None
    editable_by: Literal["administrator", "organization", "person"] = "administrator"
    shown_to: Literal["everyone", "administrator", "nobody"] = "everyone"
    own_values: Literal["add", "replace"] = "add"


class Group(Named):
    """Users and groups that are treated alike (2.2)."""

    users: list[Name] = Field(default_factory=list)
    groups: list[Name] = Field(default_factory=list)
    attributes: dict[str, AttributeValue] = Field(default_factory=dict)
    priority: int | None = None
    enabled: bool = True


class User(Shape):
    """Somebody, or a service, whose visible data is evaluated (2.1)."""

    login: Name
    name: str = Field(min_length=1, max_length=200)
    email: str | None = Field(default=None, max_length=254)
    organization: Name | None = None
    kind: Literal["person", "service"] = "person"
    enabled: bool = True
    #: The first and last day on which the account is good (2.1).
    from_: Day | None = Field(default=None, alias="from")
    until: Day | None = None
    attributes: dict[str, AttributeValue] = Field(default_factory=dict)
    label: str | None = None
    about: str | None = None
    keeper: str | None = None

    def good_on(self, day: datetime.date) -> bool:
        """Whether the account is enabled, and the day one of its days (2.1)."""
        return self.enabled and (self.from_ is None or self.from_ <= day) and (self.until is None or day <= self.until)


class ImaginedPerson(Shape):
    """A viewer that need not exist (2.7, 12.1)."""

    login: str | None = None
    name: str | None = None
    email: str | None = None
    organization: Name | None = None
    groups: list[Name] = Field(default_factory=list)
    attributes: dict[str, AttributeValue] = Field(default_factory=dict)
    only_roles: list[Name] | None = None
    #: Whether assignments to everyone apply.
    everyone: bool = True


class RealViewer(Shape):
    """A user, optionally with only these roles (2.7)."""

    login: Name
    only_roles: list[Name] | None = None


class ImaginedViewer(Shape):
    """`{imagine: {…}}`, as it stands in promises and questions."""

    imagine: ImaginedPerson


ViewerReference = str | RealViewer | ImaginedViewer
