"""All changes of the draft, or chosen ones, as the content of a release: what would be live (docs/testing.md, Releases)."""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.shape import Name, Shape
from moorland.core.bundle.writing import content_hash
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.differences import RELEASED_LISTS, ItemChange, Released, differences
from moorland.server.errors import Failure
from moorland.server.evaluating import evaluator, evaluator_of
from moorland.server.releases.bundles import bundle_with, draft_policy, live_release, workspace

#: So many changes that are left out are tried for the one that is needed.
MOST_TRIED = 40

_kept: dict[tuple[object, ...], Evaluator] = {}


class ChosenChange(Shape):
    """A change of the draft: an item of one of the released lists."""

    kind: Released
    name: Name


@dataclass(frozen=True)
class Content:
    """What a release would make live: its policy document, the id of each role, and the changes that lead to it from what is live."""

    document: dict[str, Any]
    role_ids: dict[str, int]

    @cached_property
    def hash(self) -> str:
        """What a reviewer has looked at."""
        return content_hash(self.document)

    @cached_property
    def changes(self) -> list[ItemChange]:
        """What it changes."""
        live = live_release()
        return differences(live.document if live else {}, self.document)


def content_of(chosen: Iterable[ChosenChange] | None) -> Content:
    """The draft, or what is live with chosen changes of the draft. Raises Failure for a change the draft does not make, or half of a renaming."""
    document, role_ids = draft_policy()
    if chosen is None:
        return Content(document, role_ids)
    live = live_release()
    before, before_ids = (live.document, live.role_ids) if live else ({}, {})
    wanted = {(item.kind, item.name) for item in chosen}
    known = {(item.kind, item.name) for item in differences(before, document)}
    missing = sorted(wanted - known)
    if missing:
        raise Failure(409, "stale", f"The draft does not change {missing[0][1]} (any more). Look at the changes again.")
    made: dict[str, Any] = {kind: _list_of(kind, before.get(kind, []), document.get(kind, []), wanted) for kind in RELEASED_LISTS}
    if not made["promises"]:
        made.pop("promises")
    ids: dict[str, int] = {}
    for role in made["roles"]:
        name = role["name"]
        from_draft = ("roles", name) in wanted or name not in before_ids
        ids[name] = role_ids[name] if from_draft and name in role_ids else before_ids[name]
    twice = [name for name, key in ids.items() if list(ids.values()).count(key) > 1]
    if twice:
        raise Failure(422, "depends", f"{twice[0]} and {twice[1]} are one role under its old and new name: choose both changes, or neither.")
    return Content(made, ids)


def _list_of(kind: str, before: list[dict[str, Any]], after: list[dict[str, Any]], wanted: set[tuple[Any, str]]) -> list[dict[str, Any]]:
    """A list with chosen changes: in the order of the draft, what is taken out and not chosen where it stood, at the end."""
    old, new = {item["name"]: item for item in before}, {item["name"]: item for item in after}
    made = []
    for name, item in new.items():
        if (kind, name) in wanted or old.get(name) == item:
            made.append(item)
        elif name in old:
            made.append(old[name])
    return made + [item for name, item in old.items() if name not in new and (kind, name) not in wanted]


def evaluator_of_content(content: Content) -> Evaluator:
    """What would be answered if it were live. Raises Failure (422) naming what it depends on and leaves out."""
    if content.hash == content_hash(draft_policy()[0]):
        return evaluator("draft")
    space = workspace()
    key = (content.hash, space.people_version, space.data_version, evaluator("draft").as_of)
    if key not in _kept:
        try:
            made = evaluator_of(_bundle(content))
        except BundleError as error:
            raise _depends(content, error.problems) from None
        if len(_kept) > 4:
            _kept.clear()
        _kept[key] = made
    return _kept[key]


def _bundle(content: Content) -> Bundle:
    return bundle_with(content.document, content.role_ids, "the chosen changes")


def _depends(content: Content, problems: list[Problem]) -> Failure:
    """Names the change that is left out and needed: with it alone added, the rest could be used."""
    draft, _ = draft_policy()
    chosen = [ChosenChange(kind=item.kind, name=item.name) for item in content.changes]
    left_out = [item for item in differences(content.document, draft) if (item.kind, item.name) not in {(own.kind, own.name) for own in chosen}]
    for item in left_out[:MOST_TRIED]:
        try:
            evaluator_of(_bundle(content_of([*chosen, ChosenChange(kind=item.kind, name=item.name)])))
        except (BundleError, Failure):
            continue
        message = f"What is chosen depends on {item.label} ({item.kind.removesuffix('s')} {item.change}), which is left out. Choose it, too."
        return Failure(422, "depends", message, problems)
    return Failure(422, "depends", f"What is chosen cannot be used alone: {problems[0].sentence()} Choose what it depends on, too.", problems)
