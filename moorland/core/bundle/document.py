"""The bundle itself: everything needed to answer "what does this viewer see" (bundle.md)."""

from typing import Literal

from pydantic import Field

from moorland.core.bundle.duties import Duty
from moorland.core.bundle.model import Model
from moorland.core.bundle.pages import Page, Shelf
from moorland.core.bundle.people import AttributeDefinition, Group, Organization, User
from moorland.core.bundle.policy import Role
from moorland.core.bundle.promises import Promise
from moorland.core.bundle.shape import Name, Shape
from moorland.core.bundle.sources import Source

#: The top-level lists, each of which may be moved to its own file.
LISTS = ("organizations", "attributes", "groups", "users", "sources", "models", "roles", "shelves", "pages", "promises", "duties")


class Bundle(Shape):
    """People, models, roles and pages in one document."""

    moorland: Literal[1]
    name: str = Field(min_length=1, max_length=200)
    time_zone: str = "UTC"
    #: Tags that mark what is sensitive (semantics.md 11.5).
    sensitive_tags: list[Name] = Field(default=["sensitive"], max_length=50)
    organizations: list[Organization] = Field(default_factory=list)
    attributes: list[AttributeDefinition] = Field(default_factory=list)
    groups: list[Group] = Field(default_factory=list)
    users: list[User] = Field(default_factory=list)
    sources: list[Source] = Field(default_factory=list)
    models: list[Model] = Field(default_factory=list)
    roles: list[Role] = Field(default_factory=list)
    shelves: list[Shelf] = Field(default_factory=list)
    pages: list[Page] = Field(default_factory=list)
    promises: list[Promise] = Field(default_factory=list)
    duties: list[Duty] = Field(default_factory=list)

    def model(self, name: str) -> Model | None:
        """The model of that name, if there is one."""
        return next((model for model in self.models if model.name == name), None)
