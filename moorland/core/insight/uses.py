"""Where a role is used, and renaming it there: conditions that ask for it, tables of entitlements that list it, promises."""

from collections.abc import Iterator

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.people import ImaginedViewer, RealViewer
from moorland.core.bundle.policy import Role, Sentence
from moorland.core.bundle.shape import Shape
from moorland.core.language import tree
from moorland.core.language.errors import ConditionError
from moorland.core.language.parser import parse
from moorland.core.language.writing import literal_text


class RoleUse(Shape):
    """A place that names the role: where it stands, in words, and the role whose sentence it is, if it is one."""

    place: str
    role: str | None = None
    sentence: int | None = None


def uses_of_role(bundle: Bundle, name: str) -> list[RoleUse]:
    """Every place that names a role, but its own assignments."""
    found = [RoleUse(place=f"{role.title}, sentence {index + 1}", role=role.name, sentence=index) for role, index, sentence in _naming(bundle, name)]
    for role in bundle.roles:
        for index, sentence in enumerate(role.sentences):
            if sentence.entitlement and sentence.entitlement.person_is == "role":
                place = f"{role.title}, sentence {index + 1}: {sentence.entitlement.through} lists roles by name"
                found.append(RoleUse(place=place, role=role.name, sentence=index))
    for promise in bundle.promises:
        viewer = promise.viewer
        only = viewer.only_roles if isinstance(viewer, RealViewer) else viewer.imagine.only_roles if isinstance(viewer, ImaginedViewer) else None
        if only and name in only:
            found.append(RoleUse(place=f"promise {promise.name}"))
    return found


def _naming(bundle: Bundle, name: str) -> Iterator[tuple[Role, int, Sentence]]:
    for role in bundle.roles:
        for index, sentence in enumerate(role.sentences):
            if any(_places(text, name) for text in _conditions(sentence)):
                yield role, index, sentence


def renamed(role: Role, old: str, new: str) -> Role:
    """The role with every condition that asks for `old` among `viewer.roles` asking for `new`."""
    return role.model_copy(update={"sentences": [_renamed(sentence, old, new) for sentence in role.sentences]})


def _renamed(sentence: Sentence, old: str, new: str) -> Sentence:
    kind = sentence.kind
    part = getattr(sentence, kind)
    changes = {key: _replaced(text, old, new) for key in ("where", "when", "insert", "update", "delete") if (text := getattr(part, key, None))}
    return sentence.model_copy(update={kind: part.model_copy(update=changes)}) if changes else sentence


def _conditions(sentence: Sentence) -> Iterator[str]:
    part = getattr(sentence, sentence.kind)
    yield from (text for key in ("where", "when", "insert", "update", "delete") if (text := getattr(part, key, None)))


def _places(text: str, name: str) -> list[tuple[int, int]]:
    """Where a condition compares a literal of that name with `viewer.roles`."""
    try:
        parsed = parse(text)
    except ConditionError:
        return []
    found = []
    for node in parsed.walk():
        if isinstance(node, tree.IsIn) and len(node.items) == 1:
            asked = node.items[0]
            if isinstance(asked, tree.Name) and (asked.qualifier, asked.name) == ("viewer", "roles"):
                found += [(item.start, item.end) for item in node.operand.walk() if isinstance(item, tree.Literal) and item.value == name]
    return found


def _replaced(text: str, old: str, new: str) -> str:
    for start, end in sorted(_places(text, old), reverse=True):
        text = text[:start] + literal_text(new, "text") + text[end:]
    return text
