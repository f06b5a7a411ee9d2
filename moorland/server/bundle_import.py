"""A bundle folder into a workspace that is not empty: what would change is told first, and all of it is done or nothing (bundle.md).

Roles, models, shelves, pages and promises become those of the bundle in the draft, and act with the next release. People, groups,
organizations, attributes and assignments act at once; whoever or whatever of them is not in the bundle is disabled, not deleted, and an
organization stays. Passwords, secret values, duties and keys are left as they are.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pyarrow as pa
from django.db import transaction

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.people import OrganizationValue
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.reading import path_inside, read_folder
from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.differences import ItemChange, differences
from moorland.core.insight.impact import impact
from moorland.core.insight.impacts import Impacts
from moorland.core.people import People
from moorland.core.sources.files import bundle_loader, read_parts
from moorland.server.bundle_export import as_brought
from moorland.server.catalog.models import Model
from moorland.server.catalog.storage import load_table, store_table
from moorland.server.changes import recorded
from moorland.server.directory.document import people_document
from moorland.server.directory.models import Account, AttributeDefinition, Group, Organization
from moorland.server.directory.secret_values import cleared, secret_attributes, set_values
from moorland.server.errors import Failure
from moorland.server.evaluating import evaluator_of
from moorland.server.origins.locks import locked, refuse_locked
from moorland.server.policies.assignments import assign
from moorland.server.policies.models import Assignment, Role
from moorland.server.releases.bundles import bundle_of, draft_policy
from moorland.server.releases.returning import as_released
from moorland.server.sources.models import StoredSource, leads_elsewhere
from moorland.server.workspace_document import apply_workspace, read_workspace

#: The lists of people that act at once, and how one of each is called.
PEOPLE_LISTS = {"organizations": "organization", "attributes": "attribute", "groups": "group", "users": "person"}


@dataclass(frozen=True)
class ImportPlan:
    """What an import changes: items of the draft, people (each said in a few words), assignments, what is beside the bundle, tables whose rows are replaced; and who gains and loses."""

    policy: list[ItemChange]
    people: list[str]
    assignments: list[str]
    workspace: list[str]
    tables: list[str]
    viewers: Impacts

    @property
    def changes(self) -> bool:
        """Whether anything changes at all."""
        return bool(self.policy or self.people or self.assignments or self.workspace or self.tables)


def import_into(folder: Path, by: Account | str, apply: bool, with_data: bool = True) -> ImportPlan:
    """Imports a bundle folder, or (without `apply`) only tells what that would change.

    Raises BundleError where the bundle is wrong, Failure where it does not fit the workspace: nothing is changed then.
    """
    bundle, beside = read_folder(folder), read_workspace(folder)
    Evaluator(bundle, bundle_loader(bundle, folder))
    before = bundle_of("draft")
    was, people_were, assigned_were, locks = draft_policy()[0], people_document(), _assigned(), locked()
    with transaction.atomic():
        with recorded(by, "import bundle", bundle.name, "people", "policy", "data") as change:
            tables = _tables(bundle, folder) if with_data else []
            _people(bundle)
            sources = _sources(bundle)
            as_released(
                {key: [_stored(key, item) for item in getattr(bundle, key)] for key in ("models", "roles", "shelves", "pages", "promises")}, _role_ids()
            )
            _assignments(bundle)
            workspace = [*sources, *(apply_workspace(beside, by if isinstance(by, str) else by.login) if beside is not None else [])]
            try:
                after = evaluator_of(bundle_of("draft"))
                for name in after.models:
                    after.data(name)
            except BundleError as error:
                raise _unfit(error.problems) from None
            refuse_locked(locks, People(before), after.people)
            plan = ImportPlan(
                policy=differences(was, draft_policy()[0]),
                people=_people_changes(people_were, people_document()),
                assignments=_assignment_changes(assigned_were, _assigned()),
                workspace=workspace,
                tables=tables,
                viewers=impact(evaluator_of(before), after, sorted({user.login for user in after.bundle.users})),
            )
            change.details = {
                "changes": [f"{item.change} {item.kind} {item.name}" for item in plan.policy][:200],
                "people": plan.people[:200],
                "workspace": plan.workspace[:200],
            }
            if not plan.changes:
                change.nothing()
        if not apply:
            transaction.set_rollback(True)
    return plan


def _stored(kind: str, item: Any) -> dict[str, Any]:
    """An item as it is stored in the draft: roles without assignments, tables with the files they first came from."""
    document = to_plain(item)
    if kind == "roles":
        document.pop("assigned", None)
    if kind == "models":
        stored = Model.objects.filter(name=item.name).values_list("document", flat=True).first() or {}
        files = {table["name"]: table["data"] for table in stored.get("tables", []) if "data" in table}
        for table in document["tables"]:
            table.pop("data", None)
            if table["name"] in files:
                table["data"] = files[table["name"]]
    return document


def _role_ids() -> dict[str, int]:
    return dict(Role.objects.values_list("name", "pk"))


def _unfit(problems: list[Problem]) -> Failure:
    return Failure(422, "invalid", f"The bundle does not fit this workspace: {problems[0].sentence()} Nothing was changed.", problems)


def _tables(bundle: Bundle, folder: Path) -> list[str]:
    """Stores the rows that come with the bundle, where they are others than the workspace has."""
    stored = []
    before = {model.name: model for model in bundle_of("draft").models}
    for model in bundle.models:
        for table in model.tables:
            if table.data is None:
                continue
            path = path_inside(folder, table.data)
            known = next((item for item in before[model.name].tables if item.name == table.name), None) if model.name in before else None
            if (
                known is not None
                and known.columns == table.columns
                and _equal(as_brought(known, load_table(before[model.name], known.name)), read_parts(path, table))
            ):
                continue
            store_table(model.name, table, read_parts(path, table))
            stored.append(f"{model.name}.{table.name}")
    return stored


def _equal(some: Iterator[pa.Table], others: Iterator[pa.Table]) -> bool:
    """Whether two tables have the same rows, however they are cut into parts."""
    held: list[pa.Table | None] = [None, None]
    while True:
        for side, parts in enumerate((some, others)):
            while (now := held[side]) is None or not now.num_rows:
                if (found := next(parts, None)) is None:
                    break
                held[side] = found
        one, other = held
        if not one or not other:
            return not one and not other
        rows = min(one.num_rows, other.num_rows)
        if not one.slice(0, rows).equals(other.slice(0, rows)):
            return False
        held = [one.slice(rows), other.slice(rows)]


def _people(bundle: Bundle) -> None:
    names = {definition.name for definition in bundle.attributes}
    for gone in AttributeDefinition.objects.exclude(name__in=names):
        cleared(gone.name)
        gone.delete()
    known = {item.name: item for item in AttributeDefinition.objects.all()}
    for position, definition in enumerate(bundle.attributes):
        document = to_plain(definition)
        stored = known.get(definition.name)
        if stored is None:
            AttributeDefinition.objects.create(name=definition.name, document=document, position=position)
        elif stored.document != document:
            stored.rewritten(document)
    secret = secret_attributes()
    organizations = _organizations(bundle, secret)
    accounts = _accounts(bundle, organizations, secret)
    _groups(bundle, accounts, secret)


def _sources(bundle: Bundle) -> list[str]:
    """Sources become those of the bundle, but for their secrets: one that leads elsewhere than before has none. Others stay. Tells what is new or otherwise."""
    told = []
    known = {item.name: item for item in StoredSource.objects.all()}
    for source in bundle.sources:
        document, stored = to_plain(source), known.get(source.name)
        if stored is None:
            StoredSource.appended(source.name, document)
            told.append(f"source {source.name} added, without its secret")
        elif stored.document != document:
            if leads_elsewhere(stored.document, document):
                stored.sealed = ""
            stored.rewritten(document)
            told.append(f"source {source.name} changed")
    return told


def _organizations(bundle: Bundle, secret: set[str]) -> dict[str, Organization]:
    known = {item.name: item for item in Organization.objects.all()}
    for item in bundle.organizations:
        stored = known.setdefault(item.name, Organization(name=item.name))
        stored.label, stored.about, stored.keeper = item.label or "", item.about or "", item.keeper or ""
        values = {name: to_plain(value) if isinstance(value, OrganizationValue) else value for name, value in item.attributes.items()}
        _replace_values(stored, values, secret)
        stored.parent = None if stored.pk is None else stored.parent
        stored.save()
    for item in bundle.organizations:
        Organization.objects.filter(name=item.name).update(parent=known[item.parent] if item.parent else None)
    return {item.name: item for item in Organization.objects.all()}


def _accounts(bundle: Bundle, organizations: dict[str, Organization], secret: set[str]) -> dict[str, Account]:
    known = {item.login: item for item in Account.objects.all()}
    wanted = {user.login for user in bundle.users}
    Account.objects.exclude(login__in=wanted).update(enabled=False)
    # Mail addresses change hands: out of the way first.
    Account.objects.filter(login__in=wanted).update(email_identity=None)
    for user in bundle.users:
        stored = known.get(user.login)
        if stored is None:
            stored = Account(login=user.login)
            stored.set_unusable_password()
        stored.name, stored.email, stored.kind, stored.enabled = user.name, user.email, user.kind, user.enabled
        stored.organization = organizations[user.organization] if user.organization else None
        stored.about, stored.keeper, stored.first_day, stored.last_day = user.about or "", user.keeper or "", user.from_, user.until
        _replace_values(stored, user.attributes, secret)
        stored.save()
    return {item.login: item for item in Account.objects.all()}


def _groups(bundle: Bundle, accounts: dict[str, Account], secret: set[str]) -> None:
    known = {item.name: item for item in Group.objects.all()}
    Group.objects.exclude(name__in=[group.name for group in bundle.groups]).update(enabled=False)
    for group in bundle.groups:
        stored = known.setdefault(group.name, Group(name=group.name))
        stored.label, stored.priority, stored.enabled = group.label or "", group.priority, group.enabled
        stored.about, stored.keeper = group.about or "", group.keeper or ""
        _replace_values(stored, group.attributes, secret)
        stored.save()
    for group in bundle.groups:
        known[group.name].users.set([accounts[login] for login in group.users])
        known[group.name].groups.set([known[name] for name in group.groups])


def _replace_values(holder: Any, values: dict[str, Any], secret: set[str]) -> None:
    """The values of the bundle, and no others but secret ones, which are in no bundle."""
    holder.attributes = {}
    set_values(holder, {name: value for name, value in values.items() if name not in secret}, secret)


def _assignments(bundle: Bundle) -> None:
    roles = {role.name: role for role in Role.objects.filter(deleted=False)}
    accounts = {account.login: account for account in Account.objects.all()}
    groups = {group.name: group for group in Group.objects.all()}
    now = _assigned()
    for role in bundle.roles:
        if [to_plain(item) for item in role.assigned] != now[role.name]:
            Assignment.objects.filter(role=roles[role.name]).delete()
            assign(roles[role.name], role.assigned, accounts, groups)


def _assigned() -> dict[str, list[Any]]:
    return {role.name: [to_plain(item) for item in role.assigned] for role in bundle_of("draft").roles}


def _people_changes(before: dict[str, Any], after: dict[str, Any]) -> list[str]:
    """Each person, group, organization and attribute that is other than before, in a few words; of secret values nothing is told."""
    secret, told = secret_attributes(), []
    for key, what in PEOPLE_LISTS.items():
        old, new = ({item.get("login") or item["name"]: item for item in side[key]} for side in (before, after))
        for name in sorted(old.keys() | new.keys()):
            if name not in old:
                told.append(f"{what} {name} added")
                continue
            parts = [part for part in new[name] if new[name][part] != old[name].get(part)]
            plain = [part for part in parts if part != "attributes" or _visible(new[name][part], secret) != _visible(old[name].get(part), secret)]
            if parts and plain:
                state = " disabled" if new[name].get("enabled") is False and old[name].get("enabled") else ""
                told.append(f"{what} {name}{state}: {', '.join(part.rstrip('_') for part in plain)}")
    return told


def _visible(values: Any, secret: set[str]) -> Any:
    return {name: value for name, value in values.items() if name not in secret} if isinstance(values, dict) else values


def _assignment_changes(before: dict[str, list[Any]], after: dict[str, list[Any]]) -> list[str]:
    told = []
    for name in sorted(after):
        gone = [item for item in before.get(name, []) if item not in after[name]]
        come = [item for item in after[name] if item not in before.get(name, [])]
        told += [f"{name} no longer mapped to {_whom(item)}" for item in gone] + [f"{name} mapped to {_whom(item)}" for item in come]
    return told


def _whom(item: dict[str, Any]) -> str:
    who = item.get("user") or item.get("group") or ("everyone" if item.get("everyone") else f"whom {item.get('when')} fits")
    days = " ".join(f"{word} {item[word]}" for word in ("from", "until") if item.get(word))
    return f"{who} {days}".strip()
