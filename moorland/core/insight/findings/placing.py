"""Where a finding stands, by names, and under which key it is known from one look to the next (docs/testing.md, Findings)."""

import hashlib
import re
from typing import Any, Literal

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.policy import Role
from moorland.core.bundle.shape import Shape
from moorland.core.insight.findings.finding import Finding

PlaceKind = Literal["role", "person", "group", "organization", "attribute", "page", "model", "workspace"]
_KINDS: dict[str, PlaceKind] = {
    "roles": "role",
    "users": "person",
    "groups": "group",
    "organizations": "organization",
    "attributes": "attribute",
    "pages": "page",
    "models": "model",
}
#: Findings whose remedy is certain, and how it reads.
CERTAIN = {"sentence_redundant": "switch the sentence off", "whole_total_gives_away": "own totals"}


class Place(Shape):
    """Where a finding stands; `sentence` counts from 0, `part` names a table of a model."""

    kind: PlaceKind
    name: str
    label: str
    sentence: int | None = None
    part: str | None = None


def place_of(bundle: Bundle, finding: Finding) -> Place:
    """The place a finding's path leads to."""
    steps = re.findall(r"([a-z_]+)(?:\[(\d+)\])?", finding.path)
    if not steps or steps[0][0] not in _KINDS or not steps[0][1]:
        return Place(kind="workspace", name="", label="the roles" if steps and steps[0][0] == "roles" else "the workspace")
    what, number = steps[0]
    item: Any = getattr(bundle, what)[int(number)]
    name = getattr(item, "login", None) or item.name
    label = item.name if what == "users" else item.title
    place = Place(kind=_KINDS[what], name=name, label=label)
    if len(steps) > 1 and steps[1][1]:
        if steps[1][0] == "sentences":
            return place.model_copy(update={"sentence": int(steps[1][1])})
        if steps[1][0] == "tables":
            return place.model_copy(update={"part": item.tables[int(steps[1][1])].name})
    return place


def key_of(bundle: Bundle, finding: Finding) -> str:
    """Equal from one look to the next while it is the same finding: its kind, its place and its words, whatever the numbers in them."""
    place = place_of(bundle, finding)
    words = re.sub(r"\d[\d,.]*", "#", finding.message)
    written = "\x00".join((finding.kind, place.kind, place.name, place.part or "", words))
    return hashlib.blake2b(written.encode(), digest_size=12).hexdigest()


def mended(bundle: Bundle, finding: Finding) -> Role | None:
    """The role with the remedy carried out, where that is certain; None where somebody has to choose."""
    place = place_of(bundle, finding)
    if place.kind != "role" or place.sentence is None or finding.kind not in CERTAIN:
        return None
    role = next(role for role in bundle.roles if role.name == place.name)
    sentence = role.sentences[place.sentence]
    if finding.kind == "whole_total_gives_away" and sentence.members is not None:
        changed = sentence.model_copy(update={"members": sentence.members.model_copy(update={"totals": "own"})})
    else:
        changed = sentence.model_copy(update={"off": True})
    return role.model_copy(update={"sentences": [changed if at == place.sentence else item for at, item in enumerate(role.sentences)]})
