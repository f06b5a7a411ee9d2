"""Pages that readers make: built from what exists for them, beside releases, seen by others by their own rules (semantics.md 10.4, accounts.md 14)."""

from typing import Any

import pytest

from moorland.server.pages.models import ReaderPage
from tests.server.conftest import Session
from tests.server.duties import Sessions, given, people
from tests.server.test_pages import release, steward_says

ENERGY = {"title": "Energy", "kind": "figure", "measures": ["energy"]}


@pytest.fixture
def ann(boss: Session, as_user: Sessions) -> Session:
    """Somebody who sees the sites of one area, no rents, and may make, change and publish pages on one shelf."""
    steward_says(boss, {"pages": {"actions": ["open", "create", "edit", "publish"], "on": ["shelf:work"]}})
    return as_user("ann")


def made(session: Session, *exhibits: dict[str, Any], publish: bool = False, **text: Any) -> str:
    """A page of one's own with some exhibits."""
    name: str = session.ok("POST", "my/making", {"label": "Mine", "shelf": "work"})["name"]
    body = {"text": {"label": "Mine", "model": "m", "exhibits": list(exhibits), **text}, "version": 1}
    version = session.ok("PUT", f"my/making/{name}", body)["version"]
    if publish:
        session.ok("POST", f"my/making/{name}/publishing", {"published": True, "version": version})
    return name


def titles(session: Session, name: str) -> list[str]:
    return [entry["exhibit"]["title"] for entry in session.ok("GET", f"my/pages/{name}")["exhibits"]]


def test_a_page_is_made_seen_by_its_maker_alone_published_and_taken_back(ann: Session, boss: Session) -> None:
    name = made(ann, ENERGY)
    assert ann.ok("GET", f"my/pages/{name}")["exhibits"][0]["totals"]["total"] == [500.0]
    assert boss.error("GET", f"my/pages/{name}") == (404, "not_found")
    ann.ok("POST", f"my/making/{name}/publishing", {"published": True, "version": 2})
    assert boss.ok("GET", f"my/pages/{name}")["exhibits"][0]["totals"]["total"] == [1500.0]
    assert {"name": name, "label": "Mine", "by": "Ann"} in boss.ok("GET", "my/pages")["shelves"][0]["pages"]
    ann.ok("POST", f"my/making/{name}/publishing", {"published": False, "version": 3})
    assert boss.error("GET", f"my/pages/{name}") == (404, "not_found")


def test_others_are_shown_what_was_published_until_it_is_published_again(ann: Session, boss: Session) -> None:
    name = made(ann, ENERGY, publish=True)
    ann.ok("PUT", f"my/making/{name}", {"text": {"label": "Changed", "model": "m", "exhibits": [ENERGY, ENERGY]}, "version": 3})
    assert (len(titles(boss, name)), len(titles(ann, name))) == (1, 2)
    assert ann.ok("GET", "my/pages")["own"] == [{"name": name, "label": "Changed", "shelf": "Work", "published": True, "changed": True}]


@pytest.mark.parametrize("measure", ["rent", "rant"])
def test_what_does_not_exist_for_its_maker_cannot_stand_on_a_page(ann: Session, measure: str) -> None:
    name = made(ann)
    wrong = {
        "exhibits": [
            {**ENERGY, "measures": [measure]},
            {**ENERGY, "where": f"site.{measure} > 3"},
            {"title": "L", "kind": "list", "table": "site", "columns": [f"site.{measure}"]},
        ],
        "filters": [f"site.{measure}"],
    }
    status, answer = ann.call("PUT", f"my/making/{name}", {"text": {"label": "Mine", "model": "m", **wrong}, "version": 2})
    told = [problem["message"].replace(measure, "…") for problem in answer["error"]["problems"]]
    assert (status, told) == (
        422,
        [
            "there is no column site.….",
            "“Energy”: there is no measure ….",
            "there is nothing named site.… here.",
            "“L”: there is no column site.….",
        ],
    )


def test_the_words_are_the_same_for_what_is_withheld_and_what_is_not_there(ann: Session) -> None:
    def words(name: str) -> list[str]:
        asks = [
            ("POST", "my/making/exhibit", {"model": "m", "exhibit": {**ENERGY, "measures": [name]}}),
            ("POST", "my/making/exhibit", {"model": name, "exhibit": ENERGY}),
            ("POST", "my/making/check", {"model": "m", "where": f"site.{name} = 1"}),
            ("GET", f"my/models/m/values/site/{name}", None),
            ("POST", "my/making", {"label": "x", "shelf": "hushed" if name == "rent" else name}),
            ("POST", "my/making", {"label": "x", "shelf": "work", "copy_of": "secret" if name == "rent" else name}),
        ]
        return [str(ann.call(*ask)).replace("current", "").replace(name, "…").replace("hushed", "…").replace("secret", "…") for ask in asks]

    assert words("rent") == words("rant")
    told = str(ann.ok("GET", "my/models"))
    assert "rent" not in told and "SUM" not in told and "area" in told


def test_a_filter_acts_only_for_readers_for_whom_what_it_names_exists(ann: Session, boss: Session, as_user: Sessions) -> None:
    steward_says(boss, {"pages": {"actions": ["create", "edit", "publish"], "on": ["shelf:work"]}})
    boss_role = next(item for item in boss.ok("GET", "roles")["roles"] if item["role"]["name"] == "all")
    sentences = [*boss_role["role"]["sentences"], {"pages": {"actions": ["create", "edit", "publish"]}}]
    boss.ok("PUT", "roles/all", {"role": {**boss_role["role"], "assigned": [], "sentences": sentences}, "version": boss_role["version"]})
    release(boss)
    written = {
        "both": "site.area IN ('fell', 'marsh')",
        "marsh": "site.area <> 'marsh'",
        "fell": "site.area = 'fell'",
        "like": "site.area LIKE 'mar%'",
        "bound": "site.id > 1",
        "made": "UPPER(site.area) = 'FELL'",
    }
    name = made(boss, *({**ENERGY, "title": title, "where": where} for title, where in written.items()), publish=True)
    assert titles(boss, name) == list(written)
    assert titles(ann, name) == ["fell", "bound"]
    assert ann.ok("POST", f"my/pages/{name}/beneath", {"exhibit": 0})["visible"] == 2
    assert ann.error("POST", f"my/pages/{name}/beneath", {"exhibit": 2}) == (404, "not_found")


def test_a_copy_holds_what_exists_for_who_copies_and_no_filter_they_could_not_write(ann: Session) -> None:
    answer = ann.ok("POST", "my/making", {"label": "Copy", "shelf": "work", "copy_of": "output"})
    text = ann.ok("GET", f"my/making/{answer['name']}")["text"]
    assert answer["left_out"] == ["Both"]
    assert [(item["title"], item["measures"]) for item in text["exhibits"]] == [("Energy", ["energy"]), ("Sites", [])]


def test_who_may_edit_and_not_make_changes_own_pages_only(ann: Session, boss: Session) -> None:
    name = made(ann, ENERGY)
    steward, version = next((item["role"], item["version"]) for item in boss.ok("GET", "roles")["roles"] if item["role"]["name"] == "steward")
    sentences = [*steward["sentences"][:-1], {"pages": {"actions": ["open", "edit"], "on": ["shelf:work"]}}]
    boss.ok("PUT", "roles/steward", {"role": {**steward, "assigned": [], "sentences": sentences}, "version": version})
    release(boss)
    text = {"label": "Mine again", "model": "m", "exhibits": [ENERGY]}
    assert ann.ok("PUT", f"my/making/{name}", {"text": text, "version": 2})["may_publish"] is False
    assert ann.error("POST", "my/making", {"label": "x", "shelf": "work"}) == (404, "not_found")
    assert ann.error("POST", f"my/making/{name}/publishing", {"published": True, "version": 3}) == (403, "not_allowed")
    assert boss.error("PUT", f"my/making/{name}", {"text": text, "version": 3}) == (404, "not_found")


def test_a_limit_that_denies_open_closes_ones_own_pages_too(ann: Session, boss: Session) -> None:
    name = made(ann, ENERGY)
    closed = {"name": "closed", "kind": "limit", "sentences": [{"pages": {"actions": ["open"], "on": ["shelf:work"]}}], "assigned": []}
    boss.ok("POST", "roles", {"role": closed})
    release(boss)
    boss.ok("POST", "roles/closed/assignments", {"add": [{"everyone": True}]})
    assert ann.error("GET", f"my/pages/{name}") == (404, "not_found")
    assert ann.error("GET", f"my/making/{name}") == (404, "not_found")
    assert ann.ok("GET", "my/pages") == {"shelves": [], "own": [], "create": []}


def test_tags_and_owner_are_set_by_a_duty_over_the_shelf_and_so_is_the_maker(ann: Session, as_user: Sessions, boss: Session) -> None:
    name = made(ann, ENERGY, publish=True)
    assert ann.error("PUT", f"my/making/{name}", {"text": {"label": "x", "tags": ["monthly"]}, "version": 3}) == (400, "invalid")
    given("keep", ["pages"], people("all", shelves=["work"]))
    given("other", ["pages"], people("all", shelves=["hushed"]))
    keep, other = as_user("keep"), as_user("other")
    assert (other.ok("GET", "readers-pages"), other.error("PUT", f"readers-pages/{name}", {"version": 3})) == ({"pages": []}, (404, "not_found"))
    kept = keep.ok("PUT", f"readers-pages/{name}", {"version": 3, "tags": ["monthly"], "owner": "ann"})
    assert (kept["tags"], kept["owner"], kept["version"]) == (["monthly"], "ann", 4)
    assert keep.error("PUT", f"readers-pages/{name}", {"version": 3, "published": False}) == (409, "stale")
    keep.ok("PUT", f"readers-pages/{name}", {"version": 4, "published": False})
    assert boss.error("GET", f"my/pages/{name}") == (404, "not_found")


def test_a_page_handed_over_says_only_what_exists_for_its_new_maker(ann: Session, boss: Session, as_user: Sessions) -> None:
    answer = boss.ok("GET", "roles")["roles"]
    role, version = next((item["role"], item["version"]) for item in answer if item["role"]["name"] == "all")
    sentences = [*role["sentences"], {"pages": {"actions": ["create", "edit"]}}]
    boss.ok("PUT", "roles/all", {"role": {**role, "assigned": [], "sentences": sentences}, "version": version})
    release(boss)
    name = made(boss, ENERGY, {**ENERGY, "title": "Marsh", "where": "site.area = 'marsh'"}, {**ENERGY, "title": "Rent", "measures": ["rent"]})
    boss.ok("PUT", f"readers-pages/{name}", {"version": 2, "maker": "ann"})
    assert [item["title"] for item in ann.ok("GET", f"my/making/{name}")["text"]["exhibits"]] == ["Energy"]
    assert "marsh" not in str(ann.ok("GET", f"my/making/{name}/versions"))


def test_saves_are_versioned_and_a_stale_one_is_refused_with_what_is_there(ann: Session) -> None:
    name = made(ann, ENERGY)
    assert ann.error("PUT", f"my/making/{name}", {"text": {"label": "Late"}, "version": 1}) == (409, "stale")
    versions = ann.ok("GET", f"my/making/{name}/versions")["versions"]
    assert [(item["version"], len(item["text"]["exhibits"])) for item in versions] == [(2, 1), (1, 0)]


def test_a_page_of_a_deleted_account_is_found_by_who_keeps_its_shelf(ann: Session, boss: Session) -> None:
    name = made(ann, ENERGY, publish=True)
    boss.ok("POST", "acts", {"delete_people": {"logins": ["ann"]}})
    (entry,) = boss.ok("GET", "readers-pages")["pages"]
    assert (entry["name"], entry["maker"]) == (name, None)
    assert boss.ok("GET", f"my/pages/{name}")["label"] == "Mine"
    boss.ok("DELETE", f"readers-pages/{name}?version={entry['version']}")
    assert not ReaderPage.objects.exists()


def test_a_two_way_table_closes_with_sums_that_are_questions_of_their_own(ann: Session, boss: Session) -> None:
    table = {"title": "T", "kind": "two_way", "by": ["site.area", "site.id"], "measures": ["energy"], "totals": True}
    name = made(ann, table, publish=True)
    (shown,) = boss.ok("GET", f"my/pages/{name}")["exhibits"]
    assert shown["totals"]["total"] == [1500.0]
    assert [(line["key"], line["values"]) for line in shown["totals"]["lines"] if line["depth"] == 1] == [
        (["fell"], [500.0]),
        (["marsh"], [200.0]),
        ([None], [800.0]),
    ]
    assert [[line["key"] for line in margin["lines"]] for margin in shown["margins"]] == [[[1], [2], [3], [None]]]
