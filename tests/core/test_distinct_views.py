"""Who sees the same is found column by column as it is found person by person, on generated people and roles."""

from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from moorland.core.engine.distinct_views import DISABLED, Told, alike_twice
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.many_viewers import answers, everyones_answers
from moorland.core.engine.questions import Question, TotalsAnswer
from tests.core.worlds import farm, rows_role

GROUPS = ["g0", "g1", "g2"]
LOGINS = [f"p{number}" for number in range(9)]
ROWS = Question.model_validate({"rows": {"model": "farm", "table": "site"}})
CONDITIONS = [
    "area = viewer.home",
    "id IN viewer.numbers",
    "area = viewer.login",
    "area = viewer.mail_domain",
    "area IN viewer.groups",
    "area IN viewer.branch",
    "area = viewer.organization AND area <> viewer.name",
    "area IN viewer.roles",
    "area = 'fell'",
]
WHENS = ["viewer.home = 'fell'", "viewer.login LIKE 'p%1'", "'g1' IN viewer.groups", "viewer.organization = 'leaf'", "viewer.email IS NOT NULL"]


def values() -> st.SearchStrategy[dict[str, Any]]:
    """Values of the two attributes that are read, and of one that is not."""
    return st.fixed_dictionaries(
        {}, optional={"home": st.sampled_from(["fell", "marsh"]), "numbers": st.lists(st.integers(1, 2), max_size=2), "desk": st.sampled_from(["1", "2"])}
    )


@st.composite
def people(draw: st.DrawFn) -> tuple[dict[str, Any], list[dict[str, Any]]]:
    """Nine people in groups and organizations, and roles given in every way."""
    groups = [
        {
            "name": name,
            "users": draw(st.lists(st.sampled_from(LOGINS), unique=True, max_size=4)),
            "groups": draw(st.lists(st.sampled_from(GROUPS[place + 1 :]), unique=True)) if place + 1 < len(GROUPS) else [],
            "enabled": draw(st.integers(0, 4)) > 0,
            "attributes": draw(values()),
        }
        for place, name in enumerate(GROUPS)
    ]
    users = [
        {
            "login": login,
            "name": draw(st.sampled_from(["Ann", "Bob"])),
            "email": draw(st.sampled_from([None, f"{login}@fell", f"{login}@marsh"])),
            "organization": draw(st.sampled_from([None, "root", "branch", "leaf"])),
            "enabled": draw(st.integers(0, 5)) > 0,
            "attributes": draw(values()),
        }
        for login in LOGINS
    ]
    organizations = [{"name": "root", "attributes": draw(values())}, {"name": "branch", "parent": "root"}]
    organizations.append({"name": "leaf", "parent": "branch", "attributes": draw(values())})
    assignments = st.one_of(
        st.just({"everyone": True}),
        st.builds(lambda name: {"group": name}, st.sampled_from(GROUPS)),
        st.builds(lambda login: {"user": login}, st.sampled_from(LOGINS)),
        st.builds(lambda text: {"when": text}, st.sampled_from(WHENS)),
    )
    roles = [
        rows_role(f"r{number}", "site", draw(st.sampled_from(CONDITIONS)), assigned=draw(st.lists(assignments, min_size=1, max_size=2, unique_by=str)))
        for number in range(draw(st.integers(1, 3)))
    ]
    attributes = [
        {"name": "home", "type": "text"},
        {"name": "numbers", "type": "integer", "multiple": True},
        {"name": "desk", "type": "text"},
    ]
    return {"groups": groups, "users": users, "organizations": organizations, "attributes": attributes}, roles


def by_person(base: Evaluator) -> dict[object, list[str]]:
    """The logins of the enabled, by what is found for each alone."""
    found: dict[object, list[str]] = {}
    for login in LOGINS:
        viewer = base.viewer(login)
        if viewer.enabled:
            found.setdefault(base.view_of(viewer), []).append(login)
    return found


@settings(max_examples=60, deadline=None)
@given(people())
def test_views_are_those_found_person_by_person(made: tuple[dict[str, Any], list[dict[str, Any]]]) -> None:
    base = farm(*made[1], **made[0])
    assert [list(same.logins) for same in base.alike] == list(by_person(base).values())
    assert [login for login, label in zip(LOGINS, base.views.labels, strict=True) if label == DISABLED] == list(base.views.disabled)


@settings(max_examples=30, deadline=None)
@given(people(), st.sampled_from(GROUPS))
def test_who_is_told_apart_by_more_is_alike_in_it(made: tuple[dict[str, Any], list[dict[str, Any]]], group: str) -> None:
    base = farm(*made[1], **made[0])
    for same in base.views_by(Told(frozenset({"desk", "organizations"}), frozenset({group}))).alike:
        viewers = [base.viewer(login) for login in same.logins]
        assert len({(base.view_of(viewer), viewer.values("desk"), viewer.organizations, group in viewer.groups) for viewer in viewers}) == 1


@settings(max_examples=30, deadline=None)
@given(people(), st.sampled_from(CONDITIONS))
def test_two_states_together_are_alike_in_each(made: tuple[dict[str, Any], list[dict[str, Any]]], where: str) -> None:
    base = farm(*made[1], **made[0])
    role = base.bundle.roles[0]
    other = base.with_role(
        role.model_copy(update={"sentences": farm(rows_role("r0", "site", where), attributes=made[0]["attributes"]).bundle.roles[0].sentences})
    )
    pairs = alike_twice(base.views, other.views, LOGINS)
    assert sorted(login for same in pairs for login in same.logins) == LOGINS
    for same in pairs:
        viewers = [base.viewer(login) for login in same.logins]
        assert len({viewer.enabled for viewer in viewers}) == 1
        assert not viewers[0].enabled or len({(base.view_of(viewer), other.view_of(viewer)) for viewer in viewers}) == 1


@settings(max_examples=30, deadline=None)
@given(people(), st.sampled_from(CONDITIONS))
def test_other_sentences_of_one_role_answer_as_if_all_was_made_anew(made: tuple[dict[str, Any], list[dict[str, Any]]], where: str) -> None:
    base = farm(*made[1], **made[0])
    base.answer(base.viewer("p0"), ROWS)
    first, *others = made[1]
    anew = farm({**first, "sentences": rows_role("r0", "site", where)["sentences"]}, *others, **made[0])
    taken_over = base.with_role(anew.bundle.roles[0])
    assert [taken_over.answer(taken_over.viewer(login), ROWS) for login in LOGINS] == [anew.answer(anew.viewer(login), ROWS) for login in LOGINS]
    assert list(by_person(taken_over).values()) == list(by_person(anew).values())
    assert taken_over.viewer_reads == anew.viewer_reads


def test_one_question_for_many_gives_each_their_own_answer() -> None:
    users = [{"login": login, "name": login, "enabled": login != "p3"} for login in LOGINS]
    base = farm(rows_role("r", "site", "area = 'fell'", assigned=[{"user": "p1"}, {"user": "p2"}]), users=users)
    own = Question.model_validate({"rows": {"model": "farm", "table": "site", "where": "area = viewer.login"}})
    for asked in ([ROWS], [own], [ROWS, own]):
        alone = {login: [base.answer(base.viewer(login), question) for question in asked] for login in LOGINS}
        assert {viewer.login: given for viewer, given in answers(base, base.everyone(), asked)} == alone
        assert {login: given for logins, given in everyones_answers(base, asked) for login in logins} == alone
    assert not isinstance(alone["p1"][0], TotalsAnswer)
