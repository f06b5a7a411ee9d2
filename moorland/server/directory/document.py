"""The people of the workspace in the written form of bundle.md."""

from collections.abc import Collection
from typing import Any

from moorland.server.directory.models import Account, AttributeDefinition, Group, Organization
from moorland.server.directory.secret_values import opened


def people_document(only: Collection[int] | None = None) -> dict[str, Any]:
    """The people part of a bundle, as it is now, secret values opened; read without making an object of every account and membership.

    `only` are the accounts it is bounded to, by their ids: all else of it is whole.
    """
    accounts, members_of = Account.objects.all(), Group.users.through.objects.all()
    if only is not None:
        accounts, members_of = accounts.filter(pk__in=only), members_of.filter(account_id__in=only)
    organizations = {organization.pk: organization for organization in Organization.objects.all()}
    logins: dict[int, str] = {}
    users = []
    fields = ("pk", "login", "name", "email", "organization_id", "kind", "enabled", "attributes", "sealed", "about", "keeper", "first_day", "last_day")
    for pk, login, name, email, home, kind, enabled, attributes, sealed, about, keeper, first, last in accounts.values_list(*fields):
        logins[pk] = login
        organization = organizations[home].name if home else None
        attributes = {**attributes, **opened(sealed)} if sealed else attributes
        user = {"login": login, "name": name, "email": email, "organization": organization, "kind": kind, "enabled": enabled, "attributes": attributes}
        days = {"from": first.isoformat() if first else None, "until": last.isoformat() if last else None} if first or last else {}
        users.append({**user, **days, "about": about or None, "keeper": keeper or None})
    stored = list(Group.objects.all())
    names = {group.pk: group.name for group in stored}
    members: dict[int, list[str]] = {}
    for group_id, account_id in members_of.values_list("group_id", "account_id"):
        members.setdefault(group_id, []).append(logins[account_id])
    inner: dict[int, list[str]] = {}
    for outer_id, inner_id in Group.groups.through.objects.values_list("from_group_id", "to_group_id"):
        inner.setdefault(outer_id, []).append(names[inner_id])
    groups = [
        {
            "name": group.name,
            "label": group.label or None,
            "priority": group.priority,
            "enabled": group.enabled,
            "attributes": {**group.attributes, **opened(group.sealed)},
            "about": group.about or None,
            "keeper": group.keeper or None,
            "users": sorted(members.get(group.pk, [])),
            "groups": sorted(inner.get(group.pk, [])),
        }
        for group in stored
    ]
    return {
        "organizations": [
            {
                "name": item.name,
                "label": item.label or None,
                "parent": organizations[item.parent_id].name if item.parent_id else None,
                "attributes": {**item.attributes, **opened(item.sealed)},
                "about": item.about or None,
                "keeper": item.keeper or None,
            }
            for item in organizations.values()
        ],
        "attributes": [definition.document for definition in AttributeDefinition.objects.all()],
        "groups": groups,
        "users": users,
    }
