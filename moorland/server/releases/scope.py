"""Which changes of the draft an account knows of and may make live (accounts.md 1 to 3)."""

from collections.abc import Iterable
from typing import Any

from moorland.core.bundle.promises import Promise
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.differences import ItemChange
from moorland.core.insight.impact import impact
from moorland.core.insight.promises import models_of
from moorland.server.directory.models import Account
from moorland.server.duties.judging import keeps_alone
from moorland.server.duties.rights import Rights, outside
from moorland.server.evaluating import evaluator
from moorland.server.viewing.knowing import OF_MODELS, may_read_literals, writes_pages

#: A change that touches no model in particular: a shelf, a page or role of no model.
_NO_MODEL = None


def told_changes(rights: Rights, changes: Iterable[ItemChange], *documents: dict[str, Any]) -> list[ItemChange]:
    """The changes an account knows of; what differs in them only where it may read what stands there."""
    told = []
    for change in changes:
        model = _model_of(change, documents)
        if not _knows(rights, model):
            continue
        told.append(change if may_read_literals(rights, model) else change.model_copy(update={"differences": []}))
    return told


def refuse_release(account: Account, rights: Rights, after: Evaluator, changes: Iterable[ItemChange], *documents: dict[str, Any]) -> None:
    """Raises Failure (403) where a change is not in the scope of a duty to release, or the account would see more by it and is not alone."""
    for change in changes:
        model = _model_of(change, documents)
        within = rights.reaches("release", model=model, every_model=model is None)
        if not within:
            named = f"{change.kind.removesuffix('s')} {change.label}" if _knows(rights, model) else "something outside of the scope of your duties"
            raise outside(f"The draft changes {named}, which you may not release. Leave it out.")
    if not keeps_alone(account):
        found = impact(evaluator("live"), after, [account.login])
        if any(item.gained or any(table.gained for table in item.tables) for item in found):
            raise outside("By this release you would see more yourself. Somebody else who may release it has to do so.")


def models_changed(changes: Iterable[ItemChange], *documents: dict[str, Any]) -> set[str | None]:
    """The models that changes are about; None stands for shelves, and for pages, roles and promises of no model."""
    return {_model_of(change, documents) for change in changes}


def _knows(rights: Rights, model: str | None) -> bool:
    return writes_pages(rights) or any(rights.reaches(act, model=model, every_model=model is None) for act in OF_MODELS)


def _model_of(change: ItemChange, documents: Iterable[dict[str, Any]]) -> str | None:
    if change.kind == "models":
        return change.name
    if change.kind == "shelves":
        return _NO_MODEL
    if change.kind == "promises":
        return next((model for document in documents for model in _models_of_promise(document, change.name)), _NO_MODEL)
    found = (item for document in documents for item in document.get(change.kind, []) if item["name"] == change.name)
    return next((item.get("model") for item in found), _NO_MODEL)


def _models_of_promise(document: dict[str, Any], name: str) -> list[str]:
    """The models a promise of a document is about."""
    found = next((item for item in document.get("promises", []) if item["name"] == name), None)
    return models_of(Promise.model_validate(found, strict=False).must) if found is not None else []
