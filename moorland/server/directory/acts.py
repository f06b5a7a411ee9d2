"""Every change to people, groups, organizations and attributes: each applied in one place, so that it can be tried, and taken back, as it will be made."""

import unicodedata
from collections.abc import Callable
from typing import Any

from django.db.models import F, Q
from django.utils import timezone

from moorland.core.bundle.problems import Problem, nearest_name
from moorland.core.bundle.structure import identity, invisible
from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.core.language import tree
from moorland.core.language.checking import check_condition
from moorland.server.access.sessions import end_all
from moorland.server.catalog.models import Model
from moorland.server.changes import expect_version, outdate
from moorland.server.directory.act_shapes import (
    Act,
    AssignedRole,
    AttributeSave,
    Deletion,
    GroupChange,
    GroupMove,
    Leaving,
    NewPerson,
    OrganizationChange,
    PeopleChange,
    PeopleDeletion,
)
from moorland.server.directory.models import Account, AttributeDefinition, Group, Organization
from moorland.server.directory.secret_values import cleared, redefined, secret_attributes, set_values
from moorland.server.errors import Failure, missing
from moorland.server.evaluating import evaluator
from moorland.server.pages.models import Page, ReaderPage
from moorland.server.pages.readers import hand_over
from moorland.server.policies.models import Assignment, Role


def act_of(act: Act) -> tuple[str, Any]:
    """The one kind of change an act is, and what is asked of it. Raises Failure (400) for none or several."""
    named = [(name, shape) for name in Act.model_fields if (shape := getattr(act, name)) is not None]
    if len(named) != 1:
        raise Failure(400, "invalid", "An act is exactly one change.")
    return named[0]


def apply(act: Act, by: Account) -> None:
    """Makes one change. Raises Failure where it cannot be made; the caller's transaction takes back what was done."""
    kind, shape = act_of(act)
    APPLIED[kind](shape, by)


def _duplicate(kind: str, message: str) -> Failure:
    return Failure(422, "invalid", message, [Problem("duplicate", message, path=kind)])


def refuse_taken(login: str | None, email: str | None, but: Account | None = None) -> None:
    """Raises Failure where a login or e-mail is somebody's already, letter case and spaces aside (2.1), or cannot be told from it by eye."""
    for written in (login, email):
        if written is not None and (unseen := invisible(written)):
            raise _duplicate("login" if written is login else "email", f"It holds {unseen}, which nobody can see. Type it anew.")
    others = Account.objects.exclude(pk=but.pk) if but else Account.objects.all()
    if login is not None:
        taken = others.filter(login_identity=identity(login)).first()
        if taken is None and identity(plain := unicodedata.normalize("NFKC", login)) != identity(login):
            taken = others.filter(login_identity=identity(plain)).first()
        if taken is not None:
            raise _duplicate("login", f"The login {login} is taken by {taken.name} ({taken.login}); letter case does not tell logins apart.")
    if email:
        taken = others.filter(email_identity=identity(email)).first()
        if taken is not None:
            raise _duplicate("email", f"The e-mail {email} belongs to {taken.name} ({taken.login}) already.")


def add_person(asked: NewPerson, by: Account) -> Account:
    """A new account without a password; its first sign-in is by a one-time link."""
    login = asked.login.strip()
    refuse_taken(login, asked.email)
    account = Account.objects.create_account(
        login,
        asked.name.strip(),
        None,
        email=asked.email or None,
        organization=_organization(asked.organization) if asked.organization else None,
        kind=asked.kind,
        about=asked.about,
        keeper=asked.keeper,
    )
    if asked.attributes:
        set_values(account, asked.attributes)
        account.save()
    for name in asked.groups:
        _group(name).users.add(account)
    for role in asked.roles:
        _assign(account, role, by)
    return account


def change_people(asked: PeopleChange, by: Account) -> None:
    """The same change for each of some people."""
    accounts = list(Account.objects.filter(login__in=asked.logins))
    if len(accounts) != len(set(asked.logins)):
        unknown = sorted(set(asked.logins) - {account.login for account in accounts})
        raise missing("user", unknown[0])
    if asked.enabled is False and any(account.pk == by.pk for account in accounts):
        raise Failure(422, "invalid", "You cannot disable your own account.")
    if asked.good is not None and any(account.pk == by.pk for account in accounts):
        raise Failure(422, "invalid", "You cannot set the days of your own account.")
    if len(accounts) > 1 and (asked.name is not None or asked.email):
        raise Failure(422, "invalid", "Name and e-mail are each person's own; change them one by one.")
    organization = _organization(asked.organization) if asked.organization else None
    joined, left = [_group(name) for name in asked.join], [_group(name) for name in asked.leave]
    for account in accounts:
        expect_version(account, asked.versions.get(account.login, account.version), account.login)
    if asked.email is not None:
        refuse_taken(None, asked.email, accounts[0])
    same = _same_for_all(asked, organization)
    Account.objects.filter(pk__in=[account.pk for account in accounts]).update(version=F("version") + 1, **same)
    if asked.attributes:
        secret = secret_attributes()
        for account in accounts:
            set_values(account, asked.attributes, secret)
        Account.objects.bulk_update(accounts, ["attributes", "sealed"], batch_size=500)
    for group in joined:
        group.users.add(*accounts)
    for group in left:
        group.users.remove(*accounts)
    for account in accounts:
        for role in asked.give:
            _assign(account, role, by)


def _same_for_all(asked: PeopleChange, organization: Organization | None) -> dict[str, Any]:
    """The fields to set, equal for all the people changed."""
    fields: dict[str, Any] = {key: getattr(asked, key) for key in ("enabled", "about", "keeper") if getattr(asked, key) is not None}
    if asked.name is not None:
        fields["name"] = asked.name.strip()
    if asked.email is not None:
        fields["email"] = asked.email.strip() or None
        fields["email_set_at"] = timezone.now()
        fields["email_identity"] = identity(asked.email) if asked.email.strip() else None
    if asked.organization is not None:
        fields["organization"] = organization
    if asked.good is not None:
        if asked.good.from_ and asked.good.until and asked.good.until < asked.good.from_:
            raise Failure(422, "invalid", "The last day is before the first.")
        fields |= {"first_day": asked.good.from_, "last_day": asked.good.until}
    if asked.sign_in is not None:
        fields |= asked.sign_in.model_dump(exclude_none=True)
    return fields


def _assign(account: Account, asked: AssignedRole, by: Account) -> None:
    role = Role.objects.filter(name=asked.role, deleted=False).first()
    if role is None:
        raise missing("role", asked.role)
    if asked.from_ and asked.until and asked.until < asked.from_:
        raise Failure(422, "invalid", f"The last day of {asked.role} is before its first.")
    Assignment.objects.get_or_create(
        role=role, account=account, first_day=asked.from_, last_day=asked.until, defaults={"reason": asked.reason, "created_by": by}
    )


def delete_people(asked: PeopleDeletion, by: Account) -> None:
    """Deletes accounts with their memberships and assignments; what they own is handed over first."""
    if by.login in asked.logins:
        raise Failure(422, "invalid", "You cannot delete your own account.")
    heir = Account.objects.filter(login=asked.hand_over_to).first() if asked.hand_over_to else None
    if asked.hand_over_to and (heir is None or heir.login in asked.logins):
        raise missing("user", asked.hand_over_to)
    for login in asked.logins:
        account = Account.objects.filter(login=login).first()
        if account is None:
            raise missing("user", login)
        _hand_over(account, heir, by)
        account.delete()


def leave(asked: Leaving, by: Account) -> None:
    """The account and what is mapped to it end on a day; sessions and tokens end with the account. What it owns and keeps is handed over."""
    account = Account.objects.filter(login=asked.login).first()
    if account is None:
        raise missing("user", asked.login)
    if account.pk == by.pk:
        raise Failure(422, "invalid", "You cannot let your own account leave.")
    heir = Account.objects.filter(login=asked.hand_over_to).first() if asked.hand_over_to else None
    if asked.hand_over_to and (heir is None or heir.pk == account.pk):
        raise missing("user", asked.hand_over_to)
    account.last_day = asked.last_day
    if account.first_day is not None and account.first_day > asked.last_day:
        account.first_day = None
    account.moved()
    account.assignments.filter(Q(last_day=None) | Q(last_day__gt=asked.last_day)).update(last_day=asked.last_day)
    Assignment.objects.filter(account=account, first_day__gt=asked.last_day).delete()
    if not account.good_today():
        end_all(account)
        account.tokens.all().delete()
    _hand_over(account, heir, by)


def _hand_over(account: Account, heir: Account | None, by: Account) -> None:
    """Pages they own or made, and what they keep; without an heir, pages they made stay theirs, and are nobody's once they are deleted."""
    if heir is not None:
        for page in ReaderPage.objects.filter(maker=account):
            hand_over(page, heir, by)
    carried_over(account.login, heir.login if heir is not None else None)


def carried_over(login: str, to: str | None) -> None:
    """What names somebody as owner or keeper names another login, or nobody."""
    changed = False
    for stored, key in [
        *((page, "owner") for page in Page.objects.all()),
        *((role, "keeper") for role in Role.objects.all()),
        *((model, "keeper") for model in Model.objects.all()),
    ]:
        if stored.document.get(key) == login:
            document = {**stored.document}
            if to is None:
                document.pop(key)
            else:
                document[key] = to
            stored.rewritten(document)
            changed = True
    for kept in (Group, Organization, Account):
        kept.objects.filter(keeper=login).update(keeper=to or "")
    if changed:
        outdate("policy")


def save_group(asked: GroupChange, by: Account) -> None:
    """Adds a group, or changes one."""
    if asked.version is None:
        taken = Group.objects.filter(name__iexact=asked.name.strip()).first()
        if taken is not None:
            raise _duplicate("name", f"There is a group {taken.name} already; letter case does not tell groups apart.")
        group = Group(name=asked.name.strip())
    else:
        group = _group(asked.name)
        expect_version(group, asked.version, f"the group {group.name}")
        group.version += 1
    for key in ("label", "about", "keeper", "enabled"):
        value = getattr(asked, key)
        if value is not None:
            setattr(group, key, value)
    if asked.priority is not None or asked.no_priority:
        group.priority = None if asked.no_priority else asked.priority
    set_values(group, asked.attributes)
    group.save()
    if asked.add_users:
        group.users.add(*_accounts(asked.add_users))
    if asked.remove_users:
        group.users.remove(*_accounts(asked.remove_users))
    for name in asked.add_groups:
        group.groups.add(_group(name))
    for name in asked.remove_groups:
        group.groups.remove(_group(name))


def move_group(asked: GroupMove, by: Account) -> None:
    """Takes a group out of one and puts it into another; a circle is refused with its path by the check that follows."""
    group = _group(asked.name)
    if asked.out_of is not None:
        _group(asked.out_of).groups.remove(group)
    if asked.into is not None:
        _group(asked.into).groups.add(group)


def delete_group(asked: Deletion, by: Account) -> None:
    """Deletes a group with its assignments; its members stay."""
    _group(asked.name).delete()


def save_organization(asked: OrganizationChange, by: Account) -> None:
    """Adds an organization, or changes one."""
    if asked.version is None:
        taken = Organization.objects.filter(name__iexact=asked.name.strip()).first()
        if taken is not None:
            raise _duplicate("name", f"There is an organization {taken.name} already.")
        if asked.parent is None and Organization.objects.exists():
            raise Failure(422, "invalid", "Organizations form one tree: say under which the new one lies.")
        organization = Organization(name=asked.name.strip())
    else:
        organization = _organization(asked.name)
        expect_version(organization, asked.version, f"the organization {organization.name}")
        organization.version += 1
    for key in ("label", "about", "keeper"):
        value = getattr(asked, key)
        if value is not None:
            setattr(organization, key, value)
    if asked.parent is not None:
        organization.parent = _organization(asked.parent)
    set_values(organization, {name: to_plain(value) if value is not None else None for name, value in asked.attributes.items()})
    organization.save()


def delete_organization(asked: Deletion, by: Account) -> None:
    """Deletes an organization that nothing lies in."""
    organization = _organization(asked.name)
    people, below = organization.accounts.count(), organization.children.count()
    if people or below:
        raise Failure(422, "in_use", f"{organization.label or organization.name} holds {people} people and {below} organizations. Move them first.")
    organization.delete()


def save_attribute(asked: AttributeSave, by: Account) -> None:
    """Adds an attribute, or changes its definition."""
    definition = asked.definition
    stored = AttributeDefinition.objects.filter(name=definition.name).first()
    if asked.version is None:
        if stored is not None:
            raise _duplicate("name", f"There is an attribute {definition.name} already.")
        AttributeDefinition.appended(definition.name, to_plain(definition))
        return
    if stored is None:
        raise missing("attribute", definition.name)
    expect_version(stored, asked.version, f"the attribute {definition.name}")
    if (stored.document.get("shown_to") == "nobody") != (definition.shown_to == "nobody"):
        redefined(definition.name, secret=definition.shown_to == "nobody")
    stored.rewritten(to_plain(definition))


def delete_attribute(asked: Deletion, by: Account) -> None:
    """Deletes an attribute that no sentence reads, with the values set for it."""
    name = asked.name
    stored = AttributeDefinition.objects.filter(name=name).first()
    if stored is None:
        raise missing("attribute", name)
    readers = sorted({*attribute_readers(evaluator("draft"), name), *(f"{reader} (live)" for reader in attribute_readers(evaluator("live"), name))})
    if readers:
        raise Failure(422, "in_use", f"viewer.{name} is read by {', '.join(readers[:6])}. Take it out there first, and release.")
    cleared(name)
    stored.delete()


def attribute_readers(base: Evaluator, name: str) -> list[str]:
    """The roles whose sentences, or whose assignments, read an attribute."""
    found = [role.role.title for role in base.roles.values() if name in role.viewer_reads]
    for role in base.roles.values():
        for assignment in role.role.assigned:
            if assignment.when and name in tree.viewer_values_read(check_condition(assignment.when, base.people.assignment_scope)):
                found.append(f"the mapping of {role.role.title}")
    return found


def _group(name: str) -> Group:
    group = Group.objects.filter(name=name).first()
    if group is None:
        raise _unknown("group", name, Group.objects.values_list("name", flat=True))
    return group


def _organization(name: str) -> Organization:
    organization = Organization.objects.filter(name=name).first()
    if organization is None:
        raise _unknown("organization", name, Organization.objects.values_list("name", flat=True))
    return organization


def _unknown(kind: str, name: str, names: Any) -> Failure:
    near = nearest_name(name, list(names))
    return Failure(404, "not_found", f"There is no {kind} named {name}.{f' Nearest: {near}.' if near else ''}")


def _accounts(logins: list[str]) -> list[Account]:
    found = list(Account.objects.filter(login__in=logins))
    if len(found) != len(set(logins)):
        raise missing("user", sorted(set(logins) - {account.login for account in found})[0])
    return found


#: How each kind of act is carried out; a test holds it against the fields of Act.
APPLIED: dict[str, Callable[[Any, Account], object]] = {
    "add_person": add_person,
    "change_people": change_people,
    "delete_people": delete_people,
    "leave": leave,
    "save_group": save_group,
    "move_group": move_group,
    "delete_group": delete_group,
    "save_organization": save_organization,
    "delete_organization": delete_organization,
    "save_attribute": save_attribute,
    "delete_attribute": delete_attribute,
}
