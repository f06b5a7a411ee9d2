"""What the addresses of roles take and give."""

from pydantic import Field

from moorland.core.bundle.policy import Assignment, Role
from moorland.core.bundle.shape import Name, Shape
from moorland.core.insight.holders import Holder
from moorland.core.insight.impacts import SharedImpact
from moorland.core.insight.similar import Suggestion
from moorland.core.insight.uses import RoleUse


class KeptAssignment(Shape):
    """An assignment with its identity and how many it reaches today."""

    id: int
    assignment: Assignment
    people: int


class RoleEntry(Shape):
    """A role of the draft, how many hold it, and whether it is live as it stands; `released` is how it is live."""

    role: Role
    version: int
    people: int
    assignments: list[KeptAssignment]
    live: bool
    changed: bool
    #: What the sentences say, for who does not write them; where literals may not be read the role comes without its sentences.
    told: list[str] | None = None
    released: Role | None


class HoldersAnswer(Shape):
    """Who holds a role, and by which ways."""

    holders: list[Holder]


class DeletedRole(Shape):
    """A role deleted in the draft that viewers still have until the next release."""

    name: str
    label: str


class RolesAnswer(Shape):
    """All roles of the draft."""

    roles: list[RoleEntry]
    deleted: list[DeletedRole]


class RoleSave(Shape):
    """A role to save, without assignments; `version` is the one that was edited, left out for a new role."""

    role: Role
    version: int | None = None


class RoleVersion(Shape):
    """The version of a role that was looked at."""

    version: int


class AssignmentsRequest(Shape):
    """Assignments to add."""

    add: list[Assignment] = Field(max_length=50)


class MappingAnswer(Shape):
    """Who gains and loses by a mapping, live; and the logins it reaches on the day, whatever else they hold."""

    viewers: list[SharedImpact]
    reached: list[str]
    #: Promises of what is live that it breaks.
    broken: list[str]


class RoleUsesAnswer(Shape):
    """Where a role is named, but for its own assignments."""

    uses: list[RoleUse]


class SimilarAnswer(Shape):
    """Roles that one role could replace without a change for anybody."""

    suggestions: list[Suggestion]


class ReplaceRequest(Shape):
    """The roles to replace, as they were suggested."""

    roles: list[Name] = Field(min_length=2, max_length=200)
