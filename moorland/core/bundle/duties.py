"""Duties: what an account may do in Moorland, and within what (accounts.md 1). What it sees of the data is a matter of roles."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal, get_args

from pydantic import Field, model_validator

from moorland.core.bundle.shape import Day, Name, Shape

ActName = Literal[
    "look-shapes", "look-values", "roles", "map", "people", "links", "models", "sources", "pages", "release", "checks", "trail", "stand-in", "settings"
]
Dimension = Literal["people", "models", "roles", "shelves", "sources", "attributes"]

ACTS: tuple[ActName, ...] = get_args(ActName)

#: What the scope of each act is written in. An act with none reaches the workspace as a whole.
DIMENSIONS: dict[ActName, tuple[Dimension, ...]] = {
    "look-shapes": ("models", "people"),
    "look-values": ("models", "people"),
    "roles": ("models",),
    "map": ("roles", "people"),
    "people": ("people", "attributes"),
    "links": ("people",),
    "models": ("models",),
    "sources": ("sources",),
    "pages": ("shelves",),
    "release": ("models",),
    "checks": ("models",),
    "trail": ("people",),
    "stand-in": ("people",),
    "settings": (),
}

#: What each act allows, in words.
MEANINGS: dict[ActName, str] = {
    "look-shapes": "see as others: counts, shares, states and verdicts, no values",
    "look-values": "see as others: cells and values too",
    "roles": "write sentences in the draft",
    "map": "map roles to people; acts at once",
    "people": "create, change and disable people; groups, attributes",
    "links": "make one-time links for people",
    "models": "bring data in; keep models, cubes, measures, refreshes and tables kept here",
    "sources": "keep connections and their secrets",
    "pages": "write pages on shelves",
    "release": "make the draft live",
    "checks": "keep promises, findings and reviews",
    "trail": "read and export the trail",
    "stand-in": "ask as another person",
    "settings": "sign-in rules, duties, tokens of others, backup",
}

Names = list[Name]


class PeopleWithin(Shape):
    """People by organization (with all below), by group (with the groups inside) or by login."""

    organizations: Names = Field(default_factory=list, max_length=2_000)
    groups: Names = Field(default_factory=list, max_length=2_000)
    users: Names = Field(default_factory=list, max_length=2_000)


class Within(Shape):
    """What a duty reaches, by what its acts are written in: `all`, or what is named; nothing where it is left out."""

    people: Literal["all"] | PeopleWithin | None = None
    models: Literal["all"] | Names | None = Field(default=None)
    roles: Literal["all"] | Names | None = None
    shelves: Literal["all"] | Names | None = None
    sources: Literal["all"] | Names | None = None
    attributes: Literal["all"] | Names | None = None


#: The scope of a duty over the whole workspace.
EVERYTHING = Within(people="all", models="all", roles="all", shelves="all", sources="all", attributes="all")


class Duty(Shape):
    """Acts within a scope, given to a user or a group between two days."""

    user: Name | None = None
    group: Name | None = None
    acts: list[ActName] = Field(min_length=1, max_length=len(ACTS))
    within: Literal["everything"] | Within
    from_: Day | None = Field(default=None, alias="from")
    until: Day | None = None
    reason: str | None = Field(default=None, max_length=400)

    @model_validator(mode="after")
    def _one_holder(self) -> "Duty":
        if (self.user is None) == (self.group is None):
            raise ValueError("a duty is given to exactly one of user, group")
        if self.from_ and self.until and self.until < self.from_:
            raise ValueError("the last day lies before the first")
        return self

    @property
    def scope(self) -> Within:
        """What it reaches."""
        return EVERYTHING if self.within == "everything" else self.within


def whole(scope: Within, act: ActName) -> bool:
    """Whether a scope puts no bound to an act."""
    return all(getattr(scope, dimension) == "all" for dimension in DIMENSIONS[act])


#: Acts that come with others.
IMPLIED: dict[ActName, tuple[ActName, ...]] = {"look-values": ("look-shapes",), "people": ("links",)}


def missing_dimensions(acts: Iterable[ActName], scope: Within) -> list[Dimension]:
    """What the acts are written in and the scope says nothing of: there it reaches nothing."""
    return sorted({dimension for act in acts for dimension in DIMENSIONS[act] if getattr(scope, dimension) is None})


@dataclass(frozen=True)
class ReadySet:
    """Acts that belong together in many organizations, to be changed at will; `within` names what has to be chosen, all else is everything."""

    name: str
    label: str
    about: str
    acts: tuple[ActName, ...]
    chosen: tuple[Dimension, ...] = ()


SETS: tuple[ReadySet, ...] = (
    ReadySet("keeper", "Keeper of the workspace", "May do everything.", ACTS),
    ReadySet(
        "security",
        "Security administrator",
        "Writes and maps roles, looks as anybody, keeps checks, releases.",
        ("look-shapes", "look-values", "roles", "map", "pages", "checks", "release", "trail"),
    ),
    ReadySet("people-desk", "People desk", "Keeps the people of an organization and maps roles to them.", ("people", "map"), ("people",)),
    ReadySet("model-keeper", "Model keeper", "Brings data in, keeps models and sources, writes pages.", ("models", "sources", "pages")),
    ReadySet("auditor", "Auditor", "Sees who reaches what, without a value; reads checks and the trail.", ("look-shapes", "checks", "trail")),
    ReadySet("helpdesk", "Helpdesk", "Sees why somebody can or cannot, without a value; makes one-time links.", ("look-shapes", "links"), ("people",)),
)
