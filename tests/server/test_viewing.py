"""What administrators see of others, and what viewers see of themselves."""

from collections.abc import Callable
from typing import Any

import pytest

from moorland.server.evaluating import evaluator
from moorland.server.trail.models import Entry
from moorland.server.viewing import role_use
from moorland.server.viewing.models import RoleUse
from tests.server.conftest import Session, steward, with_where

TOTALS = {"totals": {"model": "m", "by": ["site.area"], "measures": ["energy"]}}


def effect(boss: Session, role: dict[str, Any], *viewers: Any) -> dict[str, Any]:
    body = {"model": "m", "viewers": list(viewers), "edited": [role], "rows": {"model": "m", "table": "site", "columns": ["id"], "order": ["id"]}}
    found: dict[str, Any] = boss.ok("POST", "effect", body)
    return found


def visible(side: dict[str, Any], viewer: int = 0) -> dict[str, int | None]:
    return {table["table"]: table["visible"] for table in side["shares"][viewer]["tables"]}


def test_the_effect_of_an_unsaved_edit_is_told_before_and_after(boss: Session) -> None:
    found = effect(boss, with_where(steward(boss)[0], "area = 'marsh'"), "ann", {"login": "ann", "only_roles": ["steward"]})
    assert visible(found["before"]) == {"site": 2, "run": 2}
    assert visible(found["after"]) == visible(found["after"], 1) == {"site": 1, "run": 1}
    assert [row["states"][0] for row in found["before"]["rows"]["rows"]] == [["clear"], None, ["clear"]]
    assert [row["states"][0] for row in found["after"]["rows"]["rows"]] == [None, ["clear"], None]
    assert found["held_by"] == [True, True]


def test_the_effect_of_an_edit_that_does_not_check_out_names_the_place(boss: Session) -> None:
    found = effect(boss, with_where(steward(boss)[0], "aera = 'marsh'"), "ann")
    assert (found["after"], found["problems"][0]["path"]) == (None, "sentences[0].rows.where")
    assert visible(found["before"]) == {"site": 2, "run": 2}


def test_a_new_role_can_be_tried_alone_before_it_is_saved(boss: Session) -> None:
    role = {"name": "fresh", "kind": "grant", "model": "m", "sentences": [{"rows": {"table": "site", "where": "id = 1"}}]}
    found = effect(boss, role, {"login": "bob", "only_roles": ["fresh"]})
    assert found["before"]["shares"][0]["refused"]["code"] == "not_found"
    assert visible(found["after"]) == {"site": 1, "run": 1}


@pytest.mark.parametrize(("viewer", "words"), [("bob", "holds no role"), ("off", "is disabled"), ("nobody", "no user nobody")])
def test_the_effect_says_why_a_viewer_sees_nothing(boss: Session, viewer: str, words: str) -> None:
    assert words in effect(boss, steward(boss)[0], viewer)["after"]["shares"][0]["refused"]["message"]


def test_viewers_are_set_beside_all_the_data_and_what_nobody_sees(boss: Session) -> None:
    answer = boss.ok("POST", "evaluate", {"viewers": [{"all_data": True}, "ann"], "ask": [TOTALS], "unseen": True})
    found = [[(line["key"], line["values"]) for line in entry["answers"][0]["lines"]] for entry in answer["viewers"]]
    assert found == [[(["fell"], [500.0]), (["marsh"], [200.0]), ([None], [800.0])], [(["fell"], [500.0])]]
    assert [line["values"] for line in answer["unseen"][0]["lines"]] == [[200.0], [800.0]]


def test_an_unknown_viewer_is_a_sentence(boss: Session) -> None:
    status, answer = boss.call("POST", "evaluate", {"viewers": ["anne"], "ask": [TOTALS]})
    assert (status, answer["error"]["problems"][0]["nearest"]) == (422, "ann")


def test_every_look_is_in_the_trail_once_for_a_stretch_of_work(boss: Session) -> None:
    for _ in range(3):
        boss.ok("POST", "evaluate", {"viewers": ["ann", "bob"], "ask": [TOTALS]})
    looks = Entry.objects.filter(action="look", subject="totals of energy")
    assert [sorted(entry.details["viewers"]) for entry in looks] == [["ann", "bob"]]


def test_values_of_a_column_come_with_their_rows(boss: Session) -> None:
    found = boss.ok("GET", "models/m/values/site/area")
    assert (found["distinct"], found["values"]) == (2, [{"value": "fell", "rows": 2}, {"value": "marsh", "rows": 1}])
    assert boss.ok("GET", "models/m/values/site/area?search=MAR")["values"] == [{"value": "marsh", "rows": 1}]
    assert boss.error("GET", "models/m/values/site/nothing") == (404, "not_found")


@pytest.mark.parametrize(
    ("body", "valid", "nearest"),
    [
        ({"model": "m", "table": "site", "where": "area = 'x'", "kind": "rows"}, True, None),
        ({"model": "m", "table": "site", "where": "aera = 'x'", "kind": "rows"}, False, "area"),
        ({"where": "'x' IN page.tags", "kind": "pages"}, True, None),
        ({"where": "page.tag = 'x'", "kind": "pages"}, False, "page.tags"),
        ({"where": "viewer.roles = 'x'", "kind": "assignment"}, False, "viewer.areas"),
        ({"model": "m", "where": "site.area = 'x' AND run.kwh > 1", "kind": "question"}, True, None),
    ],
)
def test_conditions_are_checked_as_they_are_typed(boss: Session, body: dict[str, Any], valid: bool, nearest: str | None) -> None:
    found = boss.ok("POST", "check", body)
    assert (found["valid"], (found["problem"] or {}).get("nearest")) == (valid, nearest)


def test_a_page_is_shown_to_the_administrator_as_another_viewer_sees_it(boss: Session) -> None:
    look = boss.ok("POST", "pages/output/look", {"viewer": "ann"})
    exhibits = look["page"]["exhibits"]
    assert exhibits[0]["totals"]["total"] == [500.0]
    assert (exhibits[1]["exhibit"]["title"], exhibits[1]["totals"]) == ("What the rent is", None)
    assert exhibits[3]["rows"]["rows"] == [[1, "fell"], [3, "fell"]]


@pytest.mark.parametrize(("viewer", "words"), [("bob", "holds no role"), ("off", "disabled")])
def test_a_page_that_cannot_be_opened_says_why_to_the_administrator(boss: Session, viewer: str, words: str) -> None:
    look = boss.ok("POST", "pages/output/look", {"viewer": viewer})
    assert (look["can_open"], look["page"]) == (False, None)
    assert words in look["reason"]


def test_the_list_of_pages_tells_who_may_open_them(boss: Session) -> None:
    shelves = boss.ok("GET", "pages")["shelves"]
    assert [(entry["page"]["name"], entry["openers"]) for shelf in shelves for entry in shelf["pages"]] == [("output", ["ann", "boss"]), ("secret", ["boss"])]


def test_a_viewer_gets_their_own_pages_only(as_user: Callable[[str | None], Session]) -> None:
    assert as_user("ann").ok("GET", "my/pages")["shelves"] == [{"name": "work", "label": "Work", "pages": [{"name": "output", "label": "Output", "by": None}]}]
    assert as_user("bob").ok("GET", "my/pages") == {"shelves": [], "own": [], "create": []}


def test_a_page_that_is_closed_is_refused_in_the_words_of_one_that_never_was(as_user: Callable[[str | None], Session]) -> None:
    ann = as_user("ann")
    messages = [ann.call("GET", f"my/pages/{name}")[1]["error"]["message"].replace(name, "…") for name in ("secret", "nothing")]
    assert messages[0] == messages[1]


def test_nothing_about_what_is_withheld_reaches_a_viewer(as_user: Callable[[str | None], Session]) -> None:
    ann = as_user("ann")
    page = ann.ok("GET", "my/pages/output")
    answers = ann.ok("POST", "my/answers", {"ask": [{"rows": {"model": "m", "table": "site", "columns": ["site.id"]}}, {"objects": {"model": "m"}}]})
    told = str(page) + str(answers) + str(ann.ok("GET", "my/pages"))
    assert [word for word in ("rent", "marsh", "nowhere", "Secret", "Hushed", "clear", "hidden", "200", "800") if word in told] == []
    assert [entry["exhibit"]["title"] for entry in page["exhibits"]] == ["Energy", "Both", "Sites"]
    assert page["exhibits"][1]["totals"]["measures"] == ["energy"]


def test_a_viewer_sees_the_live_release_and_not_the_draft(as_user: Callable[[str | None], Session], boss: Session) -> None:
    role, version = steward(boss)
    boss.ok("PUT", "roles/steward", {"role": with_where(role, "TRUE"), "version": version})
    ann = as_user("ann")
    figure = ann.ok("GET", "my/pages/output")["exhibits"][0]["totals"]["total"]
    boss.ok("POST", "releases", {"hash": boss.ok("GET", "releases/pending")["hash"]})
    assert (figure, ann.ok("GET", "my/pages/output")["exhibits"][0]["totals"]["total"]) == ([500.0], [700.0])


def test_a_filter_that_reads_the_viewer_is_unknown_for_all_the_data(boss: Session) -> None:
    asked = {"totals": {**TOTALS["totals"], "where": "site.area IN viewer.areas"}}
    answer = boss.ok("POST", "evaluate", {"viewers": [{"all_data": True}, "ann"], "ask": [asked], "unseen": True})
    assert [entry["answers"][0]["total"] for entry in answer["viewers"]] == [[None], [500.0]]
    assert answer["unseen"][0]["total"] == [None]
    assert boss.ok("POST", "rows", {"viewers": ["ann"], "rows": {"model": "m", "table": "site", "where": "area IN viewer.areas"}})["matching"] == 0


def test_when_a_role_last_opened_something_is_noted_once_a_day_and_told_to_who_keeps_checks(boss: Session, as_user: Callable[[str | None], Session]) -> None:
    """accounts.md 15"""

    def told() -> dict[str, str | None]:
        return {role["name"]: role["last_used"] for role in boss.ok("GET", "people/ann")["roles"]}

    assert told() == {"steward": None}
    ann = as_user("ann")
    ann.ok("POST", "my/answers", {"ask": [{"rows": {"model": "m", "table": "site", "where": "site.area = 'fell'"}}]})
    assert told() == {"steward": evaluator("live").as_of.isoformat()}
    RoleUse.objects.all().delete()
    role_use._noted.clear()
    ann.ok("GET", "my/pages/output")
    assert told()["steward"] is not None


def test_a_program_is_told_what_exists_for_whom_it_asks_and_values_they_are_shown(as_user: Callable[[str | None], Session]) -> None:
    (model,) = as_user("ann").ok("GET", "my/vocabulary")["models"]
    site = next(table for table in model["tables"] if table["name"] == "site")
    assert [(column["name"], column["samples"]) for column in site["columns"]] == [("id", [1, 3]), ("area", ["fell"])]
    assert [measure["name"] for measure in model["measures"]] == ["energy"]
    assert "marsh" not in str(model) and "rent" not in str(model).replace("current", "")
