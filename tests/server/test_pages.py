"""Pages written in the draft; a page narrowed, listed beneath and exported within the rules."""

import io
import zipfile
from collections.abc import Callable
from typing import Any

import pytest

from tests.server.conftest import Session

Sessions = Callable[[str | None], Session]
LOOK: dict[str, Any] = {"viewer": "ann"}


def saved(boss: Session, name: str = "output", **changes: Any) -> dict[str, Any]:
    """A page of the draft, saved with changes and released."""
    entry = next(item for shelf in boss.ok("GET", "pages")["shelves"] for item in shelf["pages"] if item["page"]["name"] == name)
    return boss.ok("PUT", f"pages/{name}", {"page": {**entry["page"], **changes}, "version": entry["version"]})


def steward_says(boss: Session, *sentences: dict[str, Any]) -> None:
    """Adds sentences to the role steward and releases."""
    entry = next(item for item in boss.ok("GET", "roles")["roles"] if item["role"]["name"] == "steward")
    role = {**entry["role"], "assigned": [], "sentences": [*entry["role"]["sentences"], *sentences]}
    boss.ok("PUT", "roles/steward", {"role": role, "version": entry["version"]})
    release(boss)


def release(boss: Session) -> None:
    boss.ok("POST", "releases", {"hash": boss.ok("GET", "releases/pending")["hash"], "note": ""})


def test_a_page_is_made_changed_and_deleted_in_the_draft(boss: Session) -> None:
    made = boss.ok("PUT", "pages/fresh", {"page": {"name": "fresh", "shelf": "work", "model": "m"}})
    exhibit = {"title": "Rent", "kind": "figure", "measures": ["rent"]}
    changed = boss.ok("PUT", "pages/fresh", {"page": {**made["page"], "exhibits": [exhibit]}, "version": made["version"]})
    assert (made["version"], changed["version"], changed["openers"]) == (1, 2, ["boss"])
    boss.ok("DELETE", "pages/fresh?version=2")
    assert boss.error("POST", "pages/fresh/look", LOOK) == (404, "not_found")


def test_a_stale_save_of_a_page_is_refused(boss: Session) -> None:
    saved(boss, about="first")
    entry = boss.ok("GET", "pages")["shelves"][0]["pages"][0]
    assert boss.error("PUT", "pages/output", {"page": entry["page"], "version": entry["version"] - 1}) == (409, "stale")


@pytest.mark.parametrize(
    ("exhibit", "words"),
    [
        ({"title": "E", "kind": "figure", "measures": ["energi"]}, "there is no measure energi"),
        ({"title": "E", "kind": "bar", "measures": ["energy"]}, "choose a column"),
        ({"title": "E", "kind": "bar", "measures": ["rent"], "by": ["run.kwh"]}, "site does not reach run"),
        ({"title": "E", "kind": "list", "table": "sites"}, "choose the table"),
        ({"title": "E", "kind": "figure", "measures": ["energy"], "where": "site.aera = 'fell'"}, "site.aera"),
        ({"title": "E", "kind": "figure"}, "choose at least one measure"),
    ],
)
def test_an_exhibit_that_cannot_be_shown_is_refused_in_a_sentence(boss: Session, exhibit: dict[str, Any], words: str) -> None:
    entry = boss.ok("GET", "pages")["shelves"][0]["pages"][0]
    status, answer = boss.call("PUT", "pages/output", {"page": {**entry["page"], "exhibits": [exhibit]}, "version": entry["version"]})
    assert status == 422
    assert words in " ".join(problem["message"] for problem in answer["error"]["problems"])


def test_what_a_role_names_is_not_deleted(boss: Session) -> None:
    status, answer = boss.call("DELETE", "pages/output?version=1")
    assert (status, answer["error"]["code"]) == (409, "in_use")
    assert "Steward" in answer["error"]["message"]


def test_a_shelf_is_made_renamed_and_deleted_when_empty(boss: Session) -> None:
    boss.ok("PUT", "shelves/extra", {"shelf": {"name": "extra"}})
    assert boss.ok("PUT", "shelves/extra", {"shelf": {"name": "extra", "label": "Extra"}, "version": 1})["version"] == 2
    assert [shelf["label"] for shelf in boss.ok("GET", "pages")["shelves"]] == ["Work", "Hushed", "Extra"]
    boss.ok("DELETE", "shelves/extra?version=2")
    assert boss.error("PUT", "shelves/work", {"shelf": {"name": "work"}}) == (422, "invalid")
    assert boss.error("DELETE", "shelves/hushed?version=1") == (409, "in_use")


def test_a_shelf_saved_meanwhile_is_not_overwritten(boss: Session) -> None:
    for label, status in (("First", 200), ("Second", 409)):
        assert boss.call("PUT", "shelves/work", {"shelf": {"name": "work", "label": label}, "version": 1})[0] == status
    assert boss.error("DELETE", "shelves/work?version=1") == (409, "stale")


def test_filters_offer_only_values_the_reader_sees_and_narrow_what_they_reach(boss: Session, as_user: Sessions) -> None:
    saved(boss, filters=["site.area", "site.rent"])
    release(boss)
    ann, body = as_user("ann"), {"filters": [{"column": "site.area", "values": ["marsh"]}]}
    assert [(item["column"], item["values"]) for item in ann.ok("GET", "my/pages/output")["filters"]] == [("site.area", ["fell"])]
    narrowed = as_user("boss").ok("POST", "my/pages/output", body)["exhibits"]
    assert narrowed[0]["totals"]["total"] == [200.0]
    assert [row[0] for row in narrowed[3]["rows"]["rows"]] == [2]
    assert ann.ok("POST", "my/pages/output", body)["exhibits"][0]["totals"]["total"] == [None]


def test_a_filter_on_a_hidden_column_answers_as_for_a_column_that_never_was(as_user: Sessions) -> None:
    ann = as_user("ann")
    hidden, unknown = (ann.call("POST", "my/pages/output", {"filters": [{"column": name, "values": [1]}]}) for name in ("site.rent", "site.rant"))
    assert hidden[0] == unknown[0] == 404
    assert hidden[1]["error"]["message"].replace("rent", "rant") == unknown[1]["error"]["message"]


def test_what_is_selected_in_an_exhibit_narrows_the_others_only(as_user: Sessions) -> None:
    selected = [{"column": "site.area", "values": ["marsh"], "from_exhibit": 2}]
    exhibits = as_user("boss").ok("POST", "my/pages/output", {"filters": selected})["exhibits"]
    assert exhibits[0]["totals"]["total"] == [200.0]
    assert [line["key"] for line in exhibits[2]["totals"]["lines"]] == [["fell"], ["marsh"]]


def test_rows_beneath_a_number_are_those_the_reader_may_list(as_user: Sessions) -> None:
    beneath = {"exhibit": 2, "key": ["fell"]}
    assert as_user("boss").ok("POST", "my/pages/output/beneath", beneath)["visible"] == 2
    answer = as_user("ann").ok("POST", "my/pages/output/beneath", {"exhibit": 0})
    assert (answer["visible"], answer["states"]) == (2, [])
    assert as_user("ann").error("POST", "my/pages/output/beneath", {"exhibit": 3}) == (404, "not_found")


def test_a_page_closes_up_over_what_a_reader_may_not_see_unless_it_keeps_its_place(boss: Session, as_user: Sessions) -> None:
    titles = [entry["exhibit"]["title"] for entry in as_user("ann").ok("GET", "my/pages/output")["exhibits"]]
    assert titles == ["Energy", "Both", "Sites"]
    filters = [{"column": "site.area", "values": ["fell"], "from_exhibit": 1}]
    narrowed = [entry["narrowed"] for entry in as_user("ann").ok("POST", "my/pages/output", {"filters": filters})["exhibits"]]
    assert narrowed == [["site.area"], [], ["site.area"]]
    entry = next(item for shelf in boss.ok("GET", "pages")["shelves"] for item in shelf["pages"] if item["page"]["name"] == "output")
    kept = [{**exhibit, "absent": "keep"} for exhibit in entry["page"]["exhibits"]]
    boss.ok("PUT", "pages/output", {"page": {**entry["page"], "exhibits": kept}, "version": entry["version"]})
    boss.ok("POST", "releases", {"hash": boss.ok("GET", "releases/pending")["hash"]})
    exhibits = as_user("ann").ok("GET", "my/pages/output")["exhibits"]
    assert [entry["exhibit"]["title"] for entry in exhibits] == ["Energy", "Not available", "Both", "Sites"]
    assert exhibits[1]["reason"] is None


def test_rows_not_listed_are_not_beneath_either(boss: Session, as_user: Sessions) -> None:
    steward_says(boss, {"beneath": {"tables": ["run"], "rows": False}})
    assert as_user("ann").ok("POST", "my/pages/output/beneath", {"exhibit": 0})["rows"] == []


def test_a_page_is_exported_only_where_a_role_says_so(boss: Session, as_user: Sessions) -> None:
    ask = {"exhibit": 0, "format": "csv"}
    assert as_user("ann").error("POST", "my/pages/output/export", ask) == (403, "not_allowed")
    steward_says(boss, {"pages": {"actions": ["export"], "on": ["page:output"]}})
    assert file_of(as_user("ann"), ask) == b"\xef\xbb\xbfenergy\n500.0\n"


def test_rows_are_exported_only_where_the_role_lets_rows_be_exported(boss: Session, as_user: Sessions) -> None:
    ask = {"exhibit": 2, "format": "csv"}
    steward_says(boss, {"pages": {"actions": ["export"], "on": ["page:output"]}})
    assert as_user("ann").error("POST", "my/pages/output/export", ask) == (403, "not_allowed")
    steward_says(boss, {"beneath": {"tables": ["site"], "export": True}})
    assert file_of(as_user("ann"), ask) == b"\xef\xbb\xbfsite.id,site.area\n1,fell\n3,fell\n"


def test_an_exported_workbook_holds_texts_as_texts(boss: Session, as_user: Sessions) -> None:
    steward_says(boss, {"pages": {"actions": ["export"], "on": ["page:output"]}}, {"beneath": {"tables": ["site"], "export": True}})
    book = zipfile.ZipFile(io.BytesIO(file_of(as_user("ann"), {"exhibit": 2, "format": "xlsx"})))
    assert b"<f>" not in book.read("xl/worksheets/sheet1.xml")


def test_an_export_is_in_the_trail(boss: Session, as_user: Sessions) -> None:
    steward_says(boss, {"pages": {"actions": ["export"], "on": ["page:output"]}})
    file_of(as_user("ann"), {"exhibit": 0, "format": "csv"})
    entry = next(item for item in boss.ok("GET", "trail")["entries"] if item["action"] == "export")
    assert (entry["actor"], entry["subject"], entry["details"]["rows"]) == ("ann", "page output", 1)


def file_of(session: Session, ask: dict[str, Any]) -> bytes:
    response = session.client.post("/api/my/pages/output/export", ask, content_type="application/json")
    assert response.status_code == 200, response.content
    return bytes(response.content)


def test_an_unavailable_exhibit_says_why_to_administrators_only(boss: Session, as_user: Sessions) -> None:
    told = boss.ok("POST", "pages/output/look", LOOK)["page"]["exhibits"][1]
    assert told["reason"] == "Absent for this viewer: rent."
    assert as_user("ann").ok("GET", "my/pages/output")["exhibits"][1]["reason"] is None


def test_a_page_whose_model_is_hidden_says_so_to_administrators(boss: Session) -> None:
    role = {"name": "opener", "kind": "grant", "sentences": [{"pages": {"actions": ["open"]}}]}
    viewer = {"imagine": {"only_roles": ["opener"]}}
    told = boss.ok("POST", "pages/output/look", {"viewer": viewer, "edited": [role]})["page"]["exhibits"]
    assert {entry["reason"] for entry in told} == {"No grant role on The model is held: the model does not exist for this viewer."}


@pytest.mark.parametrize(
    ("by", "expected"),
    [("people", {"ann": ["output"], "bob": [], "boss": ["output", "secret"], "off": []}), ("groups", {"stewards": ["output"], "others": []})],
)
def test_the_grid_tells_who_opens_which_page(boss: Session, by: str, expected: dict[str, list[str]]) -> None:
    assert {line["name"]: line["after"] for line in boss.ok("POST", "grid", {"by": by})["lines"]} == expected


def test_the_grid_shows_an_unsaved_edit_before_and_after(boss: Session) -> None:
    role = {"name": "steward", "kind": "grant", "model": "m", "sentences": [{"pages": {"actions": ["open"], "on": ["page:secret"]}}]}
    answer = boss.ok("POST", "grid", {"edited": [role], "changed_only": True})
    assert answer["changed"] == 1
    assert answer["lines"] == [{"name": "ann", "label": "Ann", "before": ["output"], "after": ["secret"]}]


def test_an_exhibit_being_written_is_shown_with_its_data(boss: Session) -> None:
    exhibit = {"title": "E", "kind": "bar", "by": ["site.id"], "measures": ["energy"], "colour": "site.area"}
    answer = boss.ok("POST", "exhibits", {"model": "m", "exhibit": exhibit, "viewers": ["ann"]})["answers"][0]
    assert answer["totals"]["by"] == ["site.id", "site.area"]
    assert [line["key"] for line in answer["totals"]["lines"]] == [[1, "fell"], [3, "fell"]]
