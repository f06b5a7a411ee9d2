"""Which people, groups and organizations exist for an account, by its duties (accounts.md 4): what is outside is absent."""

from moorland.core.bundle.duties import ActName
from moorland.core.people import People, Viewer
from moorland.server.duties.rights import Rights, in_scope

#: The acts that are written in people: any of them lets an account know who is in its scope.
PLACED: tuple[ActName, ...] = ("look-shapes", "people", "links", "map", "trail", "stand-in", "settings")


def knows_person(rights: Rights, viewer: Viewer) -> bool:
    """Whether somebody exists for an account."""
    return "settings" in rights.acts or any(in_scope(scope.people, viewer) for act in PLACED for scope in rights.scopes(act))


def knows_group(rights: Rights, group: str, people: People) -> bool:
    """Whether a group is a place in a scope."""
    return "settings" in rights.acts or any(rights.reaches_group(act, group, people) for act in PLACED)


def knows_organization(rights: Rights, organization: str, people: People) -> bool:
    """Whether an organization is a place in a scope."""
    return "settings" in rights.acts or any(rights.reaches_organization(act, organization, people) for act in PLACED)
