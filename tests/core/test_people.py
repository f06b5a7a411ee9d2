"""Who a viewer is: groups, attributes, roles held (semantics.md 2 and 5.2)."""

import datetime
from typing import Any

import pytest

from moorland.core.bundle.people import ImaginedPerson, ImaginedViewer, RealViewer
from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.reading import read_document
from moorland.core.people import People, Viewer
from tests.core.worlds import farm, rows_role

DAY = datetime.date(2026, 3, 31)


def viewer_of(reference: Any = "ann", day: datetime.date = DAY, **document: Any) -> Viewer:
    people = {"users": [{"login": "ann", "name": "Ann", "organization": "leaf", **document.pop("ann", {})}], "organizations": ORGANIZATIONS, **document}
    return People(read_document({"moorland": 1, "name": "test", **people})).viewer(reference, day)


ORGANIZATIONS: list[dict[str, Any]] = [{"name": "root"}, {"name": "branch", "parent": "root"}, {"name": "leaf", "parent": "branch"}]
WORDS = [{"name": "words", "type": "text", "multiple": True}]
LEVEL = [{"name": "level", "type": "integer", "default": 1}]


def in_groups(*groups: dict[str, Any]) -> dict[str, Any]:
    return {"groups": [{"users": ["ann"], **group} for group in groups]}


def test_2_1_somebody_is_who_they_are_whatever_values_they_have_of_their_own() -> None:
    viewer = viewer_of(ann={"email": "ann@here.example", "attributes": {"words": ["a"], "level": 3}}, attributes=[*WORDS, *LEVEL])
    assert (viewer.login, viewer.name, viewer.email, viewer.values("name"), viewer.values("level")) == ("ann", "Ann", "ann@here.example", ("Ann",), (3,))


def test_2_2_groups_are_reached_upward_by_the_shortest_path() -> None:
    groups = [{"name": "a", "users": ["ann"]}, {"name": "b", "groups": ["a"]}, {"name": "c", "groups": ["b", "a"]}]
    assert viewer_of(groups=groups).groups == {"a": ("a",), "b": ("a", "b"), "c": ("a", "c")}


def test_2_2_nothing_is_reached_through_a_disabled_group() -> None:
    groups = [{"name": "a", "users": ["ann"], "enabled": False}, {"name": "b", "groups": ["a"]}]
    assert viewer_of(groups=groups).groups == {}


def test_2_3_organizations_above_and_below() -> None:
    viewer = viewer_of(ann={"organization": "branch"})
    assert viewer.values("organizations") == ("branch", "root")
    assert viewer.values("branch") == ("branch", "leaf")


def test_12_1_who_names_no_organization_belongs_to_the_root() -> None:
    assert viewer_of(ann={"organization": None}).values("organization") == ("root",)


def locked(name: str, value: int, is_locked: bool = True) -> list[dict[str, Any]]:
    return [{**item, "attributes": {"level": {"value": value, "locked": is_locked}}} if item["name"] == name else item for item in ORGANIZATIONS]


def test_2_5_a_locked_value_overrides_the_persons_own() -> None:
    viewer = viewer_of(attributes=LEVEL, organizations=locked("branch", 9), ann={"attributes": {"level": 5}})
    assert viewer.values("level") == (9,)
    assert [rung.kind for rung in viewer.attributes["level"].ladder if rung.decides] == ["locked"]


def test_2_5_the_highest_locked_organization_comes_first() -> None:
    organizations = locked("branch", 9)
    organizations[0] = {"name": "root", "attributes": {"level": {"value": 3, "locked": True}}}
    assert viewer_of(attributes=LEVEL, organizations=organizations).values("level") == (3,)


def test_2_5_an_own_single_value_comes_before_groups() -> None:
    assert viewer_of(attributes=LEVEL, ann={"attributes": {"level": 5}}, **in_groups({"name": "g", "attributes": {"level": 7}})).values("level") == (5,)


def test_2_5_a_group_with_a_priority_comes_before_one_without() -> None:
    groups = in_groups({"name": "a", "attributes": {"level": 7}}, {"name": "b", "priority": 4, "attributes": {"level": 8}})
    assert viewer_of(attributes=LEVEL, **groups).values("level") == (8,)


def test_2_5_the_nearer_group_comes_first() -> None:
    groups = [{"name": "near", "users": ["ann"], "attributes": {"level": 7}}, {"name": "far", "groups": ["near"], "attributes": {"level": 8}}]
    assert viewer_of(attributes=LEVEL, groups=groups).values("level") == (7,)


def test_2_5_equal_groups_that_disagree_are_in_conflict_and_the_search_stops() -> None:
    viewer = viewer_of(attributes=LEVEL, **in_groups({"name": "a", "attributes": {"level": 7}}, {"name": "b", "attributes": {"level": 8}}))
    assert viewer.values("level") is None
    assert viewer.attributes["level"].conflict


def test_2_5_equal_groups_that_agree_are_not_in_conflict() -> None:
    assert viewer_of(attributes=LEVEL, **in_groups({"name": "a", "attributes": {"level": 7}}, {"name": "b", "attributes": {"level": 7}})).values("level") == (
        7,
    )


def test_2_5_then_the_nearest_organization_then_the_default() -> None:
    assert viewer_of(attributes=LEVEL, organizations=locked("branch", 6, False)).values("level") == (6,)
    assert viewer_of(attributes=LEVEL).values("level") == (1,)


def test_2_5_own_values_are_added_to_those_of_all_groups() -> None:
    groups = [{"name": "near", "users": ["ann"], "attributes": {"words": ["b"]}}, {"name": "far", "groups": ["near"], "attributes": {"words": ["c", "b"]}}]
    assert viewer_of(attributes=WORDS, groups=groups, ann={"attributes": {"words": ["a"]}}).values("words") == ("a", "b", "c")


def test_2_5_own_values_replace_where_the_attribute_says_so() -> None:
    attributes = [{**WORDS[0], "own_values": "replace"}]
    assert viewer_of(attributes=attributes, ann={"attributes": {"words": ["a"]}}, **in_groups({"name": "g", "attributes": {"words": ["b"]}})).values(
        "words"
    ) == ("a",)


def test_12_1_an_explicit_empty_list_ends_the_search() -> None:
    attributes = [{**WORDS[0], "default": ["z"]}]
    assert viewer_of(attributes=attributes, ann={"attributes": {"words": []}}).values("words") is None
    assert viewer_of(attributes=attributes, ann={"attributes": {"words": []}}, **in_groups({"name": "g", "attributes": {"words": ["b"]}})).values("words") == (
        "b",
    )


def test_4_4_the_mail_domain_is_what_stands_behind_the_last_at() -> None:
    assert viewer_of(ann={"email": "ann@fell.example"}).values("mail_domain") == ("fell.example",)
    assert viewer_of().values("mail_domain") is None


def holding(*assigned: dict[str, Any], kind: str = "grant", day: datetime.date = DAY, **document: Any) -> list[str]:
    return list(viewer_of(day=day, roles=[{"name": "r", "kind": kind, "assigned": list(assigned)}], **document).held)


@pytest.mark.parametrize("assigned", [{"user": "ann"}, {"everyone": True}, {"group": "g"}, {"when": "viewer.level = 1"}])
def test_5_2_an_assignment_reaches_a_user_a_group_everyone_or_a_condition(assigned: dict[str, Any]) -> None:
    groups = [{"name": "inner", "users": ["ann"]}, {"name": "g", "groups": ["inner"]}]
    assert holding(assigned, attributes=LEVEL, groups=groups) == ["r"]


@pytest.mark.parametrize(("day", "held"), [("2026-01-31", []), ("2026-02-01", ["r"]), ("2026-02-28", ["r"]), ("2026-03-01", [])])
def test_5_2_the_first_and_the_last_day_are_included(day: str, held: list[str]) -> None:
    assert holding({"user": "ann", "from": "2026-02-01", "until": "2026-02-28"}, day=datetime.date.fromisoformat(day)) == held


def test_5_2_an_unknown_condition_gives_a_limit_but_not_a_grant() -> None:
    attributes = [{"name": "level", "type": "integer"}]
    assert holding({"when": "viewer.level > 3"}, attributes=attributes) == []
    assert holding({"when": "viewer.level > 3"}, kind="limit", attributes=attributes) == ["r"]


def test_2_7_only_these_roles_replace_what_is_assigned() -> None:
    roles = [{"name": "a", "kind": "grant", "assigned": [{"everyone": True}]}, {"name": "b", "kind": "limit"}]
    assert list(viewer_of(RealViewer(login="ann", only_roles=["b"]), roles=roles).held) == ["b"]
    assert list(viewer_of(roles=roles).held) == ["a"]


def test_2_7_nothing_of_a_real_user_is_taken_over_by_an_imagined_viewer_of_that_login() -> None:
    roles = [{"name": "a", "kind": "grant", "assigned": [{"user": "ann"}]}]
    imagined = ImaginedViewer(imagine=ImaginedPerson(login="ann", groups=[]))
    viewer = viewer_of(imagined, attributes=LEVEL, roles=roles, ann={"attributes": {"level": 5}, "enabled": False})
    assert (viewer.enabled, viewer.values("level"), list(viewer.held)) == (True, (1,), ["a"])


@pytest.mark.parametrize(
    ("reference", "nearest"),
    [
        ("anne", "ann"),
        (RealViewer(login="ann", only_roles=["stewards"]), "steward"),
        (ImaginedViewer(imagine=ImaginedPerson(groups=["fel"])), "fell"),
        (ImaginedViewer(imagine=ImaginedPerson(organization="leav")), "leaf"),
        (ImaginedViewer(imagine=ImaginedPerson(attributes={"levl": 1})), "level"),
    ],
)
def test_an_unknown_viewer_is_named_with_the_nearest(reference: Any, nearest: str) -> None:
    with pytest.raises(BundleError) as raised:
        viewer_of(reference, attributes=LEVEL, groups=[{"name": "fell"}], roles=[{"name": "steward", "kind": "grant"}])
    assert raised.value.problems[0].nearest == nearest


def test_who_stands_outside_everyone_is_opened_nothing_by_it_and_still_narrowed_by_it() -> None:
    narrowing = {"name": "narrow", "kind": "limit", "sentences": [{"rows": {"table": "site", "where": "id < 3"}}]}
    base = farm(rows_role("open", "site", "TRUE"), rows_role("named", "site", "id > 1", assigned=[{"group": "some"}]), narrowing, groups=[{"name": "some"}])
    for everyone, held in ((True, ["open", "named", "narrow"]), (False, ["named", "narrow"])):
        viewer = base.viewer(ImaginedViewer(imagine=ImaginedPerson(login="portal:zoe", groups=["some"], everyone=everyone)))
        assert list(viewer.held) == held
