"""Acts carried out: tried to show their effect, or made, with what stood before and stands after in the trail."""

from typing import Any

from moorland.server.changes import recorded
from moorland.server.directory.act_shapes import Act
from moorland.server.directory.acts import act_of, apply
from moorland.server.directory.models import Account, AttributeDefinition, Group, Organization
from moorland.server.directory.secret_values import secret_attributes, told_values
from moorland.server.directory.service import Tried, still_as_judged, tried
from moorland.server.duties.judging import may_take_over
from moorland.server.duties.rights import outside, rights_of
from moorland.server.errors import missing
from moorland.server.evaluating import evaluator
from moorland.server.pages.models import Page, ReaderPage

#: So many of the people an act changes stand in the trail with both sides; all are named.
MOST_SIDES = 100
MOST_NAMED = 1_000

Sides = dict[str, dict[str, Any]]


def perform(act: Act, account: Account, only_try: bool) -> Tried:
    """Who gains and loses by an act, and which promises it breaks; unless it is only tried, it is made. Raises Failure where it cannot be made."""
    if act.change_people is not None and act.change_people.sign_in is not None:
        _refuse_sign_in_of_wider(account, act.change_people.logins)
    heir = getattr(act.delete_people or act.leave, "hand_over_to", None)
    if heir is not None:
        _refuse_handing_over(account, act.delete_people.logins if act.delete_people is not None else [act.leave.login] if act.leave is not None else [])
    found = tried(lambda: apply(act, account), account)
    if not only_try:
        action, subject, details = described(act)
        with recorded(account, action, subject, "people") as change:
            before = standing(act)
            apply(act, account)
            still_as_judged(found)
            change.details = details
            change.before, change.after = differing(before, standing(act))
    return found


def _refuse_sign_in_of_wider(account: Account, logins: list[str]) -> None:
    """Raises Failure where how somebody signs in is not for who could not give all they hold, or outside of their scope."""
    rights, states = rights_of(account), [evaluator("live"), evaluator("draft")]
    for other in Account.objects.filter(login__in=logins) if not rights.keeps_all else ():
        if other.login not in states[0].people.users or not rights.reaches("people", person=states[0].viewer(other.login)):
            raise missing("user", other.login)
        if not may_take_over(rights, other, states):
            raise outside(f"{other.name} holds more than you could give; how they sign in is for who could give all of it.")


def _refuse_handing_over(account: Account, logins: list[str]) -> None:
    """Raises Failure where a page would change its owner, which sentences may read, or its maker, on a shelf that is not in the scope of the actor."""
    rights = rights_of(account)
    made = ReaderPage.objects.filter(maker__login__in=logins).values_list("shelf", flat=True).distinct()
    if not all(rights.reaches("pages", shelf=shelf) for shelf in made):
        raise outside("Pages are handed over by who writes on their shelves. Leave them, or ask them to.")
    for page in Page.objects.all():
        if page.document.get("owner") in logins and not rights.reaches("pages", shelf=page.document["shelf"]):
            raise outside("Pages are handed over by who writes on their shelves. Leave them, or ask them to.")


def described(act: Act) -> tuple[str, str, dict[str, Any]]:
    """An act for the trail: action, subject, and what was asked, without secret values."""
    kind, shape = act_of(act)
    details = shape.model_dump(mode="json", by_alias=True, exclude_defaults=True)
    logins = details.pop("logins", None)
    details.pop("versions", None)
    details.pop("version", None)
    if "attributes" in details:
        details["attributes"] = without_secrets(details["attributes"])
    subject = details.get("login") or details.get("name") or (details.get("definition") or {}).get("name") or ""
    if logins is not None:
        subject = logins[0] if len(logins) == 1 else f"{len(logins)} people"
        if len(logins) > 1:
            details["logins"] = logins[:MOST_NAMED]
    return kind.replace("_", " "), str(subject), details


def without_secrets(attributes: dict[str, Any]) -> dict[str, Any]:
    """Values of attributes as the trail may hold them: of a secret one, only that it is set."""
    secret = secret_attributes() & attributes.keys()
    return {name: "set" if name in secret and value is not None else value for name, value in attributes.items()}


def standing(act: Act) -> Sides:
    """What an act is about, as it stands now: by login, or by the name of the group, organization or attribute."""
    kind, shape = act_of(act)
    if kind in ("add_person", "change_people", "delete_people", "leave"):
        return _people([shape.login] if kind in ("add_person", "leave") else shape.logins)
    if kind in ("save_group", "move_group", "delete_group"):
        return _groups([name for name in (shape.name, getattr(shape, "out_of", None), getattr(shape, "into", None)) if name])
    if kind in ("save_organization", "delete_organization"):
        return _organizations(shape.name)
    name = shape.definition.name if kind == "save_attribute" else shape.name
    return {item.name: item.document for item in AttributeDefinition.objects.filter(name=name)}


def differing(before: Sides, after: Sides) -> tuple[Sides | None, Sides | None]:
    """Both sides, without what is the same on them."""
    first: Sides = {}
    second: Sides = {}
    for name in dict.fromkeys([*before, *after]):
        old, new = before.get(name, {}), after.get(name, {})
        changed = [key for key in dict.fromkeys([*old, *new]) if old.get(key) != new.get(key)]
        if changed and old:
            first[name] = {key: old.get(key) for key in changed}
        if changed and new:
            second[name] = {key: new.get(key) for key in changed}
    return first or None, second or None


def _people(logins: list[str]) -> Sides:
    found = Account.objects.filter(login__in=logins[:MOST_SIDES]).select_related("organization").prefetch_related("in_groups", "assignments__role")
    return {
        account.login: {
            "name": account.name,
            "email": account.email,
            "organization": account.organization.name if account.organization else None,
            "enabled": account.enabled,
            "good": [str(account.first_day or ""), str(account.last_day or "")],
            "must_change_password": account.must_change_password,
            "about": account.about,
            "keeper": account.keeper,
            "attributes": told_values(account),
            "groups": sorted(group.name for group in account.in_groups.all()),
            "roles": sorted(assignment.role.name for assignment in account.assignments.all()),
        }
        for account in found
    }


def _groups(names: list[str]) -> Sides:
    found = Group.objects.filter(name__in=names).prefetch_related("users", "groups")
    return {
        group.name: {
            "label": group.label,
            "priority": group.priority,
            "enabled": group.enabled,
            "about": group.about,
            "keeper": group.keeper,
            "attributes": told_values(group),
            "users": sorted(user.login for user in group.users.all())[:MOST_NAMED],
            "groups": sorted(inner.name for inner in group.groups.all()),
        }
        for group in found
    }


def _organizations(name: str) -> Sides:
    found = Organization.objects.filter(name=name).select_related("parent")
    return {
        item.name: {
            "label": item.label,
            "parent": item.parent.name if item.parent else None,
            "about": item.about,
            "keeper": item.keeper,
            "attributes": told_values(item),
        }
        for item in found
    }
