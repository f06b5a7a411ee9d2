"""No way up: a change is judged by its outcome, before and after, for everybody it concerns (accounts.md 2)."""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

from moorland.core.bundle.duties import ActName, Duty
from moorland.core.bundle.people import Group, Organization, User
from moorland.core.bundle.policy import Assignment
from moorland.core.engine.evaluator import Evaluator
from moorland.core.people import People, Viewer
from moorland.server.directory.models import Account
from moorland.server.duties.models import GivenDuty
from moorland.server.duties.rights import Rights, duty_of, outside, rights_of
from moorland.server.errors import missing

#: What of a viewer comes from who and where somebody is, beside attributes.
IDENTITY = ("login", "name", "email", "mail_domain", "organization", "organizations", "branch", "groups")

#: For each login the duties held, now or from a day to come.
Holdings = dict[str, dict[int, Duty]]


def holdings(base: Evaluator) -> Holdings:
    """Who holds which duties, by themselves and by groups; those that are over are left out."""
    found: Holdings = {}
    for given in GivenDuty.objects.select_related("account", "group"):
        duty = duty_of(given)
        if duty.until is not None and duty.until < base.as_of:
            continue
        for login in [duty.user] if duty.user is not None else sorted(base.people.members(duty.group or "")):
            found.setdefault(login, {})[given.pk] = duty
    return found


@dataclass(frozen=True)
class Outcome:
    """The workspace before and after a change, who is concerned, and who held and holds which duties."""

    before: Evaluator
    after: Evaluator
    concerned: list[str]
    held: Holdings
    holds: Holdings


def judge(actor: Account, rights: Rights, outcome: Outcome) -> None:
    """Raises Failure (403) where a change reaches, or lets somebody gain, what is beyond the actor's duties; or lets the actor gain."""
    if not rights.keeps_all:
        _within_scope(rights, outcome)
        for login in _logins(outcome):
            _gains_within(rights, outcome, login)
    if actor.login in _logins(outcome) and _gains(outcome, actor.login) and not keeps_alone(actor):
        raise outside("By this you would gain something yourself. Somebody else who may do it has to make this change.")


def keeps_alone(actor: Account) -> bool:
    """Whether this account alone keeps the whole workspace: then there is nobody else to make a change that it gains by."""
    if not rights_of(actor).keeps_all:
        return False
    others = Account.objects.filter(enabled=True, kind="person").exclude(pk=actor.pk).filter(pk__in=_possible_keepers())
    return not any(account.has_usable_password() and rights_of(account).keeps_all for account in others)


def _possible_keepers() -> set[int]:
    found: set[int] = set()
    for given in GivenDuty.objects.select_related("group"):
        if given.account_id is not None:
            found.add(given.account_id)
        elif given.group is not None:
            return set(Account.objects.values_list("pk", flat=True))
    return found


def may_take_over(rights: Rights, account: Account, states: Iterable[Evaluator]) -> bool:
    """Whether an account may be handed to whoever asks by a link, a password or a mail: they hold its duties and could map every role it holds."""
    states = list(states)
    people = states[0].people
    if any(not rights.covers(held.duty.acts, held.duty.scope, people) for held in rights_of(account).held):
        return False
    for base in states:
        viewer = base.viewer(account.login) if account.login in base.people.users else None
        if viewer is not None and any(not rights.reaches("map", person=viewer, role=role) for role in viewer.held):
            return False
    return True


def refuse_wider(rights: Rights, duty: Duty, people: People) -> None:
    """Raises Failure (403) where somebody gives, widens or keeps alive a duty beyond their own."""
    if "settings" not in rights.acts:
        raise outside("Duties are given by who has settings.")
    beyond = [act for act in duty.acts if not rights.covers([act], duty.scope, people)]
    if beyond:
        raise outside(f"You cannot give more than you have: {', '.join(beyond)} within this is beyond your own duties.")


def _logins(outcome: Outcome) -> list[str]:
    moved = {login for login in outcome.held.keys() | outcome.holds.keys() if outcome.held.get(login) != outcome.holds.get(login)}
    return sorted(moved | set(outcome.concerned))


def _viewer(base: Evaluator, login: str) -> Viewer | None:
    return base.viewer(login) if login in base.people.users else None


def _within_scope(rights: Rights, outcome: Outcome) -> None:
    """Everything that is otherwise afterwards lies in the actor's scope, before and after."""
    old, new = outcome.before.bundle, outcome.after.bundle
    if old.attributes != new.attributes and not rights.whole("people"):
        raise outside("Definitions of attributes are for who keeps all people.")
    before, after = outcome.before.people, outcome.after.people
    for login in before.users.keys() | after.users.keys():
        if before.users.get(login) != after.users.get(login):
            _person_within(rights, outcome, login, before.users.get(login), after.users.get(login))
    for name in before.groups.keys() | after.groups.keys():
        if before.groups.get(name) != after.groups.get(name):
            _group_within(rights, outcome, name, before.groups.get(name), after.groups.get(name))
    for name in before.organizations.keys() | after.organizations.keys():
        if before.organizations.get(name) != after.organizations.get(name):
            _organization_within(rights, outcome, name, before.organizations.get(name), after.organizations.get(name))
    for name in before.roles.keys() | after.roles.keys():
        first = before.roles[name].assigned if name in before.roles else []
        second = after.roles[name].assigned if name in after.roles else []
        for assignment in [item for item in first if item not in second]:
            _mapping_within(rights, outcome.before, name, assignment, gone=outcome)
        for assignment in [item for item in second if item not in first]:
            _mapping_within(rights, outcome.after, name, assignment)


def _person_within(rights: Rights, outcome: Outcome, login: str, old: User | None, new: User | None) -> None:
    for base, user in ((outcome.before, old), (outcome.after, new)):
        viewer = _viewer(base, login) if user is not None else None
        if viewer is not None and not rights.reaches("people", person=viewer):
            raise missing("user", login) if old is not None else outside(f"{login} would stand outside of the people your duties reach.")
    first, second = (dict(user.attributes) if user is not None else {} for user in (old, new))
    viewer = _viewer(outcome.after, login)
    if viewer is not None:
        _attributes_within(rights, first, second, viewer)
    if old is not None and new is not None and old.email != new.email:
        account = Account.objects.filter(login=login).first()
        if account is not None and not may_take_over(rights, account, [outcome.before]):
            raise outside(f"{login} holds more than you could give; their mail is for somebody who could give all of it.")


def _attributes_within(rights: Rights, first: Mapping[str, object], second: Mapping[str, object], person: Viewer | None) -> None:
    for name in first.keys() | second.keys():
        if first.get(name) != second.get(name) and not rights.reaches("people", person=person, attribute=name):
            raise outside(f"Values of the attribute {name} are not in the scope of your duties.")


def _group_within(rights: Rights, outcome: Outcome, name: str, old: Group | None, new: Group | None) -> None:
    if old is None or new is None:
        if not rights.whole("people"):
            raise outside("Groups are made and deleted by who keeps all people.")
        return
    for base in (outcome.before, outcome.after):
        if not rights.reaches_group("people", name, base.people):
            raise missing("group", name)
    for login in set(old.users) ^ set(new.users):
        for base in (outcome.before, outcome.after):
            viewer = _viewer(base, login)
            if viewer is not None and not rights.reaches("people", person=viewer):
                raise missing("user", login)
    if old.model_copy(update={"users": []}) == new.model_copy(update={"users": []}):
        return
    _attributes_within(rights, dict(old.attributes), dict(new.attributes), None)
    for inner in set(old.groups) ^ set(new.groups):
        if not all(rights.reaches_group("people", inner, base.people) for base in (outcome.before, outcome.after)):
            raise missing("group", inner)
    for base in (outcome.before, outcome.after):
        _members_within(rights, "people", base, name, f"The group {name}")


def _members_within(rights: Rights, act: ActName, base: Evaluator, group: str, what: str, role: str | None = None) -> None:
    """All effective members of a group lie in the scope; members of a group that is switched off count as if it were on."""
    for viewer in base.everyone():
        if group in viewer.groups and not rights.reaches(act, person=viewer, role=role):
            raise outside(f"{what} holds people outside of the scope of your duties.")
    known = base.people.groups.get(group)
    if known is not None and not known.enabled:
        for login in known.users:
            if not rights.reaches(act, person=base.viewer(login), role=role):
                raise outside(f"{what} holds people outside of the scope of your duties.")


def _organization_within(rights: Rights, outcome: Outcome, name: str, old: Organization | None, new: Organization | None) -> None:
    for base, item in ((outcome.before, old), (outcome.after, new)):
        for place in (name, item.parent) if item is not None and (old is None or new is None or old.parent != new.parent) else (name,):
            if item is not None and place is not None and not rights.reaches_organization("people", place, base.people):
                if place == name and old is None:
                    continue
                raise missing("organization", place)
    first, second = (dict(item.attributes) if item is not None else {} for item in (old, new))
    _attributes_within(rights, dict(first), dict(second), None)


def _mapping_within(rights: Rights, base: Evaluator, role: str, assignment: Assignment, gone: Outcome | None = None) -> None:
    """The role, and whoever the mapping names, lie in the scope of one duty to map."""
    title = base.people.roles[role].title
    if assignment.user is not None:
        viewer = _viewer(base, assignment.user)
        if gone is not None and assignment.user not in gone.after.people.users:
            return
        if viewer is not None and rights.reaches("map", person=viewer, role=role):
            return
        raise outside(f"Mapping {title} to {assignment.user} is not in the scope of your duties.")
    if assignment.group is not None:
        if not rights.reaches_group("map", assignment.group, base.people, role):
            raise outside(f"Mapping {title} to the group {assignment.group} is not in the scope of your duties.")
        _members_within(rights, "map", base, assignment.group, f"The group {assignment.group}", role)
        return
    if not rights.reaches("map", everyone=True, role=role):
        raise outside(f"Mapping {title} to everyone, or by a condition, needs a duty to map over all people.")


def _gains_within(rights: Rights, outcome: Outcome, login: str) -> None:
    """What somebody gains lies in the actor's scope: roles and limits to map, values to set, duties to give."""
    new = _viewer(outcome.after, login)
    if new is not None and new.enabled:
        old = _viewer(outcome.before, login)
        for role in roles_gained(outcome, login):
            if not rights.reaches("map", person=new, role=role):
                raise outside(f"By this {login} would gain by {outcome.after.people.roles[role].title}, which is not in the scope of your duties.")
        changed = _values_changed(old if old is not None and old.enabled else None, new)
        changed = {name for name in changed if name in IDENTITY or not rights.reaches("people", person=new, attribute=name)}
        for name in new.held:
            if changed & outcome.after.viewer_reads[name] and not rights.reaches("map", person=new, role=name):
                title = outcome.after.people.roles[name].title
                raise outside(f"{title} reads {', '.join(sorted(changed & outcome.after.viewer_reads[name]))} of {login}, and is not in your scope.")
    for duty in _duties_gained(outcome, login):
        refuse_wider(rights, duty, outcome.after.people)


def roles_gained(outcome: Outcome, login: str) -> Iterator[str]:
    """Grant roles held afterwards and not before, and limit roles the other way round."""
    old, new = _viewer(outcome.before, login), _viewer(outcome.after, login)
    before = set(old.held) if old is not None and old.enabled else set[str]()
    assert new is not None
    for name in sorted(before ^ set(new.held)):
        kind = (outcome.after if name in new.held else outcome.before).people.roles[name].kind
        if (kind == "grant") == (name in new.held) and (kind == "grant" or name in before):
            yield name


def roles_lost(outcome: Outcome, login: str) -> bool:
    """Whether somebody loses a grant role or gains a limit."""
    old, new = (_viewer(base, login) for base in (outcome.before, outcome.after))
    before = set(old.held) if old is not None and old.enabled else set[str]()
    after = set(new.held) if new is not None and new.enabled else set[str]()
    gone = any(outcome.before.people.roles[name].kind == "grant" for name in before - after)
    # Whoever is new, or is not there any more, has no use of a limit.
    limited = bool(before) and any(outcome.after.people.roles[name].kind == "limit" for name in after - before)
    return gone or limited


def _values_changed(old: Viewer | None, new: Viewer) -> set[str]:
    names = (*IDENTITY, *new.attributes)
    return {name for name in names if old is None or old.values(name) != new.values(name)}


def _duties_gained(outcome: Outcome, login: str) -> list[Duty]:
    held = outcome.held.get(login, {})
    return [duty for key, duty in outcome.holds.get(login, {}).items() if held.get(key) != duty]


def gains_by_name(outcome: Outcome, login: str) -> bool:
    """Whether somebody gains by who they are called: by a name, login or mail that a condition or a sentence reads."""
    new, old = _viewer(outcome.after, login), _viewer(outcome.before, login)
    if new is None or not new.enabled:
        return False
    changed = _values_changed(old, new) & set(IDENTITY)
    return bool(changed) and (any(True for _ in roles_gained(outcome, login)) or any(changed & outcome.after.viewer_reads[name] for name in new.held))


def _gains(outcome: Outcome, login: str) -> bool:
    """Whether somebody gains a role, loses a limit, gains a duty, or has a value changed that one of their roles reads."""
    new, old = _viewer(outcome.after, login), _viewer(outcome.before, login)
    if new is None or not new.enabled:
        return False
    if any(True for _ in roles_gained(outcome, login)) or _duties_gained(outcome, login):
        return True
    changed = _values_changed(old, new)
    return any(changed & outcome.after.viewer_reads[name] for name in new.held)
