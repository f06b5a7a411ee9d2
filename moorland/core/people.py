"""Who a viewer is: effective groups, resolved attributes with where they come from, roles held (semantics.md 2, 5.2)."""

import datetime
from collections import deque
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.people import (
    AttributeDefinition,
    AttributeValue,
    Group,
    ImaginedPerson,
    ImaginedViewer,
    OrganizationValue,
    ViewerReference,
)
from moorland.core.bundle.policy import Assignment, Role
from moorland.core.bundle.problems import BundleError, Problem, nearest_name
from moorland.core.bundle.values import TypedValue, typed_value
from moorland.core.crowd import Crowd
from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.evaluation import evaluate
from moorland.core.language.vectors import Domain, Vector
from moorland.core.memberships import Memberships


@dataclass(frozen=True)
class Rung:
    """One place an attribute may get its value from; `decides` marks those that gave it."""

    kind: str  # locked | own | group | organization | default
    name: str
    values: tuple[TypedValue, ...]
    decides: bool
    distance: int | None = None
    priority: int | None = None


@dataclass(frozen=True)
class Resolution:
    """The value of an attribute for a viewer: None where it is not set, with the ladder of places looked at (2.5)."""

    values: tuple[TypedValue, ...] | None
    conflict: bool
    ladder: tuple[Rung, ...]


@dataclass(frozen=True)
class HeldRole:
    """A role held, the assignments that give it and the path of groups of each (5.2)."""

    role: str
    paths: tuple[tuple[Assignment | None, tuple[str, ...]], ...]


@dataclass
class Viewer:
    """Whoever's visible data is evaluated (2.7). `groups` maps each effective group to the path of groups that leads to it."""

    login: str | None
    name: str | None
    email: str | None
    enabled: bool
    organization: str | None
    organizations: tuple[str, ...]
    branch: tuple[str, ...]
    groups: dict[str, tuple[str, ...]]
    attributes: Mapping[str, Resolution]
    held: Mapping[str, HeldRole] = field(default_factory=dict)
    everything: bool = False
    #: Whether assignments to everyone apply to them.
    everyone: bool = True

    def values(self, name: str) -> tuple[Any, ...] | None:
        """The values of `viewer.name`; None where it is not set, as every attribute of nobody in particular; empty only for the sets always known (2.6)."""
        match name:
            case "login":
                return (self.login,) if self.login is not None else None
            case "name":
                return (self.name,) if self.name is not None else None
            case "email":
                return (self.email,) if self.email is not None else None
            case "mail_domain":
                return (self.email.rpartition("@")[2],) if self.email and "@" in self.email else None
            case "organization":
                return (self.organization,) if self.organization is not None else None
            case "organizations":
                return self.organizations
            case "branch":
                return self.branch
            case "groups":
                return tuple(self.groups)
            case "roles":
                return tuple(self.held)
        resolution = self.attributes.get(name)
        return resolution.values if resolution else None


#: An organization that is home, the groups reached with their paths, and whether what is everyone's is theirs.
_Place = tuple[str | None, tuple[tuple[str, tuple[str, ...]], ...], bool]
#: So many places are kept, lest viewers imagined one after another fill the memory.
MOST_ALIKE = 50_000


@dataclass(frozen=True)
class _Alike:
    """What people at one place have in common: attributes but for values of their own, and, for each day, the roles no person or condition is named for."""

    chain: tuple[str, ...]
    branch: tuple[str, ...]
    attributes: dict[str, Resolution]
    held: dict[datetime.date, dict[str, HeldRole | None]] = field(default_factory=dict)
    #: The same roles, those that are held alone, for whom no other role is to be looked at.
    plainly_held: dict[datetime.date, dict[str, HeldRole]] = field(default_factory=dict)


class _WithOwn(Mapping[str, Resolution]):
    """Attributes as people at one place have them in common, but for some to which a person has own values: those are resolved when they are read."""

    def __init__(self, common: dict[str, Resolution], own: Collection[str], resolve: Callable[[str], Resolution]) -> None:
        self._common, self._own, self._resolve = common, own, resolve
        self._known: dict[str, Resolution] = {}

    def __getitem__(self, name: str) -> Resolution:
        if name not in self._own:
            return self._common[name]
        if name not in self._known:
            self._known[name] = self._resolve(name)
        return self._known[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._common)

    def __len__(self) -> int:
        return len(self._common)


class _NobodysColumns:
    """A frame in which only the viewer's values, and a page's where there is one, can be read."""

    def __init__(self, viewer: Viewer, as_of: datetime.date, page: dict[str, tuple[Any, ...] | None] | None = None) -> None:
        self._viewer, self._as_of, self._page = viewer, as_of, page or {}

    @property
    def as_of(self) -> datetime.date:
        return self._as_of

    def viewer_values(self, name: str) -> tuple[Any, ...] | None:
        return self._viewer.values(name)

    def page_values(self, name: str) -> tuple[Any, ...] | None:
        return self._page[name]

    def column(self, table: str, column: str) -> Vector:
        raise LookupError(f"{table}.{column}")

    def meet(self, first: Domain, second: Domain) -> Domain:
        raise LookupError(f"{first}, {second}")

    def lift(self, vector: Vector, domain: Domain) -> Vector:
        raise LookupError(f"{domain}")

    def aggregate(self, node: Any) -> Vector:
        raise LookupError(f"{node}")

    def truth(self, node: Any) -> Vector | None:
        return None

    def inner(self, node: Any) -> tuple[list[Any], bool]:
        raise LookupError(f"{node}")


def truth_for(node: tree.Node, viewer: Viewer, as_of: datetime.date, page: dict[str, tuple[Any, ...] | None] | None = None) -> bool | None:
    """Whether a condition over the viewer (and a page) is true, false or unknown (None)."""
    vector = evaluate(node, _NobodysColumns(viewer, as_of, page))
    return bool(vector.values[0]) if vector.known[0] else None


class People:
    """The people of a bundle, indexed once; answers who a viewer is on a day."""

    def __init__(self, bundle: Bundle) -> None:
        self.bundle = bundle
        self.users = {user.login: user for user in bundle.users}
        self.groups = {group.name: group for group in bundle.groups}
        self.organizations = {organization.name: organization for organization in bundle.organizations}
        self.definitions: dict[str, AttributeDefinition] = {definition.name: definition for definition in bundle.attributes}
        self.roles = {role.name: role for role in bundle.roles}
        self._alike: dict[_Place, _Alike] = {}
        self._memberships = Memberships(bundle.groups)

    @cached_property
    def crowd(self) -> Crowd:
        """The users in columns."""
        return Crowd(self.bundle.users, self.bundle.groups)

    def beside(self, other: "People") -> None:
        """Takes over what another bundle with the same people has been looked at for."""
        if all(getattr(self.bundle, part) is getattr(other.bundle, part) for part in ("users", "groups", "organizations", "attributes")):
            self.crowd, self._memberships = other.crowd, other._memberships
        else:
            self._memberships.after(other._memberships)

    @cached_property
    def _children(self) -> dict[str, list[str]]:
        children: dict[str, list[str]] = {}
        for organization in self.bundle.organizations:
            if organization.parent is not None:
                children.setdefault(organization.parent, []).append(organization.name)
        return children

    @cached_property
    def root(self) -> str | None:
        """The root organization (12.1)."""
        return next((item.name for item in self.bundle.organizations if item.parent is None), None)

    def viewer(self, reference: ViewerReference, as_of: datetime.date) -> Viewer:
        """The viewer a reference names.

        Raises BundleError for a user, group, organization, role or attribute that does not exist.
        """
        only: Sequence[str] | None = None
        if isinstance(reference, str):
            viewer = self._real(reference, as_of)
        elif isinstance(reference, ImaginedViewer):
            viewer, only = self._imagined(reference.imagine), reference.imagine.only_roles
        else:
            viewer, only = self._real(reference.login, as_of), reference.only_roles
        if only is not None:
            for name in only:
                _must_exist(name, self.roles, "role")
            viewer.held = {name: HeldRole(name, ((None, ()),)) for name in only}
        else:
            viewer.held = self._roles_held(viewer, as_of)
        return viewer

    def _real(self, login: str, as_of: datetime.date) -> Viewer:
        _must_exist(login, self.users, "user")
        user = self.users[login]
        groups = self.effective_groups(self._memberships.of_user(login))
        return self._known_as(login, user.name, user.email, user.good_on(as_of), user.organization, groups, user.attributes)

    def _imagined(self, person: ImaginedPerson) -> Viewer:
        for name in person.groups:
            _must_exist(name, self.groups, "group")
        for name in person.attributes:
            _must_exist(name, self.definitions, "attribute")
        if person.organization is not None:
            _must_exist(person.organization, self.organizations, "organization")
        groups = self.effective_groups(self.groups[name] for name in person.groups)
        return self._known_as(person.login, person.name, person.email, True, person.organization, groups, person.attributes, person.everyone)

    def _known_as(
        self,
        login: str | None,
        name: str | None,
        email: str | None,
        enabled: bool,
        organization: str | None,
        groups: dict[str, tuple[str, ...]],
        own: dict[str, AttributeValue],
        everyone: bool = True,
    ) -> Viewer:
        home = organization or self.root
        alike = self._alike_at(home, groups, everyone)
        attributes: Mapping[str, Resolution] = alike.attributes
        written = {name for name, value in own.items() if value is not None and name in attributes}
        if written:
            attributes = _WithOwn(alike.attributes, written, lambda name: self._resolve(self.definitions[name], own, groups, alike.chain))
        return Viewer(login, name, email, enabled, home, alike.chain, alike.branch, groups, attributes, everyone=everyone)

    def _alike_at(self, home: str | None, groups: dict[str, tuple[str, ...]], everyone: bool) -> "_Alike":
        """What all have in common who are at home in one organization and reach the same groups by the same paths; worked out once."""
        place = (home, tuple(groups.items()), everyone)
        if place not in self._alike:
            if len(self._alike) >= MOST_ALIKE:
                self._alike.clear()
            chain = self.chain(home)
            attributes = {definition.name: self._resolve(definition, {}, groups, chain) for definition in self.bundle.attributes}
            self._alike[place] = _Alike(tuple(chain), tuple(self._branch(home)), attributes)
        return self._alike[place]

    def chain(self, organization: str | None) -> list[str]:
        """An organization and all above it, nearest first."""
        chain: list[str] = []
        while organization is not None:
            chain.append(organization)
            organization = self.organizations[organization].parent
        return chain

    def _branch(self, organization: str | None) -> list[str]:
        branch = [organization] if organization is not None else []
        for name in branch:
            branch += self._children.get(name, [])
        return branch

    def effective_groups(self, direct: Iterable[Group]) -> dict[str, tuple[str, ...]]:
        """All enabled groups reached upward through enabled groups, each with its shortest path, nearest first (2.2)."""
        found: dict[str, tuple[str, ...]] = {}
        queue: deque[tuple[Group, tuple[str, ...]]] = deque((group, (group.name,)) for group in direct)
        while queue:
            group, path = queue.popleft()
            if group.enabled and group.name not in found:
                found[group.name] = path
                queue.extend((above, (*path, above.name)) for above in self._memberships.of_group(group.name))
        return found

    def members(self, group: str) -> set[str]:
        """The logins of all who are in a group, directly or through enabled groups inside it; nobody of one that is not enabled (2.2)."""
        found: set[str] = set()
        done: set[str] = set()
        waiting = [group]
        while waiting:
            one = self.groups.get(waiting.pop())
            if one is not None and one.enabled and one.name not in done:
                done.add(one.name)
                found.update(one.users)
                waiting += one.groups
        return found

    def _resolve(self, definition: AttributeDefinition, own: dict[str, AttributeValue], groups: dict[str, tuple[str, ...]], chain: Sequence[str]) -> Resolution:
        """The first place that applies, by 2.5; the others stay on the ladder."""
        name = definition.name
        rungs: list[Rung] = []
        for organization in reversed(chain):
            value = self.organizations[organization].attributes.get(name)
            if isinstance(value, OrganizationValue) and value.locked and value.value is not None:
                rungs.append(Rung("locked", organization, _typed(definition, value.value), False))
        own_value = own.get(name)
        if own_value is not None:
            rungs.append(Rung("own", "", _typed(definition, own_value), False))
        setting = [group for group in groups if self.groups[group].attributes.get(name) is not None]
        for group in sorted(setting, key=lambda group: (_priority(self.groups[group]), len(groups[group]), group)):
            rungs.append(Rung("group", group, _typed(definition, self.groups[group].attributes[name]), False, len(groups[group]), self.groups[group].priority))
        for organization in chain:
            value = self.organizations[organization].attributes.get(name)
            plain = value.value if isinstance(value, OrganizationValue) else value
            if plain is not None and not (isinstance(value, OrganizationValue) and value.locked):
                rungs.append(Rung("organization", organization, _typed(definition, plain), False))
        if definition.default is not None:
            rungs.append(Rung("default", "", _typed(definition, definition.default), False))
        deciding, conflict = _deciding(rungs, definition)
        ladder = tuple(Rung(rung.kind, rung.name, rung.values, index in deciding, rung.distance, rung.priority) for index, rung in enumerate(rungs))
        values = tuple(dict.fromkeys(value for rung in ladder if rung.decides for value in rung.values))
        return Resolution(values or None if not conflict else None, conflict, ladder)

    def _roles_held(self, viewer: Viewer, as_of: datetime.date) -> dict[str, HeldRole]:
        alike = self._alike_at(viewer.organization, viewer.groups, viewer.everyone)
        if viewer.login not in self._named_for and not self._by_condition:
            if as_of not in alike.plainly_held:
                alike.plainly_held[as_of] = self._all_held(viewer, as_of, alike.held.setdefault(as_of, {}))
            return alike.plainly_held[as_of]
        return self._all_held(viewer, as_of, alike.held.setdefault(as_of, {}))

    @cached_property
    def _named_for(self) -> frozenset[str]:
        """The logins that any role is assigned to."""
        return frozenset[str]().union(*(logins for logins in self._assigned_by_person.values() if logins))

    @cached_property
    def _by_condition(self) -> bool:
        """Whether any role is assigned by a condition."""
        return None in self._assigned_by_person.values()

    def _all_held(self, viewer: Viewer, as_of: datetime.date, common: dict[str, HeldRole | None]) -> dict[str, HeldRole]:
        held: dict[str, HeldRole] = {}
        for role in self.bundle.roles:
            by_person = self._assigned_by_person[role.name]
            if by_person is None or viewer.login in by_person:
                found = self._held(role, viewer, as_of)
            else:
                if role.name not in common:
                    common[role.name] = self._held(role, viewer, as_of)
                found = common[role.name]
            if found is not None:
                held[role.name] = found
        return held

    def _held(self, role: Role, viewer: Viewer, as_of: datetime.date) -> HeldRole | None:
        """How a viewer holds a role; None where not at all."""
        paths = tuple((assignment, path) for assignment in role.assigned if (path := self.assignment_path(role, assignment, viewer, as_of)) is not None)
        return HeldRole(role.name, paths) if paths else None

    @cached_property
    def _assigned_by_person(self) -> dict[str, frozenset[str] | None]:
        """For each role the logins it is assigned to; None where a condition decides, which may read anything of a viewer."""
        return {
            role.name: None
            if any(assignment.when is not None for assignment in role.assigned)
            else frozenset(assignment.user for assignment in role.assigned if assignment.user is not None)
            for role in self.bundle.roles
        }

    def assignment_path(self, role: Role, assignment: Assignment, viewer: Viewer, as_of: datetime.date) -> tuple[str, ...] | None:
        """The path of groups by which an assignment reaches a viewer on a day (empty: directly), or None (5.2)."""
        if (assignment.from_ and as_of < assignment.from_) or (assignment.until and as_of > assignment.until):
            return None
        if assignment.everyone:
            # Who stands outside everyone is not opened anything by it, and is still narrowed by it.
            return () if viewer.everyone or role.kind == "limit" else None
        if assignment.user is not None:
            return () if assignment.user == viewer.login else None
        if assignment.group is not None:
            return viewer.groups.get(assignment.group)
        truth = truth_for(check_condition(assignment.when or "", self.assignment_scope), viewer, as_of)
        return () if truth or (truth is None and role.kind == "limit") else None

    @cached_property
    def assignment_scope(self) -> Scope:
        """What the condition of an assignment may name (5.2)."""
        return Scope(attributes=self.definitions, viewer_roles=False)


def _must_exist(name: str, known: Collection[str], what: str) -> None:
    if name not in known:
        raise BundleError([Problem("unknown_name", f"there is no {what} {name}.", nearest=nearest_name(name, known))])


def _priority(group: Group) -> tuple[bool, int]:
    return (group.priority is None, group.priority or 0)


def _typed(definition: AttributeDefinition, value: AttributeValue) -> tuple[TypedValue, ...]:
    items = value if isinstance(value, list) else [] if value is None else [value]
    return tuple(typed_value(item, definition.type) for item in items)


def _deciding(rungs: list[Rung], definition: AttributeDefinition) -> tuple[set[int], bool]:
    """Which rungs give the value, and whether groups of equal standing disagree (2.5)."""
    by_kind: dict[str, list[int]] = {}
    for index, rung in enumerate(rungs):
        by_kind.setdefault(rung.kind, []).append(index)
    if "locked" in by_kind:
        return {by_kind["locked"][0]}, False
    own, groups = by_kind.get("own", []), by_kind.get("group", [])
    if definition.multiple and (own or groups):
        return ({*own} if own and definition.own_values == "replace" else {*own, *groups}), False
    if own:
        return {own[0]}, False
    if groups:
        first = rungs[groups[0]]
        equal = [index for index in groups if (rungs[index].priority, rungs[index].distance) == (first.priority, first.distance)]
        if len({rungs[index].values for index in equal}) > 1:
            return set(), True
        return {equal[0]}, False
    for kind in ("organization", "default"):
        if kind in by_kind:
            return {by_kind[kind][0]}, False
    return set(), False
