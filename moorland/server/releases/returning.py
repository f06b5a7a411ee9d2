"""Return to an earlier release: the draft becomes what it was, all of it or nothing (docs/testing.md, Releases)."""

from typing import Any

from moorland.core.bundle.problems import BundleError
from moorland.server.catalog.models import Model
from moorland.server.changes import recorded
from moorland.server.checks.models import Promise
from moorland.server.directory.models import Account
from moorland.server.documents import VersionedDocument
from moorland.server.errors import Failure, missing
from moorland.server.evaluating import evaluator_of
from moorland.server.pages.models import Page, Shelf
from moorland.server.policies.models import Role
from moorland.server.policies.roles import take_out
from moorland.server.releases.bundles import bundle_of
from moorland.server.releases.models import Release


def return_to(account: Account, number: int) -> None:
    """Makes the draft what a release was; models made since stay, with nothing that opens them.

    Raises Failure where there is no such release, or it does not fit the data and people of today: nothing is changed then.
    """
    release = Release.objects.filter(number=number).first()
    if release is None:
        raise missing("release", str(number))
    with recorded(account, "return to release", f"release {number}", "policy") as change:
        change.details = {"hash": release.content_hash}
        as_released(release.document, release.role_ids)
        try:
            evaluator_of(bundle_of("draft"))
        except BundleError as error:
            message = f"Release {number} does not fit the data and people of today: {error.problems[0].sentence()} Nothing was changed."
            raise Failure(422, "invalid", message, error.problems) from None


def as_released(document: dict[str, Any], role_ids: dict[str, int]) -> None:
    """Makes the draft what a policy document says, inside the transaction of a change; models that are not in it stay, with nothing that opens them."""
    _roles(document.get("roles", []), role_ids)
    _listed(Shelf, document.get("shelves", []))
    _listed(Page, document.get("pages", []))
    _listed(Promise, document.get("promises", []))
    _listed(Model, document.get("models", []), keep=True)


def _roles(wanted: list[dict[str, Any]], ids: dict[str, int]) -> None:
    """The roles of the draft as they were; one that is gone for good comes back without its assignments."""
    kept = {ids[item["name"]] for item in wanted if item["name"] in ids}
    take_out(Role.objects.filter(deleted=False).exclude(pk__in=kept))
    # Names change hands: out of the way first.
    stored = {role.pk: role for role in Role.objects.filter(pk__in=kept)}
    for role in stored.values():
        Role.objects.filter(pk=role.pk).update(name=f"\x00{role.pk}")
    for place, item in enumerate(wanted):
        found = stored.get(ids.get(item["name"], 0))
        if found is None:
            Role.objects.create(name=item["name"], document=item, position=place)
            continue
        found.name, found.document, found.position, found.deleted = item["name"], item, place, False
        found.moved()


def _listed(kind: type[VersionedDocument], wanted: list[dict[str, Any]], keep: bool = False) -> None:
    """A list of documents as it was; with `keep`, what is not in it stays."""
    names = [item["name"] for item in wanted]
    if not keep:
        kind._default_manager.exclude(name__in=names).delete()
    known = {item.name: item for item in kind._default_manager.filter(name__in=names)}
    for place, document in enumerate(wanted):
        stored = known.get(document["name"])
        if stored is None:
            kind._default_manager.create(name=document["name"], document=document, position=place)
        elif stored.document != document or stored.position != place:
            stored.position = place
            stored.rewritten(document)
