"""People column by column, and their memberships: found at once, or from those before a change, they are the same."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from moorland.core.bundle.people import Group, User
from moorland.core.bundle.reading import read_document
from moorland.core.crowd import Codes, Crowd, firsts, renumbered, told_apart
from moorland.core.memberships import Memberships
from moorland.core.people import People

LOGINS = ["ann", "bob", "cat", "dee"]
NAMES = ["g0", "g1", "g2"]


def groups() -> st.SearchStrategy[list[Group]]:
    users, inner = st.lists(st.sampled_from(LOGINS), max_size=5), st.lists(st.sampled_from(NAMES), max_size=2)
    made = st.builds(lambda name, users, inner: Group(name=name, users=users, groups=inner), st.sampled_from(NAMES), users, inner)
    return st.lists(made, max_size=3, unique_by=lambda group: group.name)


def told(memberships: Memberships) -> list[list[str]]:
    return [[group.name for group in found] for found in (*map(memberships.of_user, LOGINS), *map(memberships.of_group, NAMES))]


@settings(max_examples=60, deadline=None)
@given(groups(), groups(), groups(), st.booleans())
def test_memberships_after_changes_are_those_found_anew(first: list[Group], second: list[Group], third: list[Group], asked_between: bool) -> None:
    before, between, after = Memberships(first), Memberships(second), Memberships(third)
    told(before)
    between.after(before)
    if asked_between:
        told(between)
    after.after(between)
    assert told(after) == told(Memberships(third))


def test_what_is_written_otherwise_is_another_value() -> None:
    values = [1, 1.0, True, "1", [1], ["1"], "['1']", [], None, [True]]
    users = [User(login=f"p{place}", name="P", attributes={"a": value}) for place, value in enumerate(values)]
    assert len(set(Crowd(users, []).own("a").tolist())) == len(values)
    texts = [user for user in users if user.attributes["a"] in (None, "1", ["1"], "['1']")]
    assert len(set(Crowd(texts, []).own("a").tolist())) == len(texts) == 4


def test_people_in_other_organizations_are_another_crowd() -> None:
    def people(parent: str | None) -> People:
        organizations = [{"name": "root"}, {"name": "leaf", "parent": "root"}] if parent else [{"name": "root"}]
        return People(read_document({"moorland": 1, "name": "t", "organizations": organizations, "users": [{"login": "ann", "name": "Ann"}]}))

    first, other, same = people(None), people("root"), people(None)
    other.beside(first)
    assert other.crowd is not first.crowd
    again = People(first.bundle.model_copy(update={"roles": []}))
    again.beside(first)
    assert again.crowd is first.crowd and same.crowd is not first.crowd


CODES = st.lists(st.integers(0, 40) | st.integers(0, 10**9), min_size=1, max_size=60).map(lambda found: np.array(found, dtype=np.int64))


@given(CODES)
def test_codes_are_renumbered_without_gaps_in_their_order(codes: Codes) -> None:
    assert renumbered(codes).tolist() == np.unique(codes, return_inverse=True)[1].tolist()


@given(st.lists(st.integers(0, 20), max_size=60))
def test_the_first_of_each_code_is_found(codes: list[int]) -> None:
    assert firsts(np.array(codes, dtype=np.int64)) == sorted(codes.index(code) for code in set(codes))


@given(st.lists(st.tuples(st.integers(0, 5), st.integers(0, 10**6)), min_size=1, max_size=60))
def test_people_are_told_apart_just_where_one_of_two_codes_differs(pairs: list[tuple[int, int]]) -> None:
    found = told_apart(*(np.array(part, dtype=np.int64) for part in zip(*pairs, strict=True))).tolist()
    assert all((one == other) == (first == second) for first, one in zip(pairs, found, strict=True) for second, other in zip(pairs, found, strict=True))
