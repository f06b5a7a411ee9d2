"""From requests to the evaluator and back: pinned viewers, unsaved roles, pages with their exhibits."""

import datetime
from collections.abc import Iterable
from typing import Any, assert_never

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.people import ImaginedViewer, RealViewer
from moorland.core.bundle.policy import Role
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import (
    Answer,
    ChangeAnswer,
    ChangeQuestion,
    MembersAnswer,
    MembersQuestion,
    ObjectsAnswer,
    ObjectsQuestion,
    PagesAnswer,
    PagesQuestion,
    Question,
    Refusal,
    RowsAnswer,
    RowsQuestion,
    TotalsAnswer,
    TotalsQuestion,
)
from moorland.core.engine.questions import Asked as AskedQuestion
from moorland.core.people import Viewer
from moorland.server.errors import Failure
from moorland.server.evaluating import evaluator, evaluator_with
from moorland.server.releases.bundles import State
from moorland.server.viewing.shapes import AllData, Asked, PinnedViewer


def evaluators(state: State, as_of: datetime.date | None, edited: list[Role]) -> tuple[Evaluator, Evaluator | None, list[Problem]]:
    """The evaluator of a state, the one with the edited roles, and the problems of those roles, with paths inside the role."""
    base = evaluator(state, as_of, as_lived=True)
    if not edited:
        return base, base, []
    named = {role.name: role for role in base.bundle.roles}
    unsaved = [role.model_copy(update={"assigned": role.assigned or (named[role.name].assigned if role.name in named else [])}) for role in edited]
    try:
        return base, evaluator_with(base, unsaved), []
    except BundleError as error:
        prefixes = _role_prefixes(base.bundle, unsaved)
        return base, None, [problem.at(_without_prefix(problem.path, prefixes)) for problem in error.problems]


def asked_evaluator(asked: Asked) -> Evaluator:
    """The evaluator of a request, unsaved roles included. Raises Failure with what is wrong in them."""
    _, after, problems = evaluators(asked.state, asked.as_of, asked.edited)
    if after is None:
        raise Failure(422, "invalid", problems[0].sentence(), problems)
    return after


def _role_prefixes(bundle: Bundle, edited: list[Role]) -> list[str]:
    names = [role.name for role in bundle.roles]
    names += [role.name for role in edited if role.name not in names]
    return [f"roles[{names.index(role.name)}]." for role in edited]


def _without_prefix(path: str, prefixes: list[str]) -> str:
    return next((path.removeprefix(prefix) for prefix in prefixes if path.startswith(prefix)), path)


def resolve(base: Evaluator, pinned: PinnedViewer, lenient: bool = False) -> Viewer:
    """The viewer a chip stands for. With `lenient`, roles that do not exist in this state are left out.

    Raises BundleError for somebody who does not exist.
    """
    if isinstance(pinned, AllData):
        return base.all_data()
    if lenient and isinstance(pinned, RealViewer) and pinned.only_roles is not None:
        pinned = pinned.model_copy(update={"only_roles": [name for name in pinned.only_roles if name in base.roles]})
    if lenient and isinstance(pinned, ImaginedViewer) and pinned.imagine.only_roles is not None:
        known = [name for name in pinned.imagine.only_roles if name in base.roles]
        pinned = ImaginedViewer(imagine=pinned.imagine.model_copy(update={"only_roles": known}))
    return base.viewer(pinned)


def beside(base: Evaluator, viewers: Iterable[Viewer], model: str | None) -> Evaluator:
    """The evaluator whose all data stands beside some viewers: of their content, where all of them read one (sources.md 17.2)."""
    contents = base.by_content((viewer for viewer in viewers if not viewer.everything), model) if model is not None else []
    return contents[0][0] if len(contents) == 1 else base


def where_rows_are(base: Evaluator, model: str, table: str, login: str) -> Evaluator:
    """A content in which a table has rows: where its source is chosen by who asks, that of a login, or the first that anybody reads (sources.md 17.2)."""
    if table not in base.data(model).missing:
        return base
    everyone = sorted(base.everyone(), key=lambda viewer: viewer.login != login)
    known = (viewer for viewer in everyone if base.is_known(viewer, model))
    contents = (on for on, _ in base.by_content(known, model) if table not in on.data(model).missing)
    return next(contents, base)


def viewer_title(pinned: PinnedViewer) -> str:
    """How a pinned viewer is called in the trail."""
    if isinstance(pinned, AllData):
        return "all data"
    if isinstance(pinned, str):
        return pinned
    only = pinned.only_roles if isinstance(pinned, RealViewer) else pinned.imagine.only_roles
    roles = f" with only {', '.join(only) or 'no role'}" if only is not None else ""
    return f"{pinned.login}{roles}" if isinstance(pinned, RealViewer) else f"imagined {pinned.imagine.login or 'viewer'}{roles}"


def without_states(answer: RowsAnswer) -> RowsAnswer:
    """The rows as a viewer gets them: no cell states (7.1)."""
    return answer.model_copy(update={"states": []})


def for_viewers_channel(answer: Answer) -> Answer:
    """Any answer as a viewer may have it: what is told to administrators only is taken out (7.1, 7.3, 9.3)."""
    match answer:
        case RowsAnswer():
            return without_states(answer)
        case TotalsAnswer():
            return answer.model_copy(update={"kept_out": None})
        case ChangeAnswer():
            return answer.model_copy(update={"reasons": None})
        case ObjectsAnswer() | MembersAnswer() | PagesAnswer() | Refusal():
            return answer
        case _:
            assert_never(answer)


def models_of(questions: Iterable[Question]) -> list[str]:
    """The models some questions are about; none where one is about pages, whose rights come from any model."""
    named = [None if isinstance(question.asked, PagesQuestion) else question.asked.model for question in questions]
    return [] if None in named else sorted({name for name in named if name is not None})


def subject_of(asked: AskedQuestion) -> str:
    """What a question looks at, for the trail."""
    match asked:
        case RowsQuestion():
            return f"rows of {asked.table}"
        case TotalsQuestion():
            return f"totals of {', '.join(asked.measures)}"
        case ObjectsQuestion():
            return f"objects of {asked.model}"
        case MembersQuestion():
            return f"members of {asked.hierarchy}"
        case ChangeQuestion():
            return f"a change of {asked.table}"
        case PagesQuestion():
            return "pages"
        case _:
            assert_never(asked)


def why_nothing(base: Evaluator, viewer: Viewer) -> str | None:
    """Why a viewer sees nothing at all, in one sentence; None where there is something to see."""
    name = viewer.name or viewer.login or "This viewer"
    if not viewer.enabled:
        return f"{name} is disabled, so nothing is visible."
    held = base.held_roles(viewer)
    if not held:
        return f"{name} holds no role, so nothing is visible."
    if not any(role.role.kind == "grant" for role in held):
        return f"{name} holds limit roles only ({', '.join(role.role.title for role in held)}); a limit opens nothing."
    return None


def refusal_message(answer: Any) -> str | None:
    """The sentence of a refusal."""
    return answer.error.message if isinstance(answer, Refusal) else None
