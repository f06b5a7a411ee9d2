"""Attributes and effective groups agree with a plain reading of semantics.md 2.2 and 2.5 on generated people."""

from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from moorland.core.bundle.reading import read_document
from moorland.core.people import People
from tests.core.test_people import viewer_of

GROUPS = ["g0", "g1", "g2", "g3"]
CHAIN = ["leaf", "branch", "root"]
maybe = st.one_of(st.none(), st.integers(0, 3))


@st.composite
def people(draw: st.DrawFn) -> dict[str, Any]:
    """Groups nested without a cycle, and values of one attribute in every place it can come from."""
    multiple = draw(st.booleans())
    value: st.SearchStrategy[Any] = st.one_of(st.none(), st.lists(st.integers(0, 3), max_size=2)) if multiple else maybe
    groups = []
    for index, name in enumerate(GROUPS):
        groups.append(
            {
                "name": name,
                "users": ["ann"] if draw(st.booleans()) else [],
                "groups": draw(st.lists(st.sampled_from(GROUPS[index + 1 :]), unique=True)) if index + 1 < len(GROUPS) else [],
                "enabled": draw(st.integers(0, 4)) > 0,
                "priority": draw(st.one_of(st.none(), st.integers(0, 1))),
                "value": draw(value),
            }
        )
    return {
        "multiple": multiple,
        "replace": draw(st.booleans()),
        "own": draw(value),
        "default": draw(value),
        "groups": groups,
        "organizations": [{"name": name, "value": draw(value), "locked": draw(st.integers(0, 4)) == 0} for name in CHAIN],
    }


def distances(groups: list[dict[str, Any]]) -> dict[str, int]:
    """The shortest way up to each enabled group, step by step."""
    enabled = {group["name"]: group for group in groups if group["enabled"]}
    found = {name: 1 for name, group in enabled.items() if group["users"]}
    for step in range(1, len(groups) + 1):
        for name, group in enabled.items():
            if name not in found and any(found.get(inner) == step for inner in group["groups"]):
                found[name] = step + 1
    return found


def expected(given_people: dict[str, Any]) -> tuple[Any, ...] | None:
    """The value by 2.5, a to f; a single value stands alone in the tuple."""
    multiple, own = given_people["multiple"], given_people["own"]

    def as_values(value: Any) -> tuple[Any, ...] | None:
        return (tuple(dict.fromkeys(value)) or None) if multiple else (value,)

    for organization in reversed(given_people["organizations"]):
        if organization["locked"] and organization["value"] is not None:
            return as_values(organization["value"])
    near = distances(given_people["groups"])
    setting = [group for group in given_people["groups"] if group["name"] in near and group["value"] is not None]
    if multiple and (own is not None or setting):
        values = list(own or [])
        if own is None or not given_people["replace"]:
            values += [value for group in setting for value in group["value"]]
        return tuple(sorted(set(values))) or None
    if own is not None:
        return (own,)
    if setting:
        rank = min((group["priority"] is None, group["priority"] or 0, near[group["name"]]) for group in setting)
        first = {group["value"] for group in setting if (group["priority"] is None, group["priority"] or 0, near[group["name"]]) == rank}
        return tuple(first) if len(first) == 1 else None
    for organization in given_people["organizations"]:
        if organization["value"] is not None:
            return as_values(organization["value"])
    return as_values(given_people["default"]) if given_people["default"] is not None else None


@settings(max_examples=300, deadline=None)
@given(people())
def test_attributes_resolve_as_2_5_reads(given_people: dict[str, Any]) -> None:
    parents = dict(zip(CHAIN, [*CHAIN[1:], None], strict=True))
    organizations = [
        {
            "name": item["name"],
            "parent": parents[item["name"]],
            "attributes": {} if item["value"] is None else {"x": {"value": item["value"], "locked": item["locked"]}},
        }
        for item in given_people["organizations"]
    ]
    groups = [
        {key: group[key] for key in ("name", "users", "groups", "enabled", "priority")}
        | {"attributes": {} if group["value"] is None else {"x": group["value"]}}
        for group in given_people["groups"]
    ]
    definition = {
        "name": "x",
        "type": "integer",
        "multiple": given_people["multiple"],
        "own_values": "replace" if given_people["replace"] else "add",
        "default": given_people["default"],
    }
    own = {} if given_people["own"] is None else {"x": given_people["own"]}
    written = {"attributes": [definition], "organizations": organizations, "groups": groups}
    viewer = viewer_of(**written, ann={"attributes": own, "organization": "leaf"})
    known = People(read_document({"moorland": 1, "name": "test", "users": [{"login": "ann", "name": "Ann"}], **written}))
    assert {name for name in known.groups if "ann" in known.members(name)} == viewer.groups.keys()
    assert {name: len(path) for name, path in viewer.groups.items()} == distances(given_people["groups"])
    found, wanted = viewer.values("x"), expected(given_people)
    assert (sorted(found) if found else found) == (sorted(wanted) if wanted else wanted)
