"""No way up (accounts.md 2): every path by which somebody could gain what is beyond the duties of whoever makes the change is refused."""

import json
from typing import Any

import pytest

from moorland.core.bundle.duties import ACTS
from moorland.server.directory.models import Account, Group
from tests.server.conftest import Session
from tests.server.duties import LEAF, Sessions, given, people
from tests.server.test_bringing_data import bring
from tests.server.test_lines import LINES, kept, lines  # noqa: F401  the fixture
from tests.server.test_people_files import asked as file_of

REFUSED = (403, "not_allowed")
DESK = ["people", "map"]


@pytest.fixture
def desk(as_user: Sessions) -> Session:
    """A people desk over the leaf: its people, the role of stewards, no attribute but areas."""
    given("desk", DESK, people(LEAF, roles=["steward"], attributes=["areas"]))
    return as_user("desk")


def act(session: Session, kind: str, **asked: Any) -> tuple[int, str] | None:
    """Makes an act; what it is refused with, None where it is made. What is tried is refused in the same way."""
    status = session.call("POST", "acts?try=true", {kind: asked})[0]
    made, again = session.call("POST", "acts", {kind: asked})
    assert status == made
    return None if made == 200 else (made, again["error"]["code"])


def version(login: str) -> int:
    return Account.objects.get(login=login).version


def test_a_people_desk_works_within_its_people(desk: Session) -> None:
    assert act(desk, "add_person", login="new", name="New", organization="leaf", roles=[{"role": "steward"}]) is None
    assert act(desk, "change_people", logins=["ann", "new"], attributes={"areas": ["marsh"]}) is None
    assert act(desk, "change_people", logins=["new"], enabled=False) is None
    assert act(desk, "delete_people", logins=["new"]) is None


@pytest.mark.parametrize(
    ("kind", "asked"),
    [
        # a role that is not in the scope, to somebody who is
        ("change_people", {"logins": ["ann"], "give": [{"role": "all"}]}),
        ("add_person", {"login": "new", "name": "New", "organization": "leaf", "roles": [{"role": "all"}]}),
        # a value of an attribute that is not in the scope
        ("change_people", {"logins": ["ann"], "attributes": {"code": 9}}),
        ("add_person", {"login": "new", "name": "New", "organization": "leaf", "attributes": {"code": 9}}),
        # somebody new outside of the scope, or moved out of it
        ("add_person", {"login": "new", "name": "New", "organization": "root"}),
        ("add_person", {"login": "new", "name": "New"}),
        ("change_people", {"logins": ["ann"], "organization": "root"}),
        # places outside of the scope
        ("change_people", {"logins": ["ann"], "join": ["others"]}),
        ("change_people", {"logins": ["ann"], "leave": ["stewards"]}),
        ("save_group", {"name": "stewards", "version": 1, "attributes": {"areas": ["marsh"]}}),
        ("save_group", {"name": "fresh"}),
        ("delete_group", {"name": "others"}),
        ("move_group", {"name": "others", "into": "stewards"}),
        ("save_organization", {"name": "root", "version": 1, "attributes": {"areas": {"value": ["fell"], "locked": True}}}),
        ("save_organization", {"name": "fresh", "parent": "root"}),
        ("save_organization", {"name": "leaf", "version": 1, "attributes": {"code": {"value": 1, "locked": True}}}),
        # what everybody's values are made of
        ("save_attribute", {"definition": {"name": "code", "type": "integer", "default": 1, "shown_to": "nobody"}, "version": 1}),
        ("delete_attribute", {"name": "code"}),
    ],
)
def test_nothing_beyond_the_scope_is_made(desk: Session, kind: str, asked: dict[str, Any]) -> None:
    refused = act(desk, kind, **asked)
    assert refused is not None
    assert refused[0] in (403, 404)


def test_people_outside_are_not_touched_by_any_act(desk: Session) -> None:
    for asked in ({"enabled": False}, {"email": "me@here.example"}, {"organization": "leaf"}, {"attributes": {"areas": ["fell"]}}):
        assert act(desk, "change_people", logins=["bob"], **asked) == (404, "not_found")
    assert act(desk, "delete_people", logins=["boss"]) == (404, "not_found")


def test_a_role_comes_by_no_group_that_carries_it(as_user: Sessions, boss: Session) -> None:
    """Whoever may fill a group and not map its role cannot let anybody have the role by the group."""
    boss.ok("POST", "roles/all/assignments", {"add": [{"group": "others"}]})
    given("desk", ["people", "map"], people({**LEAF, "groups": ["others"]}, roles=["steward"]))
    desk = as_user("desk")
    assert act(desk, "change_people", logins=["ann"], join=["others"]) == REFUSED
    assert act(desk, "save_group", name="others", version=1, add_users=["ann"]) == REFUSED
    assert act(desk, "add_person", login="new", name="New", organization="leaf", groups=["others"]) == REFUSED


def test_a_limit_is_not_lost_by_leaving_a_group(as_user: Sessions, boss: Session) -> None:
    limit = {"name": "narrow", "kind": "limit", "model": "m", "sentences": [{"rows": {"table": "site", "where": "id = 1"}}]}
    boss.ok("POST", "roles", {"role": limit})
    boss.ok("POST", "roles/narrow/assignments", {"add": [{"group": "stewards"}]})
    boss.ok("POST", "releases", {"hash": boss.ok("GET", "releases/pending")["hash"]})
    given("desk", ["people", "map"], people({**LEAF, "groups": ["stewards"]}, roles=["steward"]))
    assert act(as_user("desk"), "change_people", logins=["ann"], leave=["stewards"]) == REFUSED


def test_a_role_that_reads_a_name_is_not_gained_by_a_new_login_or_mail(as_user: Sessions, boss: Session) -> None:
    """A login or mail domain that a condition names already is a gain like any."""
    boss.ok("POST", "roles/all/assignments", {"add": [{"when": "viewer.login = 'late' OR viewer.mail_domain = 'board.example'"}]})
    given("desk", ["people", "map"], people(LEAF, roles=["steward"]))
    desk = as_user("desk")
    assert act(desk, "add_person", login="late", name="Late", organization="leaf") == REFUSED
    assert act(desk, "add_person", login="other", name="Other", organization="leaf", email="x@board.example") == REFUSED
    assert act(desk, "change_people", logins=["ann"], email="ann@board.example") == REFUSED
    assert act(desk, "add_person", login="other", name="Other", organization="leaf", email="x@leaf.example") is None


def test_a_sentence_that_reads_an_attribute_out_of_scope_is_not_reached_by_an_organization(as_user: Sessions) -> None:
    given("desk", ["people"], people(LEAF, attributes=["code"]))
    desk = as_user("desk")
    asked = {"name": "leaf", "version": 1, "attributes": {"areas": {"value": ["marsh"], "locked": True}}}
    assert act(desk, "save_organization", **asked) == REFUSED


@pytest.mark.parametrize(
    "assignment",
    [{"user": "bob"}, {"user": "boss"}, {"group": "others"}, {"everyone": True}, {"when": "viewer.login = 'ann'"}],
)
def test_mapping_reaches_only_roles_and_people_in_scope(desk: Session, assignment: dict[str, Any]) -> None:
    assert desk.error("POST", "roles/steward/assignments?try=true", {"add": [assignment]})[0] in (403, 404)
    assert desk.error("POST", "roles/steward/assignments", {"add": [assignment]})[0] in (403, 404)
    assert desk.error("POST", "roles/all/assignments", {"add": [{"user": "ann"}]}) == (404, "not_found")
    desk.ok("POST", "roles/steward/assignments", {"add": [{"user": "ann"}]})


def test_a_role_of_the_draft_is_not_mapped_past_the_scope_before_it_is_live(as_user: Sessions, boss: Session) -> None:
    boss.ok("POST", "roles", {"role": {"name": "soon", "kind": "grant", "model": "m", "sentences": []}})
    given("desk", DESK, people(LEAF, roles=["soon"]))
    desk = as_user("desk")
    assert desk.error("POST", "roles/soon/assignments", {"add": [{"user": "bob"}]}) == REFUSED
    assert desk.error("POST", "roles/soon/assignments", {"add": [{"everyone": True}]}) == REFUSED


def test_an_import_of_people_reaches_no_further_than_an_act(desk: Session) -> None:
    columns = {"login": 0, "name": 1, "organization": 2}
    for body in (b"login,name,organization\nnew,New,root\n", b"login,name,organization\nbob,Rob,leaf\n", b"login,name,organization\nann,Ann,root\n"):
        for address in ("directory/import?try=true", "directory/import"):
            assert desk.error("POST", address, file_of(desk, body.decode(), columns=columns))[0] in (403, 404, 422)
    assert not Account.objects.filter(login="new").exists()


def test_a_file_tells_nothing_of_who_is_outside_of_the_scope(desk: Session) -> None:
    """That a row changes nothing would tell that somebody is there, and what their name is."""
    columns = {"login": 0, "name": 1}
    for body in ("login,name\nbob,Bob\n", "login,name\nbob,Rob\n"):
        status, told = desk.call("POST", "directory/import?try=true", file_of(desk, body, columns=columns))
        assert (status, told["error"]["message"]) == (404, "There is no user named bob.")
    taken = {"add_person": {"login": "BOB", "name": "New", "organization": "leaf"}}
    status, told = desk.call("POST", "acts", taken)
    assert (status, told["error"]["message"]) == (422, "This login is taken here already.")


def test_no_error_names_what_is_outside_of_the_scope(desk: Session) -> None:
    for asked in ({"join": ["other"]}, {"organization": "roots"}, {"leave": ["steward"]}):
        status, told = desk.call("POST", "acts", {"change_people": {"logins": ["ann"], **asked}})
        assert status == 404
        assert not {"others", "stewards", "root."} & set(json.dumps(told).replace('"', " ").split()), told
    asked = file_of(desk, "login,name,organization\nnew,New,roo\n", columns={"login": 0, "name": 1, "organization": 2})
    rows = desk.ok("POST", "directory/import?try=true", asked)["rows"]
    assert [row["why"] for row in rows] == ["There is no organization roo."]


@pytest.mark.parametrize("acts", [["people", "map"], ["settings"], [act for act in ACTS if act != "release"]])
def test_nobody_gains_by_their_own_change(as_user: Sessions, acts: list[str]) -> None:
    given("self", acts)
    given("other", list(ACTS))
    session = as_user("self")
    refused = [
        session.error("POST", "roles/all/assignments", {"add": [{"user": "self"}]}),
        session.error("POST", "acts", {"change_people": {"logins": ["self"], "give": [{"role": "all"}]}}),
        session.error("POST", "acts", {"change_people": {"logins": ["self"], "join": ["stewards"]}}),
        session.error("POST", "duties", {"duty": {"user": "self", "acts": ["trail"], "within": "everything"}}),
    ]
    assert {status for status, _ in refused} == {403}


def test_who_keeps_everything_alone_may_gain_and_the_trail_says_so(boss: Session, as_user: Sessions) -> None:
    boss.ok("POST", "roles/steward/assignments", {"add": [{"user": "boss"}]})
    boss.ok("POST", "duties", {"duty": {"user": "boss", "acts": ["trail"], "within": "everything"}})
    assert boss.ok("GET", "trail")["entries"][0]["details"]["alone"] is True
    given("other", list(ACTS))
    assert boss.error("POST", "duties", {"duty": {"user": "boss", "acts": ["map"], "within": "everything"}}) == REFUSED
    as_user("other").ok("POST", "duties", {"duty": {"user": "boss", "acts": ["map"], "within": "everything"}})


@pytest.mark.parametrize(
    "duty",
    [
        {"user": "bob", "acts": ["trail"], "within": "everything"},
        {"user": "bob", "acts": ["people"], "within": {"people": "all", "attributes": "all"}},
        {"user": "bob", "acts": ["people"], "within": {"people": {"organizations": ["root"]}, "attributes": "all"}},
        {"user": "bob", "acts": ["people"], "within": {"people": {"users": ["ann"]}, "attributes": "all"}},
        {"user": "bob", "acts": ["people"], "within": {"people": LEAF, "attributes": ["code"]}},
        {"group": "others", "acts": ["settings", "look-values"], "within": "everything"},
    ],
)
def test_nobody_gives_a_duty_beyond_their_own(as_user: Sessions, duty: dict[str, Any]) -> None:
    """By what is named and the tree, not by today's members: ann is in the leaf, and naming her is more than naming the leaf."""
    given("giver", ["settings", "people"], people(LEAF, attributes=["areas"]))
    giver = as_user("giver")
    assert giver.error("POST", "duties", {"duty": duty}) == REFUSED
    own = {"user": "bob", "acts": ["settings", "people"], "within": {"people": LEAF, "attributes": ["areas"]}}
    giver.ok("POST", "duties", {"duty": own})


def test_nobody_keeps_a_duty_alive_beyond_their_own(as_user: Sessions, boss: Session) -> None:
    boss.ok("POST", "duties", {"duty": {"user": "ann", "acts": ["release"], "within": "everything", "until": "2030-01-01"}})
    given("giver", ["settings"])
    giver = as_user("giver")
    entry = next(item for item in giver.ok("GET", "duties")["duties"] if item["duty"]["user"] == "ann")
    longer = {**entry["duty"], "until": "2031-01-01"}
    assert giver.error("PUT", f"duties/{entry['id']}", {"duty": longer, "version": entry["version"]}) == REFUSED
    giver.ok("DELETE", f"duties/{entry['id']}?version={entry['version']}")


def test_a_duty_does_not_come_by_joining_a_group(as_user: Sessions, boss: Session) -> None:
    boss.ok("POST", "duties", {"duty": {"group": "others", "acts": ["release"], "within": "everything"}})
    given("desk", ["people", "map"])
    desk = as_user("desk")
    assert act(desk, "change_people", logins=["ann"], join=["others"]) == REFUSED
    assert act(desk, "move_group", name="stewards", into="others") == REFUSED


def test_a_link_and_a_mail_are_only_for_who_could_give_all_of_it(as_user: Sessions, boss: Session) -> None:
    given("desk", ["people", "map"], people("all", roles=["steward"]))
    desk = as_user("desk")
    desk.ok("POST", "people/ann/invitation")
    assert desk.error("POST", "people/boss/invitation") == REFUSED
    assert act(desk, "change_people", logins=["boss"], email="mine@here.example") == REFUSED
    boss.ok("POST", "roles/all/assignments", {"add": [{"user": "ann"}]})
    assert desk.error("POST", "people/ann/invitation") == REFUSED
    boss.ok("POST", "duties", {"duty": {"user": "bob", "acts": ["trail"], "within": "everything"}})
    assert desk.error("POST", "people/bob/invitation") == REFUSED


def test_sentences_are_written_on_models_and_shelves_in_scope(as_user: Sessions, boss: Session) -> None:
    boss.ok("POST", "models", {"name": "other"})
    given("writer", ["roles", "pages"], people(LEAF, models=["m"], shelves=["work"]))
    writer = as_user("writer")
    on = {"name": "fresh", "kind": "grant", "model": "m", "sentences": [{"pages": {"actions": ["open"], "on": ["page:output"]}}]}
    writer.ok("POST", "roles", {"role": on})
    for changed in (
        {**on, "name": "b", "model": "other", "sentences": []},
        {**on, "name": "b", "model": None},
        {**on, "name": "b", "sentences": [{"pages": {"actions": ["open"]}}]},
        {**on, "name": "b", "sentences": [{"pages": {"actions": ["open"], "on": ["shelf:hushed"]}}]},
        {**on, "name": "b", "sentences": [{"pages": {"actions": ["open"], "on": ["page:secret"]}}]},
        {**on, "name": "b", "sentences": [{"pages": {"actions": ["open"], "where": "page.owner = viewer.login"}}]},
    ):
        assert writer.error("POST", "roles", {"role": changed}) == REFUSED
    assert writer.error("PUT", "pages/fresh", {"page": {"name": "fresh", "shelf": "hushed"}}) == REFUSED
    assert writer.error("DELETE", "pages/secret?version=1") == REFUSED


def test_all_of_a_release_is_in_scope_and_nobody_releases_what_they_gain_by(as_user: Sessions, boss: Session) -> None:
    boss.ok("POST", "models", {"name": "other"})
    pending = boss.ok("GET", "releases/pending")["hash"]
    given("narrow", ["release"], people("all", models=["m"]))
    narrow = as_user("narrow")
    status, told = narrow.call("POST", "releases", {"hash": pending})
    assert (status, "other" in told["error"]["message"]) == (403, False)
    role = {"name": "wide", "kind": "grant", "model": "m", "sentences": []}
    boss.ok("POST", "roles", {"role": role})
    boss.ok("POST", "roles/wide/assignments", {"add": [{"user": "bob"}]})
    given("bob", ["release"])
    pending = boss.ok("GET", "releases/pending")["hash"]
    assert as_user("bob").error("POST", "releases", {"hash": pending}) == REFUSED
    boss.ok("POST", "releases", {"hash": pending})


def test_content_that_says_who_sees_what_is_for_who_may_map(kept: Session, as_user: Sessions) -> None:  # noqa: F811
    """Lines of a table that sentences read, and a refresh in their place."""
    given("models", ["models", "look-values"])
    session = as_user("models")
    now = lines(session)
    asked = {"version": now["version"], "add": [{"values": {"who": "bob", "area": "fell"}}]}
    assert session.error("POST", f"{LINES}/lines", asked) == REFUSED
    given("mapper", ["models", "look-values", "map"])
    as_user("mapper").ok("POST", f"{LINES}/lines", asked)
    table = {"upload": bring(session, "scope.csv", b"who,area,until\nmodels,fell,\n"), "reading": {"format": "csv"}, "name": "scope"}
    assert session.error("POST", "imports", {"model": "m", "new_model": False, "tables": [table]})[0] in (400, 403)


def test_what_was_judged_and_changed_meanwhile_is_not_made(as_user: Sessions, monkeypatch: pytest.MonkeyPatch) -> None:
    """Two changes that are nothing alone and a gain together: the second is judged anew."""
    given("desk", ["people", "map"], people({**LEAF, "groups": ["others"]}, roles=["steward"]))
    desk = as_user("desk")
    from moorland.server.directory import acting, service

    tried = service.tried

    def meanwhile(*asked: Any) -> service.Tried:
        found = tried(*asked)
        with acting.recorded("boss", "map role", "all", "people"):
            from moorland.server.policies.models import Assignment, Role

            Assignment.objects.create(role=Role.objects.get(name="all"), group=Group.objects.get(name="others"))
        return found

    monkeypatch.setattr(acting, "tried", meanwhile)
    assert desk.error("POST", "acts", {"change_people": {"logins": ["ann"], "join": ["others"]}}) == (409, "stale")
    assert not Group.objects.get(name="others").users.exists()
