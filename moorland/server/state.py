"""The draft and the live release as bundles, and their evaluators (architecture.md: draft, live and releases are bundles)."""

import datetime
import threading
from typing import Any, Literal

from django.conf import settings
from django.db.models import F

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.policy import Role as RoleShape
from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.reading import read_document
from moorland.core.bundle.structure import check_role
from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator, today_in
from moorland.core.engine.model_data import ModelData
from moorland.server.catalog.models import Model
from moorland.server.catalog.storage import load_table
from moorland.server.directory.models import Account, AttributeDefinition, Group, Organization
from moorland.server.errors import Failure
from moorland.server.pages.models import Page, Shelf
from moorland.server.policies.models import Assignment, Role
from moorland.server.releases.models import Release, Workspace

State = Literal["draft", "live"]

#: So many evaluators, and models with their data, are kept: draft and live on a few days.
MOST_KEPT = 12

_evaluators: dict[tuple[Any, ...], Evaluator] = {}
_joined: dict[object, ModelData] = {}
_lock = threading.Lock()


def workspace() -> Workspace:
    """The one workspace. Raises Failure (503) before it is set up."""
    found = Workspace.objects.first()
    if found is None:
        raise Failure(503, "not_set_up", "This workspace is not set up yet. Run moorland demo, or import a bundle.")
    return found


def people_changed() -> None:
    """Marks that people, groups, attribute values or assignments changed: every answer is computed anew."""
    Workspace.objects.update(people_version=F("people_version") + 1)


def policy_changed() -> None:
    """Marks that the draft or the live release changed."""
    Workspace.objects.update(policy_version=F("policy_version") + 1)


def data_changed() -> None:
    """Marks that the content of a table changed."""
    Workspace.objects.update(data_version=F("data_version") + 1)


def people_document() -> dict[str, Any]:
    """The people part of a bundle, as it is now; read without making an object of every account and membership."""
    organizations = {organization.pk: organization for organization in Organization.objects.all()}
    logins: dict[int, str] = {}
    users = []
    fields = ("pk", "login", "name", "email", "organization_id", "kind", "enabled", "attributes", "about", "keeper")
    for pk, login, name, email, home, kind, enabled, attributes, about, keeper in Account.objects.values_list(*fields):
        logins[pk] = login
        organization = organizations[home].name if home else None
        user = {"login": login, "name": name, "email": email, "organization": organization, "kind": kind, "enabled": enabled, "attributes": attributes}
        users.append({**user, "about": about or None, "keeper": keeper or None})
    stored = list(Group.objects.all())
    names = {group.pk: group.name for group in stored}
    members: dict[int, list[str]] = {}
    for group_id, account_id in Group.users.through.objects.values_list("group_id", "account_id"):
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
            "attributes": group.attributes,
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
                "attributes": item.attributes,
                "about": item.about or None,
                "keeper": item.keeper or None,
            }
            for item in organizations.values()
        ],
        "attributes": [definition.document for definition in AttributeDefinition.objects.all()],
        "groups": groups,
        "users": users,
    }


def assignments_of_roles() -> dict[int, list[dict[str, Any]]]:
    """Each role's assignments in the written form, by the role's id."""
    result: dict[int, list[dict[str, Any]]] = {}
    for assignment in Assignment.objects.select_related("account", "group"):
        result.setdefault(assignment.role_id, []).append(assignment_document(assignment))
    return result


def assignment_document(assignment: Assignment) -> dict[str, Any]:
    """An assignment in the written form of bundle.md."""
    if assignment.account is not None:
        document: dict[str, Any] = {"user": assignment.account.login}
    elif assignment.group is not None:
        document = {"group": assignment.group.name}
    else:
        document = {"everyone": True} if assignment.everyone else {"when": assignment.when}
    if assignment.first_day:
        document["from"] = assignment.first_day.isoformat()
    if assignment.last_day:
        document["until"] = assignment.last_day.isoformat()
    if assignment.reason:
        document["reason"] = assignment.reason
    return document


def draft_policy() -> tuple[dict[str, Any], dict[str, int]]:
    """The draft's policy document, and the id of each role in it."""
    roles = list(Role.objects.filter(deleted=False))
    document = {
        "models": [model.document for model in Model.objects.all()],
        "roles": [role.document for role in roles],
        "shelves": [shelf.document for shelf in Shelf.objects.all()],
        "pages": [page.document for page in Page.objects.all()],
    }
    return document, {role.name: role.pk for role in roles}


def live_release() -> Release | None:
    """The newest release."""
    return Release.objects.first()


def policy(state: State) -> tuple[dict[str, Any], dict[str, int]]:
    """The policy document of the draft or of the live release; nothing is live before the first release."""
    if state == "draft":
        return draft_policy()
    release = live_release()
    return (release.document, release.role_ids) if release else ({}, {})


def bundle_of(state: State, policy_document: dict[str, Any] | None = None) -> Bundle:
    """The draft or live bundle with the people as they are now.

    A release whose sentences no longer fit the people (an attribute deleted) still reads; what it names is then absent.
    """
    space = workspace()
    document, role_ids = policy(state)
    if policy_document is not None:
        document = policy_document
    assigned = assignments_of_roles()
    roles = [{**role, "assigned": assigned.get(role_ids.get(role["name"], 0), [])} for role in document.get("roles", [])]
    return read_document({"moorland": 1, "name": space.name, "time_zone": space.time_zone, **people_document(), **document, "roles": roles}, state)


def evaluator(state: State, as_of: datetime.date | None = None) -> Evaluator:
    """The evaluator of the draft or the live release, kept until something changes.

    Every change moves a counter of the workspace in its own transaction; one that moved while the bundle was read means reading again.

    Raises Failure (409) where the state cannot be evaluated; nothing is answered then.
    """
    while True:
        space = workspace()
        day = as_of or today_in(space.time_zone)
        versions = _versions(space)
        key = (str(settings.DATA), state, *versions, day)
        with _lock:
            if key in _evaluators:
                return _evaluators[key]
        try:
            made = Evaluator(bundle_of(state), load_table, day, _secret(), _joined)
        except BundleError as error:
            raise Failure(409, "unusable", f"The {state} state cannot be evaluated: {error.problems[0].sentence()}", error.problems) from None
        if _versions(workspace()) == versions:
            return _kept(key, made)


def _versions(space: Workspace) -> tuple[int, int, int]:
    return (space.policy_version, space.people_version, space.data_version)


def _kept(key: tuple[Any, ...], made: Evaluator) -> Evaluator:
    """Keeps an evaluator in place of those of earlier versions. No lock is held while one is made: a request that writes may be waiting."""
    with _lock:
        for old in [old for old in _evaluators if old[:2] == key[:2] and old[2:5] != key[2:5]]:
            del _evaluators[old]
        while len(_joined) > MOST_KEPT:
            del _joined[next(iter(_joined))]
        kept = _evaluators.setdefault(key, made)
        while len(_evaluators) > MOST_KEPT:
            del _evaluators[next(iter(_evaluators))]
        return kept


def evaluator_with(base: Evaluator, roles: list[RoleShape], people: dict[str, Any] | None = None) -> Evaluator:
    """An evaluator in which some roles are replaced or added, or the people differ, and all else is as in `base`.

    Raises BundleError with the problems of what was changed.
    """
    bundle = base.bundle
    if people is not None:
        changed = {**to_plain(bundle), **people}
        return Evaluator(read_document(changed), load_table, base.as_of, base.secret, _joined)
    edited = {role.name: role for role in roles}
    kept = [edited.pop(role.name, role) for role in bundle.roles]
    bundle = bundle.model_copy(update={"roles": [*kept, *edited.values()]})
    changed = {role.name for role in roles}
    problems = [problem for index, role in enumerate(bundle.roles) if role.name in changed for problem in check_role(bundle, role, f"roles[{index}]")]
    if problems:
        raise BundleError(problems)
    return Evaluator(bundle, load_table, base.as_of, base.secret, _joined)


def _secret() -> bytes:
    return str(settings.SECRET_KEY).encode()[:64]
