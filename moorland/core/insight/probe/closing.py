"""What closes a find of the probe: single changes of a role, each tried by probing again (docs/testing.md, Probe)."""

from collections.abc import Iterator
from typing import Any

from moorland.core.bundle.policy import AtLeast, FullInTotals, MaskSentence, ObjectsSentence, Role, RoundMask, RoundTo, Sentence
from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.shape import Shape
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.probe.probing import probe
from moorland.core.insight.probe.shapes import Find
from moorland.core.people import Viewer

#: Larger k are tried in these steps.
LARGER = (2, 5)
#: A mask that rounds is tried to a step of about this share of what was found.
ROUNDED = 0.5


class Closing(Shape):
    """One change of a role: in words, where (a sentence, counting from 0; none for one that is added), the role then, and whether it closes the find.

    `left` counts what can still be worked out of the model by the same viewer.
    """

    role: str
    sentence: int | None
    message: str
    changed: Role
    closes: bool
    left: int


def closings(evaluator: Evaluator, viewer: Viewer, find: Find) -> list[Closing]:
    """The changes tried against a find, those that close it first."""
    before = len(probe(evaluator, viewer, [find.model]).found)
    tried = []
    for role, place, message, changed in _candidates(evaluator, viewer, find):
        try:
            other = evaluator.with_role(changed)
            found = probe(other, other.viewer(viewer.login or ""), [find.model]).found
        except BundleError:
            continue
        closes = not any((item.kind, item.subject) == (find.kind, find.subject) for item in found)
        tried.append(Closing(role=role.name, sentence=place, message=message, changed=changed, closes=closes, left=len(found)))
    return sorted((item for item in tried if item.closes or item.left < before), key=lambda item: (not item.closes, item.left))


_Candidate = tuple[Role, int | None, str, Role]


def _candidates(evaluator: Evaluator, viewer: Viewer, find: Find) -> Iterator[_Candidate]:
    for name in viewer.held:
        role = evaluator.roles[name].role
        if role.model != find.model:
            continue
        if find.kind == "door":
            yield from _hidden(role, find)
            continue
        for place, sentence in role.acting:
            if sentence.mask is not None and isinstance(sentence.mask.in_totals, FullInTotals):
                yield from _covered(evaluator, role, place, sentence.mask, find)
            if sentence.members is not None and sentence.members.totals == "whole":
                own = sentence.model_copy(update={"members": sentence.members.model_copy(update={"totals": "own"})})
                yield role, place, f"Own totals in sentence {place + 1} of {role.title}.", _with(role, place, own)
        if find.subject.measure is not None:
            yield from _hides(role, f"measure:{find.subject.measure}")


def _covered(evaluator: Evaluator, role: Role, place: int, mask: MaskSentence, find: Find) -> Iterator[_Candidate]:
    """A larger k, no true values in totals, rounded values instead."""
    assert isinstance(mask.in_totals, FullInTotals)
    where = f"in sentence {place + 1} of {role.title}"
    for times in LARGER:
        larger = mask.in_totals.full.at_least * times
        yield role, place, f"At least {larger:,} rows a line {where}.", _with(role, place, _masked(mask, in_totals=FullInTotals(full=AtLeast(at_least=larger))))
    yield role, place, f"No true values in totals {where}.", _with(role, place, _masked(mask, in_totals="no"))
    table, _, column = mask.column.partition(".")
    if evaluator.models[find.model].schema.columns[table, column].type in ("integer", "number") and find.value:
        step = float(10 ** max(0, len(str(int(abs(find.value) * ROUNDED))) - 1))
        rounded = _masked(mask, with_=RoundMask(round=RoundTo(to=step)), in_totals="shown")
        yield role, place, f"Rounded to {step:,.0f}, in totals too, {where}.", _with(role, place, rounded)


def _hidden(role: Role, find: Find) -> Iterator[_Candidate]:
    """The other name hidden: the column or measure that opens the door."""
    for question in find.by:
        if question.rows is not None:
            for column in question.rows.columns or []:
                yield from _hides(role, f"column:{column}")
        if question.totals is not None:
            for name in question.totals.by:
                yield from _hides(role, f"column:{name}")
            for name in question.totals.measures if not question.totals.by else []:
                yield from _hides(role, f"measure:{name}")


def _hides(role: Role, name: str) -> Iterator[_Candidate]:
    """The role with one more object hidden: in its object sentence, or in one of its own."""
    place = next((place for place, sentence in role.acting if sentence.objects is not None), None)
    message = f"Hide {name.partition(':')[2]} in {role.title}."
    if place is None:
        yield role, None, message, role.model_copy(update={"sentences": [*role.sentences, Sentence(objects=ObjectsSentence(hide=[name]))]})
        return
    objects = role.sentences[place].objects
    assert objects is not None
    more = objects.model_copy(update={"hide": [*objects.hide, name], "show": [item for item in objects.show if item != name]})
    yield role, place, message, _with(role, place, role.sentences[place].model_copy(update={"objects": more}))


def _masked(mask: MaskSentence, **changes: Any) -> Sentence:
    return Sentence(mask=mask.model_copy(update=changes))


def _with(role: Role, place: int, sentence: Sentence) -> Role:
    return role.model_copy(update={"sentences": [sentence if at == place else item for at, item in enumerate(role.sentences)]})
