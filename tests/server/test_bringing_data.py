"""Files become tables of a model, whole or not at all; refreshes wait until they are accepted."""

import io
from collections.abc import Callable
from typing import Any

import openpyxl
import pyarrow as pa
import pyarrow.parquet
import pytest

from moorland.server.catalog.models import ColumnChunk, Model, TableContent, Upload
from moorland.server.catalog.storage import ContentWriter
from moorland.server.serving import after_a_stop
from moorland.server.tasks import running
from moorland.server.tasks.models import Task
from tests.server.conftest import Session
from tests.server.test_pages import release

SITES = b"Site ID;Area;Opened;Keeper mail\n1;fell;31.03.2021;a@whinfell.example\n2;marsh;01.04.2021;b@whinfell.example\n3;fell;02.05.2021;c@whinfell.example\n"
RUNS = b"site,kwh\n1,100\n1,50\n2,200\n9,n/a\n"


def bring(session: Session, name: str, content: bytes) -> str:
    response = session.client.post(f"/api/uploads?name={name}", content, content_type="application/octet-stream")
    assert response.status_code == 201, response.content
    return str(response.json()["id"])


def source(session: Session, name: str, content: bytes, **reading: Any) -> dict[str, Any]:
    key = bring(session, name, content)
    grid = session.ok("POST", f"uploads/{key}/grid", {})
    assert grid["refused"] is None, grid
    return {"upload": key, "reading": {**grid["reading"], **reading}}


def proposed(session: Session, sources: list[dict[str, Any]], model: str | None = None) -> dict[str, Any]:
    answer: dict[str, Any] = session.ok("POST", "proposals", {"model": model, "sources": sources})
    return answer


def confirmed(sources: list[dict[str, Any]], proposal: dict[str, Any], **more: Any) -> dict[str, Any]:
    kept = ("position", "name", "type", "spelling", "blanks")
    tables = [
        {**place, "name": table["name"], "key": table["key"], "columns": [{key: column[key] for key in kept} for column in table["columns"]]}
        for place, table in zip(sources, proposal["tables"], strict=True)
    ]
    relationships = [{"from": item["from"], "to": item["to"]} for item in proposal["relationships"] if item["chosen"]]
    return {"model": "brought", "new_model": True, "tables": tables, "relationships": relationships, **more}


def imported(session: Session) -> None:
    sources = [source(session, "site.csv", SITES), source(session, "run.csv", RUNS)]
    status, task = session.call("POST", "imports", confirmed(sources, proposed(session, sources)))
    assert (status, task["state"]) == (202, "done"), task


def test_types_keys_relationships_and_sensitive_columns_are_proposed(boss: Session) -> None:
    sources = [source(boss, "site.csv", SITES), source(boss, "run.csv", RUNS)]
    proposal = proposed(boss, sources)
    site, run = proposal["tables"]
    assert [(column["name"], column["type"]) for column in site["columns"]] == [
        ("site_id", "integer"),
        ("area", "text"),
        ("opened", "date"),
        ("keeper_mail", "text"),
    ]
    assert (site["key"], run["key"]) == ("site_id", None)
    assert [column["name"] for column in site["columns"] if column["sensitive"]] == ["keeper_mail"]
    assert run["columns"][1]["blanks"] == ["n/a"]
    assert [(item["from"], item["to"], item["values_found"], item["chosen"]) for item in proposal["relationships"]] == [("run.site", "site.site_id", 2, False)]


def test_confirmed_tables_become_a_model_with_its_data(boss: Session) -> None:
    sources = [source(boss, "site.csv", SITES), source(boss, "run.csv", RUNS)]
    asked = confirmed(sources, proposed(boss, sources), relationships=[{"from": "run.site", "to": "site.site_id"}])
    assert boss.call("POST", "imports", asked)[1]["state"] == "done"
    model = boss.ok("GET", "models/brought")
    assert model["rows"] == {"site": 3, "run": 4}
    profile = boss.ok("GET", "models/brought/tables/run")
    assert [(item["matched"], item["unmatched"], item["samples"][0]["label"]) for item in profile["relationships"]] == [(3, 1, "9")]
    kwh = next(column for column in profile["columns"] if column["name"] == "kwh")
    assert (kwh["distinct"], kwh["blank"]) == (3, 1)


def test_an_import_that_fails_leaves_nothing(boss: Session) -> None:
    sources = [source(boss, "site.csv", SITES), source(boss, "run.csv", RUNS)]
    asked = confirmed(sources, proposed(boss, sources))
    asked["tables"][1]["columns"][1]["blanks"] = []
    before = TableContent.objects.count(), ColumnChunk.objects.count()
    _, task = boss.call("POST", "imports", asked)
    assert task["state"] == "failed"
    assert "'n/a' is not of type integer. Read this word as blank, or mend the file." in task["problems"][0]["message"]
    assert task["problems"][0]["path"] == "run.csv, row 5, column B (kwh)"
    assert not Model.objects.filter(name="brought").exists()
    assert (TableContent.objects.count(), ColumnChunk.objects.count()) == before


def test_a_cancelled_import_leaves_nothing(boss: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    def cancelled(self: running.Progress, step: str, done: int, total: int) -> None:
        if done:
            raise running.Cancelled

    monkeypatch.setattr(running.Progress, "told", cancelled)
    sources = [source(boss, "site.csv", SITES)]
    before = ColumnChunk.objects.count()
    assert boss.call("POST", "imports", confirmed(sources, proposed(boss, sources)))[1]["state"] == "cancelled"
    assert ColumnChunk.objects.count() == before
    assert not Model.objects.filter(name="brought").exists()


def test_what_a_stopped_server_left_half_done_is_taken_back(boss: Session) -> None:
    ContentWriter("m", "site", "id", "half.csv").add(pa.table({"id": [1, 2]}))
    task = Task.objects.create(kind="import", subject="m", state="running")
    assert TableContent.objects.filter(state="arriving").exists()
    after_a_stop()
    assert not TableContent.objects.filter(state="arriving").exists()
    assert boss.ok("GET", f"tasks/{task.pk}")["state"] == "interrupted"
    assert boss.ok("GET", "models/m/tables/site")["rows"] == 3


def test_a_key_that_stands_twice_is_named(boss: Session) -> None:
    sources = [source(boss, "site.csv", SITES + b"3;fell;02.05.2021;d@whinfell.example\n")]
    asked = confirmed(sources, proposed(boss, sources))
    asked["tables"][0]["key"] = "site_id"
    _, task = boss.call("POST", "imports", asked)
    assert task["state"] == "failed"
    assert "site_id = 3 stands 2 times" in task["problems"][0]["message"]


def test_a_sheet_is_read_below_merged_titles(boss: Session) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.append(["Sites of 2026"])
    sheet.merge_cells("A1:C1")
    sheet.append([])
    sheet.append(["code", "area", "area"])
    sheet.append(["a1", "fell", 3])
    sheet.append(["a2", "marsh", 4.5])
    sink = io.BytesIO()
    book.save(sink)
    key = bring(boss, "sites.xlsx", sink.getvalue())
    grid = boss.ok("POST", f"uploads/{key}/grid", {})
    assert grid["refused"] is None
    assert (grid["reading"]["header_row"], grid["sheets"]) == (3, ["Sheet"])
    assert "stands in columns B, C" in grid["problems"][0]["message"]
    table = proposed(boss, [{"upload": key, "reading": grid["reading"]}])["tables"][0]
    assert [(column["name"], column["type"]) for column in table["columns"]] == [("code", "text"), ("area", "text"), ("area_2", "number")]


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("a.csv", b"a,b\n1,Z\xfcrich\n", "row 2, character 4 is not UTF-8"),
        ("a.pdf", b"%PDF-1.7 nothing", "a PDF document"),
        ("a.xlsx", b"PK\x03\x04broken", "not readable as a workbook"),
        ("a.parquet", b"PAR1broken", "not readable as Parquet"),
        ("a.bin", b"\x00\x01\x02\x03", "neither text nor a workbook"),
        ("a.xls", b"\xd0\xcf\x11\xe0old", "old binary kind"),
    ],
)
def test_a_file_that_cannot_be_read_says_why_and_where(boss: Session, name: str, content: bytes, says: str) -> None:
    key = bring(boss, name, content)
    assert says in boss.ok("POST", f"uploads/{key}/grid", {})["refused"]["message"]


def test_a_row_of_another_width_is_named(boss: Session) -> None:
    sources = [source(boss, "a.csv", b"a,b\n1,2\n3\n4,5\n")]
    status, error = boss.call("POST", "proposals", {"sources": sources})
    assert (status, "row 3 has 1 cell, the header has 2" in error["error"]["message"]) == (422, True)


def test_a_file_with_a_path_for_a_name_stays_in_its_folder(boss: Session) -> None:
    key = bring(boss, "../../etc/passwd.csv", b"a\n1\n")
    assert Upload.objects.get(pk=key).name == "passwd.csv"
    assert Upload.objects.get(pk=key).path.parent.name == "uploads"


def test_an_empty_file_is_refused_at_once(boss: Session) -> None:
    response = boss.client.post("/api/uploads?name=a.csv", b"", content_type="application/octet-stream")
    assert (response.status_code, response.json()["error"]["code"]) == (422, "empty")


def test_a_refresh_waits_and_tells_what_it_changes(boss: Session) -> None:
    new = source(boss, "site.csv", b"id,area,rent,coast\n1,fell,10,west\n2,moor,20,east\n4,fell,5,west\n")
    assert boss.call("POST", "models/m/tables/site/refreshes", new)[1]["state"] == "done"
    (waiting,) = boss.ok("GET", "models/m/refreshes")["refreshes"]
    report = waiting["report"]
    assert (report["rows_before"], report["rows_after"]) == (3, 3)
    assert (report["keys"]["lost"], report["keys"]["new"]) == (1, 1)
    assert [(column["column"], column["vanished"]["samples"], column["new"]["samples"]) for column in report["columns"] if column["column"] == "area"] == [
        ("area", ["marsh"], ["moor"])
    ]
    assert [column["name"] for column in report["new_columns"]] == ["coast"]
    assert [(item["before"]["unmatched"], item["after"]["unmatched"]) for item in report["relationships"]] == [(1, 2)]
    assert [(viewer["login"], [(table["table"], table["gained"], table["lost"]) for table in viewer["tables"]]) for viewer in report["viewers"]] == [
        ("ann", [("site", 1, 1), ("run", 0, 1)]),
        ("boss", [("site", 1, 1)]),
    ]
    assert boss.ok("GET", "models/m/tables/site")["rows"] == 3
    assert "coast" not in [column["name"] for column in boss.ok("GET", "models/m/tables/site")["columns"]]


def test_an_accepted_refresh_answers_at_once_and_quarantines_new_columns(boss: Session) -> None:
    new = source(boss, "site.csv", b"id,area,rent,coast\n1,fell,10,west\n2,marsh,20,east\n4,fell,5,west\n")
    boss.call("POST", "models/m/tables/site/refreshes", new)
    (waiting,) = boss.ok("GET", "models/m/refreshes")["refreshes"]
    boss.ok("POST", f"refreshes/{waiting['id']}")
    assert boss.error("POST", f"refreshes/{waiting['id']}") == (404, "not_found")
    columns = boss.ok("GET", "models/m")["document"]["tables"][0]["columns"]
    assert [(column["name"], column["quarantine"]) for column in columns][-1] == ("coast", True)
    rows = boss.ok("POST", "evaluate", {"viewers": ["ann"], "ask": [{"rows": {"model": "m", "table": "site", "columns": ["site.id"], "order": ["site.id"]}}]})
    assert rows["viewers"][0]["answers"][0]["rows"] == [[1], [4]]


def test_a_refresh_that_would_do_something_else_now_is_looked_at_again(boss: Session) -> None:
    boss.call("POST", "models/m/tables/site/refreshes", source(boss, "site.csv", b"id,area,rent\n1,fell,10\n2,marsh,20\n"))
    (waiting,) = boss.ok("GET", "models/m/refreshes")["refreshes"]
    boss.ok("POST", "acts", {"change_people": {"logins": ["bob"], "join": ["stewards"], "attributes": {"areas": ["fell"]}}})
    assert boss.error("POST", f"refreshes/{waiting['id']}") == (409, "stale")
    (again,) = boss.ok("GET", "models/m/refreshes")["refreshes"]
    assert [viewer["login"] for viewer in again["report"]["viewers"]] == ["ann", "bob", "boss"]
    boss.ok("POST", f"refreshes/{waiting['id']}")
    assert boss.ok("GET", "models/m/tables/site")["rows"] == 2


def test_a_dropped_refresh_changes_nothing(boss: Session) -> None:
    before = boss.ok("GET", "models/m/tables/site")["content"]
    boss.call("POST", "models/m/tables/site/refreshes", source(boss, "site.csv", b"id,area,rent\n1,fell,1\n"))
    (waiting,) = boss.ok("GET", "models/m/refreshes")["refreshes"]
    boss.ok("DELETE", f"refreshes/{waiting['id']}")
    assert boss.ok("GET", "models/m/refreshes")["refreshes"] == []
    assert boss.ok("GET", "models/m/tables/site")["content"] == before


def test_a_refresh_without_the_key_is_refused(boss: Session) -> None:
    _, task = boss.call("POST", "models/m/tables/site/refreshes", source(boss, "site.csv", b"area,rent\nfell,1\n"))
    assert (task["state"], "the key id is missing" in task["problems"][0]["message"]) == ("failed", True)


def test_parquet_comes_in_with_its_own_types(boss: Session) -> None:
    sink = io.BytesIO()
    pa.parquet.write_table(pa.table({"id": [1, 2], "word": ["a", None], "flag": [True, False]}), sink)
    sources = [source(boss, "t.parquet", sink.getvalue())]
    assert boss.call("POST", "imports", confirmed(sources, proposed(boss, sources)))[1]["state"] == "done"
    assert [column["type"] for column in boss.ok("GET", "models/brought")["document"]["tables"][0]["columns"]] == ["integer", "text", "boolean"]


def test_tables_join_a_model_that_is_there(boss: Session) -> None:
    sources = [source(boss, "visit.csv", b"visit,site_id\n1,1\n2,3\n")]
    proposal = proposed(boss, sources, "m")
    assert [(item["from"], item["to"]) for item in proposal["relationships"] if item["chosen"]] == [("visit.site_id", "site.id")]
    assert boss.call("POST", "imports", confirmed(sources, proposal, model="m", new_model=False, quarantine=True))[1]["state"] == "done"
    tables = boss.ok("GET", "models/m")["document"]["tables"]
    assert [(table["name"], table["quarantine"]) for table in tables] == [("site", False), ("run", False), ("visit", True)]


def test_a_measure_is_tried_before_it_is_saved(boss: Session) -> None:
    good = boss.ok("POST", "models/m/try", {"table": "run", "expression": "SUM(kwh) / COUNT(*)", "kind": "measure"})
    assert (good["value"], good["inputs"], good["problem"]) == (375.0, ["run.kwh"], None)
    bad = boss.ok("POST", "models/m/try", {"table": "run", "expression": "SUM(kw)", "kind": "measure"})
    assert (bad["problem"]["start"], bad["problem"]["nearest"]) == (4, "kwh")


def test_a_derived_column_is_tried_before_it_is_saved(boss: Session) -> None:
    found = boss.ok("POST", "models/m/try", {"table": "site", "expression": "UPPER(area)", "kind": "column"})
    assert (found["type"], found["samples"], found["inputs"]) == ("text", ["FELL", "MARSH", "FELL"], ["site.area"])


def test_a_model_that_would_break_a_page_is_not_saved(boss: Session) -> None:
    model = boss.ok("GET", "models/m")
    document = {**model["document"], "measures": model["document"]["measures"][1:]}
    status, error = boss.call("PUT", "models/m/draft", {"document": document, "version": model["version"]})
    assert (status, error["error"]["code"]) == (422, "invalid")
    assert any("energy" in problem["message"] for problem in error["error"]["problems"])
    assert boss.ok("GET", "models/m")["version"] == model["version"]


def test_a_stale_model_is_refused_with_what_is_there(boss: Session) -> None:
    model = boss.ok("GET", "models/m")
    labelled = {**model["document"], "label": "One"}
    assert boss.ok("PUT", "models/m/draft", {"document": labelled, "version": model["version"]})["version"] == model["version"] + 1
    status, error = boss.call("PUT", "models/m/draft", {"document": labelled, "version": model["version"]})
    assert (status, error["error"]["current"]["document"]["label"]) == (409, "One")


def test_a_profile_names_the_sentences_that_touch_a_column(boss: Session) -> None:
    profile = boss.ok("GET", "models/m/tables/site")
    assert {(touch["role"], touch["object"]) for touch in profile["touches"]} == {
        ("steward", "table:site"),
        ("steward", "column:site.area"),
        ("steward", "column:site.rent"),
    }
    assert profile["dependents"]["rent"] == ["measure rent"]


def test_nobody_else_may_bring_a_file(as_user: Callable[[str | None], Session]) -> None:
    response = as_user("ann").client.post("/api/uploads?name=a.csv", b"a\n1\n", content_type="application/octet-stream")
    assert response.status_code == 403
    assert Upload.objects.count() == 0


def test_members_that_came_since_the_release_are_told_until_the_next(boss: Session) -> None:
    document = boss.ok("GET", "models/m")["document"]
    boss.ok("PUT", "models/m/draft", {"document": document | {"hierarchies": [{"name": "places", "table": "site", "levels": ["area"]}]}, "version": 1})
    release(boss)
    boss.call("POST", "models/m/tables/site/refreshes", source(boss, "site.csv", b"id,area,rent\n1,fell,10\n2,marsh,20\n3,coast,30\n4,dale,1\n"))
    (waiting,) = boss.ok("GET", "models/m/refreshes")["refreshes"]
    boss.ok("POST", f"refreshes/{waiting['id']}")
    (told,) = boss.ok("GET", "overview")["new_members"]
    assert (told["hierarchies"], told["values"]) == (["places"], 2)
    boss.ok("PUT", "models/m/draft", {"document": boss.ok("GET", "models/m")["document"] | {"about": "sites"}, "version": 2})
    release(boss)
    assert boss.ok("GET", "overview")["new_members"] == []
