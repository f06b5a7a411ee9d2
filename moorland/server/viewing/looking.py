"""How much somebody may be told who looks as others: by the duty to look, its scope, and what is looked at (accounts.md 3)."""

from collections.abc import Callable, Sequence
from typing import Literal

from rest_framework.request import Request

from moorland.core.bundle.duties import ActName
from moorland.core.bundle.people import ImaginedViewer, RealViewer
from moorland.core.engine.evaluator import Evaluator
from moorland.core.people import Viewer
from moorland.server.duties.permission import request_rights
from moorland.server.duties.rights import Rights, outside
from moorland.server.errors import Failure, missing
from moorland.server.evaluating import evaluator
from moorland.server.viewing.shapes import AllData, Asked, PinnedViewer

Level = Literal["values", "shapes"]
#: The acts to look, the widest first.
LEVELS: tuple[tuple[Level, ActName], ...] = (("values", "look-values"), ("shapes", "look-shapes"))


def may_look(request: Request, asked: Asked, pinned: Sequence[PinnedViewer], models: Sequence[str]) -> Level:
    """What may be told of some viewers in some models; no model named is every model.

    The draft, unsaved roles, all data, a role on its own and imagined viewers need a look over all people. Raises Failure: who, or what, lies
    outside of the scope does not exist for whoever asks.
    """
    rights = request_rights(request)
    if rights.whole("look-values"):
        return "values"
    named: list[str | None] = [*models] or [None]
    broad = asked.state == "draft" or bool(asked.edited) or any(_is_broad(item) for item in pinned)
    base = None if broad else evaluator("live", asked.as_of, as_lived=True)
    for level, act in LEVELS:
        if broad and all(_over_all(rights, act, model) for model in named):
            return _unless_edited(level, asked)
        if base is not None and pinned and all(_reaches(rights, act, base, item, model) for item in pinned for model in named):
            return level
    raise _beyond(rights, broad, base, pinned, models)


def _unless_edited(level: Level, asked: Asked) -> Level:
    """Counts over sentences that whoever asks can write count as values: they read any cell bit by bit."""
    if level == "shapes" and asked.edited:
        raise needs_values()
    return level


def _is_broad(pinned: PinnedViewer) -> bool:
    return isinstance(pinned, AllData | ImaginedViewer) or (isinstance(pinned, RealViewer) and pinned.only_roles is not None)


def _over_all(rights: Rights, act: ActName, model: str | None) -> bool:
    return rights.reaches(act, everyone=True, model=model, every_model=model is None)


def _reaches(rights: Rights, act: ActName, base: Evaluator, pinned: PinnedViewer, model: str | None) -> bool:
    login = pinned.login if isinstance(pinned, RealViewer) else pinned
    if not isinstance(login, str) or login not in base.people.users:
        return False
    return rights.reaches(act, person=base.viewer(login), model=model, every_model=model is None)


def _beyond(rights: Rights, broad: bool, base: Evaluator | None, pinned: Sequence[PinnedViewer], models: Sequence[str]) -> Failure:
    unknown = next((model for model in models if not rights.reaches("look-shapes", model=model)), None)
    if unknown is not None:
        return missing("model", unknown)
    if broad or base is None:
        return outside("The draft, all data, a role on its own and imagined viewers are for who may look at all people of the model.")
    for item in pinned:
        if not any(_reaches(rights, "look-shapes", base, item, model) for model in (models or (None,))):
            return missing("user", str(item.login if isinstance(item, RealViewer) else item))
    return outside("Your duties do not let you look at this.")


def needs_values() -> Failure:
    """403: what is asked would tell values, and whoever asks may be told of shapes only."""
    return outside("This tells values: it needs the duty to look with values.")


def may_look_at_all(request: Request, asked: Asked, model: str | None) -> tuple[Level, Callable[[Viewer], bool]]:
    """What may be told of everybody in a model, and of whom. Raises Failure."""
    rights = request_rights(request)
    if rights.whole("look-values"):
        return "values", lambda _: True
    for level, act in LEVELS:
        if act not in rights.acts:
            continue
        if asked.state == "draft" or asked.edited:
            if not _over_all(rights, act, model):
                continue
            return _unless_edited(level, asked), lambda _: True
        if not rights.reaches(act, model=model, every_model=model is None):
            continue
        return level, lambda viewer, act=act: rights.reaches(act, person=viewer, model=model, every_model=model is None)
    raise _beyond(rights, asked.state == "draft", None, [], [model] if model is not None else [])
