"""What would have to change for a viewer to see something: single changes, each tried by the code that decides (semantics.md 11)."""

from collections.abc import Iterator
from typing import Any, Literal

from moorland.core.bundle.people import AttributeDefinition, AttributeValue, ImaginedPerson, ImaginedViewer, RealViewer, ViewerReference
from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.shape import Scalar, Shape
from moorland.core.bundle.values import typed_value
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.through_strata import through_strata
from moorland.core.insight.trace import Trace, Traced, one_row, trace
from moorland.core.people import Viewer

#: So many sentences are tried switched off.
MOST_EDITS = 4
_RANK = {"cannot": 0, "masked": 1, "can": 2}


class Remedy(Shape):
    """One change that alone lets the viewer see it, wholly or in part.

    `sentence`, counting from 0, is set where it is an edit of the role `name`: that one sentence switched off.
    """

    kind: Literal["assign", "take_away", "join", "attribute", "enable", "sentence"]
    name: str
    message: str
    sentence: int | None = None
    outcome: Literal["can", "masked"]


def remedies(evaluator: Evaluator, reference: ViewerReference, asked: Traced) -> list[Remedy]:
    """The single changes that help, the plainest first; none where the viewer can already, or one change is not enough."""
    return through_strata([evaluator], lambda on: _remedies(on, reference, asked), one_row(asked))


def _remedies(evaluator: Evaluator, reference: ViewerReference, asked: Traced) -> list[Remedy]:
    now = trace(evaluator, reference, asked)
    found = []
    for kind, name, message, changed in _candidates(evaluator, reference, asked, now):
        outcome = trace(evaluator, changed, asked).outcome
        if outcome != "cannot" and _RANK[outcome] > _RANK[now.outcome]:
            found.append(Remedy(kind=kind, name=name, message=message, outcome=outcome))
    return [*found, *_edits(evaluator, reference, asked, now)]


def _edits(evaluator: Evaluator, reference: ViewerReference, asked: Traced, now: Trace) -> Iterator[Remedy]:
    """Sentences that stand in the way, each switched off alone."""
    tried: set[tuple[str, int]] = set()
    for reason in (reason for layer in now.layers if layer.verdict != "passes" for reason in layer.reasons if not reason.passes):
        if reason.sentence is None or (reason.role, reason.sentence) in tried or len(tried) == MOST_EDITS:
            continue
        tried.add((reason.role, reason.sentence))
        role = evaluator.roles[reason.role].role
        sentences = [item.model_copy(update={"off": True}) if place == reason.sentence else item for place, item in enumerate(role.sentences)]
        roles = [role.model_copy(update={"sentences": sentences}) if other.name == role.name else other for other in evaluator.bundle.roles]
        try:
            outcome = trace(evaluator.on(evaluator.bundle.model_copy(update={"roles": roles})), reference, asked).outcome
        except BundleError:
            continue
        if outcome != "cannot" and _RANK[outcome] > _RANK[now.outcome]:
            message = f"Switch sentence {reason.sentence + 1} of {role.title} off, for everybody who holds it."
            yield Remedy(kind="sentence", name=role.name, sentence=reason.sentence, message=message, outcome=outcome)


_Kind = Literal["assign", "take_away", "join", "attribute", "enable"]


def _candidates(evaluator: Evaluator, reference: ViewerReference, asked: Traced, now: Trace) -> Iterator[tuple[_Kind, str, str, ViewerReference]]:
    viewer = evaluator.viewer(reference)
    held = list(viewer.held)
    person = _person(evaluator, reference)
    if not viewer.enabled:
        yield "enable", viewer.login or "", "Enable the account.", ImaginedViewer(imagine=person.model_copy(update={"only_roles": held}))
        return
    for role in evaluator.bundle.roles:
        if role.name not in held and role.kind == "grant":
            yield "assign", role.name, f"Assign {role.title}.", _with_roles(reference, [*held, role.name])
    for name in held:
        role = evaluator.roles[name].role
        if role.kind == "limit":
            yield "take_away", name, f"Take the limit role {role.title} away.", _with_roles(reference, [other for other in held if other != name])
    only = person.only_roles
    for group in evaluator.bundle.groups:
        if group.enabled and group.name not in viewer.groups and only is None:
            joined = person.model_copy(update={"groups": [*person.groups, group.name]})
            yield "join", group.name, f"Make them a member of {group.title}.", ImaginedViewer(imagine=joined)
    for name, value in [*_values_that_would_choose(evaluator, viewer, asked), *_values_that_would_match(evaluator, now)]:
        definition = evaluator.people.definitions[name]
        own = person.attributes.get(name)
        items = own if isinstance(own, list) else []
        changed: AttributeValue = [*items, value] if definition.multiple else value
        given = person.model_copy(update={"attributes": {**person.attributes, name: changed}, "only_roles": only})
        verb = "Add" if definition.multiple else "Set"
        yield "attribute", name, f"{verb} {value!r} {'to' if definition.multiple else 'as'} their {name}.", ImaginedViewer(imagine=given)


def _person(evaluator: Evaluator, reference: ViewerReference) -> ImaginedPerson:
    """Somebody just like the viewer, who can be changed."""
    if isinstance(reference, ImaginedViewer):
        return reference.imagine
    login = reference if isinstance(reference, str) else reference.login
    only = reference.only_roles if isinstance(reference, RealViewer) else None
    user = evaluator.people.users[login]
    groups = [group.name for group in evaluator.bundle.groups if login in group.users]
    return ImaginedPerson(
        login=login, name=user.name, email=user.email, organization=user.organization, groups=groups, attributes=dict(user.attributes), only_roles=only
    )


def _with_roles(reference: ViewerReference, roles: list[str]) -> ViewerReference:
    if isinstance(reference, ImaginedViewer):
        return ImaginedViewer(imagine=reference.imagine.model_copy(update={"only_roles": roles}))
    return RealViewer(login=reference if isinstance(reference, str) else reference.login, only_roles=roles)


def _values_that_would_choose(evaluator: Evaluator, viewer: Viewer, asked: Traced) -> Iterator[tuple[str, Scalar]]:
    """Each value of an attribute that is not set and by which the source of a table is chosen (sources.md 17.2)."""
    model = asked.model or ""
    for name, value in evaluator.of(viewer, model).content:
        if value is None and name in evaluator.choosing.get(model, ()):
            yield from ((name, item) for item in (evaluator.people.definitions[name].allowed or [])[:MOST_EDITS])


def _values_that_would_match(evaluator: Evaluator, now: Trace) -> Iterator[tuple[str, Scalar]]:
    """For sentences that failed, the cells of the row an attribute they read might have to hold."""
    seen: set[tuple[str, Any]] = set()
    for reason in (reason for layer in now.layers for reason in layer.reasons if not reason.passes):
        cells = [item.value for item in reason.compared if item.source == "the row" and item.value is not None]
        for item in reason.compared:
            name = item.name.removeprefix("viewer.")
            definition = evaluator.people.definitions.get(name)
            if definition is None or not item.name.startswith("viewer."):
                continue
            for value in cells:
                if (name, value) not in seen and _can_have(definition, value):
                    seen.add((name, value))
                    yield name, value


def _can_have(definition: AttributeDefinition, value: Scalar) -> bool:
    """Whether the attribute can have a value: one of its type, and of those allowed."""
    try:
        typed_value(value, definition.type)
    except ValueError:
        return False
    return definition.allowed is None or value in definition.allowed
