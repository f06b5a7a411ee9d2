"""Questions for many viewers at once: who sees the same is answered once, and totals of who holds the same roles together."""

from collections.abc import Hashable, Iterable, Iterator, Sequence

from moorland.core.collector import collector_paused
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.everyone import LEAST_VIEWERS, totals_together
from moorland.core.engine.in_place import TooManyStrata, standing
from moorland.core.engine.questions import Answer, Question, Refused, TotalsQuestion
from moorland.core.engine.unanswered import LeftInPlace, SourceFailed
from moorland.core.engine.visible import ViewerModel
from moorland.core.people import Viewer


def answers(evaluator: Evaluator, viewers: Iterable[Viewer], questions: Sequence[Question]) -> Iterator[tuple[Viewer, list[Answer]]]:
    """Every question for every viewer, in their order. Viewers who see the same are given the same answers, worked out once."""
    asked = list(viewers)
    alone = _reads_viewers(questions)
    places: dict[Hashable, int] = {}
    firsts: list[Viewer] = []
    found = []
    with collector_paused():
        for viewer in asked:
            key = id(viewer) if alone or viewer.everything else evaluator.view_of(viewer) if viewer.enabled else None
            if key not in places:
                places[key] = len(firsts)
                firsts.append(viewer)
            found.append(places[key])
        known = answered_each(evaluator, firsts, questions)
    yield from ((viewer, known[place]) for viewer, place in zip(asked, found, strict=True))


@collector_paused()
def everyones_answers(evaluator: Evaluator, questions: Sequence[Question]) -> list[tuple[tuple[str, ...], list[Answer]]]:
    """Every question for everybody, by the logins of those who have the same answers: each person once, who is not enabled too."""
    if _reads_viewers(questions):
        return [((viewer.login or "",), given) for viewer, given in answers(evaluator, evaluator.everyone(), questions)]
    together = evaluator.alike
    firsts = [same.first for same in together]
    logins = [same.logins for same in together]
    if evaluator.views.disabled:
        firsts.append(evaluator.viewer(evaluator.views.disabled[0]))
        logins.append(evaluator.views.disabled)
    return list(zip(logins, answered_each(evaluator, firsts, questions), strict=True))


def _reads_viewers(questions: Iterable[Question]) -> bool:
    """Whether a question may read something of who asks it: then each is asked alone."""
    return any("viewer" in question.model_dump_json().lower() for question in questions)


def answered_each(evaluator: Evaluator, viewers: Sequence[Viewer], questions: Sequence[Question]) -> list[list[Answer]]:
    """Every question worked out for each viewer, whoever else sees the same; totals of who holds the same roles together."""
    together = [_together(evaluator, viewers, question.totals) if question.totals is not None else {} for question in questions]
    return [
        [known[place] if place in known else evaluator.answer(viewer, question) for question, known in zip(questions, together, strict=True)]
        for place, viewer in enumerate(viewers)
    ]


def _together(evaluator: Evaluator, viewers: Sequence[Viewer], question: TotalsQuestion) -> dict[int, Answer]:
    """The answers that can be computed for many viewers at once, by place."""
    found: dict[int, Answer] = {}
    alike: dict[Hashable, list[int]] = {}
    for place, viewer in enumerate(viewers):
        if viewer.enabled and not viewer.everything:
            content = evaluator.of(viewer, question.model).content
            roles = (role.role.name for role in evaluator.held_roles(viewer, question.model))
            alike.setdefault((content, *roles), []).append(place)
    for places in alike.values():
        if len(places) < LEAST_VIEWERS:
            continue
        try:
            model = evaluator.viewer_model(viewers[places[0]], question.model)
            answered = _at_once(evaluator, model, [viewers[place] for place in places], question)
        except (Refused, SourceFailed, LeftInPlace) as refused:
            if evaluator.standing and isinstance(refused, LeftInPlace | TooManyStrata):
                raise
            continue
        if answered is not None:
            found.update(zip(places, answered, strict=True))
    return found


def _at_once(evaluator: Evaluator, model: ViewerModel, viewers: list[Viewer], question: TotalsQuestion) -> list[Answer] | None:
    """The answers of viewers who hold the same roles; what is read for one of them is read for all."""
    measures, attributes = evaluator.models[question.model].measures, evaluator.people.definitions

    def together(on: ViewerModel, some: list[Viewer] = viewers) -> list[Answer] | None:
        return totals_together(on, some, question, measures, attributes, evaluator.secret)

    return standing(model, together, lambda on: together(on, viewers[:1]))
