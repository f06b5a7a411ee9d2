"""Fills an empty workspace from a bundle: people, models with their data, roles, pages, and a first release."""

from pathlib import Path

from django.db import transaction

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.people import OrganizationValue
from moorland.core.bundle.reading import path_inside, read_folder
from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.core.sources.files import bundle_loader, read_parts
from moorland.server.catalog.models import Model
from moorland.server.catalog.storage import store_table
from moorland.server.checks.models import Promise
from moorland.server.directory.models import Account, AttributeDefinition, Group, Organization
from moorland.server.directory.secret_values import secret_attributes, set_values
from moorland.server.duties.giving import give, give_set
from moorland.server.duties.rights import holding
from moorland.server.errors import Failure
from moorland.server.pages.models import Page, Shelf
from moorland.server.policies.assignments import assign
from moorland.server.policies.models import Role
from moorland.server.releases.models import Workspace
from moorland.server.releases.publishing import publish
from moorland.server.sources.models import StoredSource
from moorland.server.trail.models import record
from moorland.server.workspace_document import apply_workspace, read_workspace


def import_into_empty(folder: Path, keepers: set[str]) -> str:
    """Fills an empty workspace from a bundle folder; gives the login of somebody who keeps it.

    Raises BundleError where the bundle is wrong, Failure where there is a workspace already, or nobody would keep it.
    """
    if Workspace.objects.exists():
        raise Failure(409, "not_empty", "There is a workspace in this folder already. Import into an empty one: set DATA to a folder that is not there yet.")
    with transaction.atomic():
        bundle = read_folder(folder)
        unknown = sorted(keepers - {user.login for user in bundle.users})
        if unknown:
            raise Failure(422, "invalid", f"There is no {unknown[0]} in the bundle. Name a login of it as keeper.")
        fill_workspace(folder, keepers, None, set())
        beside = read_workspace(folder)
        if beside is not None:
            apply_workspace(beside, "moorland")
        found = sorted(keepers) or sorted(Account.objects.filter(pk__in=holding("settings"), enabled=True, kind="person").values_list("login", flat=True))
        if not found:
            raise Failure(422, "invalid", "Nobody in the bundle has the duty settings. Name who keeps the workspace: --keeper LOGIN.")
    return found[0]


@transaction.atomic
def fill_workspace(folder: Path, administrators: set[str], password: str | None, sign_in: set[str]) -> None:
    """Imports the bundle in a folder into an empty database, whole or not at all.

    `sign_in` names the logins that get the password. Raises BundleError where the bundle is wrong.
    """
    bundle = read_folder(folder)
    Evaluator(bundle, bundle_loader(bundle, folder))
    tags = {"sensitive_tags": bundle.sensitive_tags} if "sensitive_tags" in bundle.model_fields_set else {}
    Workspace.objects.create(name=bundle.name, time_zone=bundle.time_zone, **tags)
    _people(bundle, administrators, password, sign_in)
    for position, source in enumerate(bundle.sources):
        StoredSource.objects.create(name=source.name, document=to_plain(source), position=position)
    for position, model in enumerate(bundle.models):
        Model.objects.create(name=model.name, document=to_plain(model), position=position)
        for table in model.tables:
            if table.data is not None:
                store_table(model.name, table, read_parts(path_inside(folder, table.data), table))
    _policies(bundle)
    for position, shelf in enumerate(bundle.shelves):
        Shelf.objects.create(name=shelf.name, document=to_plain(shelf), position=position)
    for position, page in enumerate(bundle.pages):
        Page.objects.create(name=page.name, document=to_plain(page), position=position)
    for position, promise in enumerate(bundle.promises):
        Promise.objects.create(name=promise.name, document=to_plain(promise), position=position)
    record("moorland", "import", bundle.name, users=len(bundle.users), models=len(bundle.models), roles=len(bundle.roles))
    publish(None, "First release, from the imported bundle")


def _people(bundle: Bundle, administrators: set[str], password: str | None, sign_in: set[str]) -> None:
    organizations: dict[str, Organization] = {}
    for position, definition in enumerate(bundle.attributes):
        AttributeDefinition.objects.create(name=definition.name, document=to_plain(definition), position=position)
    secret = secret_attributes()
    waiting = list(bundle.organizations)
    while waiting:
        ready = [item for item in waiting if item.parent is None or item.parent in organizations]
        for item in ready:
            values = {name: to_plain(value) if isinstance(value, OrganizationValue) else value for name, value in item.attributes.items()}
            parent = organizations[item.parent] if item.parent else None
            organization = Organization(name=item.name, label=item.label or "", parent=parent, about=item.about or "", keeper=item.keeper or "")
            set_values(organization, values, secret)
            organization.save()
            organizations[item.name] = organization
        waiting = [item for item in waiting if item not in ready]
    for user in bundle.users:
        account = Account.objects.create_account(
            user.login,
            user.name,
            password if user.login in sign_in else None,
            email=user.email,
            organization=organizations[user.organization] if user.organization else None,
            kind=user.kind,
            enabled=user.enabled,
            about=user.about or "",
            keeper=user.keeper or "",
            first_day=user.from_,
            last_day=user.until,
        )
        if user.attributes:
            set_values(account, user.attributes, secret)
            account.save()
    accounts = {account.login: account for account in Account.objects.all()}
    for login in sorted(administrators):
        give_set(accounts[login], "keeper", "moorland")
    groups: dict[str, Group] = {}
    for group in bundle.groups:
        groups[group.name] = Group(
            name=group.name, label=group.label or "", priority=group.priority, enabled=group.enabled, about=group.about or "", keeper=group.keeper or ""
        )
        set_values(groups[group.name], group.attributes, secret)
        groups[group.name].save()
    for group in bundle.groups:
        groups[group.name].users.set([accounts[login] for login in group.users])
        groups[group.name].groups.set([groups[name] for name in group.groups])
    for duty in bundle.duties:
        give(duty, "moorland")


def _policies(bundle: Bundle) -> None:
    accounts = {account.login: account for account in Account.objects.all()}
    groups = {group.name: group for group in Group.objects.all()}
    for position, role in enumerate(bundle.roles):
        document = to_plain(role)
        document.pop("assigned", None)
        stored = Role.objects.create(name=role.name, document=document, position=position)
        assign(stored, role.assigned, accounts, groups)
