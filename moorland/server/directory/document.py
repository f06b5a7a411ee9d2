"""The people of the workspace in the written form of bundle.md."""

import json
from collections.abc import Collection
from typing import Any

from django.db import connection
from django.db.models import QuerySet, TextField
from django.db.models.functions import Cast
from pydantic import ValidationError

from moorland.core.bundle.people import User
from moorland.server.directory.models import Account, AttributeDefinition, Group, Organization
from moorland.server.directory.secret_values import opened

#: A row of an account as it is read, its values still as text, and the user it comes to.
_known: dict[int, tuple[tuple[Any, ...], User]] = {}
#: So many are kept.
MOST_KNOWN = 250_000
_FIELDS = ("pk", "login", "name", "email", "organization_id", "kind", "enabled", "about", "keeper", "first_day", "last_day")


def people_read() -> dict[str, Any]:
    """The same as `people_document`, its users as shapes: who has not changed since they were read is not read again.

    A user that is no shape stands as a document, so that whoever reads the bundle says what is wrong.
    """
    document = people_document(only=())
    homes = dict(Organization.objects.values_list("pk", "name"))
    accounts = Account.objects.annotate(own=Cast("attributes", TextField()), hidden=Cast("sealed", TextField()))
    users: list[User | dict[str, Any]] = []
    logins: dict[int, str] = {}
    for asked in _as_kept(accounts.values_list(*_FIELDS, "own", "hidden")):
        row = (*asked, homes.get(asked[4]))
        kept = _known.get(row[0])
        # Another request may keep another state of the same account meanwhile, even one that is taken back: only what is of this row is used.
        read = kept[1] if kept is not None and kept[0] == row else _read_anew(row)
        users.append(read)
        logins[row[0]] = row[1]
    if len(_known) > max(MOST_KNOWN, 2 * len(users)):
        _known.clear()
    members: dict[int, list[str]] = {}
    for group, account in _as_kept(Group.users.through.objects.values_list("group_id", "account_id")):
        members.setdefault(group, []).append(logins[account])
    groups = dict(Group.objects.values_list("name", "pk"))
    for group in document["groups"]:
        group["users"] = sorted(members.get(groups[group["name"]], []))
    return {**document, "users": users}


def _read_anew(row: tuple[Any, ...]) -> User | dict[str, Any]:
    """The user a row comes to, kept under it; the document where it is none."""
    pk, login, name, email, _, kind, enabled, about, keeper, first, last, own, hidden, home = row
    document = _user(login, name, email, home, kind, bool(enabled), json.loads(own), hidden, about, keeper, first, last)
    try:
        user = User.model_validate(document)
    except ValidationError:
        return document
    _known[pk] = (row, user)
    return user


def _user(*kept: Any) -> dict[str, Any]:
    """An account as it is written in a bundle; its days as text."""
    login, name, email, home, kind, enabled, attributes, sealed, about, keeper, first, last = kept
    attributes = {**attributes, **opened(sealed)} if sealed else attributes
    user = {"login": login, "name": name, "email": email, "organization": home, "kind": kind, "enabled": enabled, "attributes": attributes}
    days = {"from": first, "until": last} if first or last else {}
    return {**user, **days, "about": about or None, "keeper": keeper or None}


def _as_kept(asked: QuerySet[Any, Any]) -> list[tuple[Any, ...]]:
    """The rows of a query as the database holds them."""
    sql, parameters = asked.query.sql_with_params()
    with connection.cursor() as cursor:
        cursor.execute(sql, parameters)
        return list(cursor.fetchall())


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
        days = (first.isoformat() if first else None, last.isoformat() if last else None)
        users.append(_user(login, name, email, organizations[home].name if home else None, kind, enabled, attributes, sealed, about, keeper, *days))
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
