"""The draft and the live release as bundles (architecture.md: draft, live and releases are bundles)."""

import datetime
import zoneinfo
from collections.abc import Collection
from typing import Any, Literal

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.reading import read_document
from moorland.core.collector import collector_paused
from moorland.server.catalog.models import Model
from moorland.server.checks.models import Promise
from moorland.server.directory.document import people_document, people_read
from moorland.server.errors import Failure, missing
from moorland.server.pages.models import Page, Shelf
from moorland.server.policies.assignments import assignments_of_roles
from moorland.server.policies.models import Role
from moorland.server.releases.history import people_on
from moorland.server.releases.models import Release, Workspace
from moorland.server.sources.models import StoredSource
from moorland.server.unchanged import unless_changed

State = Literal["draft", "live"]


def workspace() -> Workspace:
    """The one workspace. Raises Failure (503) before it is set up."""
    found = unless_changed("workspace", Workspace.objects.first)
    if found is None:
        raise Failure(503, "not_set_up", "This workspace is not set up yet. Run moorland demo, or import a bundle.")
    return found


def draft_policy() -> tuple[dict[str, Any], dict[str, int]]:
    """The draft's policy document, and the id of each role in it."""
    roles = list(Role.objects.filter(deleted=False))
    document = {
        "models": [model.document for model in Model.objects.all()],
        "roles": [role.document for role in roles],
        "shelves": [shelf.document for shelf in Shelf.objects.all()],
        "pages": [page.document for page in Page.objects.all()],
    }
    promises = [promise.document for promise in Promise.objects.all()]
    if promises:
        document["promises"] = promises
    return document, {role.name: role.pk for role in roles}


def live_release() -> Release | None:
    """The newest release."""
    return Release.objects.first()


def live_number() -> int:
    """The number of the newest release; 0 before the first."""
    return unless_changed("live number", lambda: Release.objects.values_list("number", flat=True).first() or 0)


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
    document, role_ids = policy(state)
    return bundle_with(document if policy_document is None else policy_document, role_ids, state)


def bundle_about(state: State, only: Collection[int]) -> Bundle:
    """The same with some of the people alone, by the ids of their accounts; without promises, which are about everybody."""
    document, role_ids = policy(state)
    return bundle_with({**document, "promises": []}, role_ids, state, people_document(only), assignments_of_roles(only))


def release_bundle(number: int) -> Bundle:
    """An earlier release with the people as they are now. Raises Failure (404) where there is none of that number."""
    release = Release.objects.filter(number=number).first()
    if release is None:
        raise missing("release", str(number))
    return bundle_with(release.document, release.role_ids, f"release {number}")


def lived_bundle(day: datetime.date) -> Bundle:
    """The people, assignments and release at the end of a day that is over. Raises Failure for a day before the history."""
    people, assigned = people_on(day)
    zone = zoneinfo.ZoneInfo(workspace().time_zone)
    after = datetime.datetime.combine(day + datetime.timedelta(days=1), datetime.time(), zone)
    release = Release.objects.filter(created_at__lt=after).first()
    document, role_ids = (release.document, release.role_ids) if release else ({}, {})
    return bundle_with(document, role_ids, f"live on {day}", people, assigned)


def stored_sources() -> dict[str, Any]:
    """The sources of the workspace; they act at once, whatever is released."""
    found = list(StoredSource.objects.values_list("document", flat=True))
    return {"sources": found} if found else {}


def bundle_with(
    document: dict[str, Any],
    role_ids: dict[str, int],
    named: str,
    people: dict[str, Any] | None = None,
    assigned: dict[int, list[dict[str, Any]]] | None = None,
) -> Bundle:
    """A policy document with the workspace's own people and assignments, as they are now unless given."""
    space = workspace()
    assigned = assignments_of_roles() if assigned is None else assigned
    roles = [{**role, "assigned": assigned.get(role_ids.get(role["name"], 0), [])} for role in document.get("roles", [])]
    head = {"moorland": 1, "name": space.name, "time_zone": space.time_zone, "sensitive_tags": space.sensitive_tags}
    with collector_paused():
        return read_document(
            {**head, **(people_read() if people is None else people), **stored_sources(), **document, "roles": roles},
            named,
        )
