"""Tables kept here: mistakes are pointed out, changes act at once with gain and loss, nothing is overwritten."""

from datetime import timedelta
from typing import Any

import pytest
from django.db.models import F
from django.utils import timezone

from moorland.server.catalog.models import KeptLine
from moorland.server.releases.models import Release, Workspace
from tests.server.conftest import Session, each
from tests.server.test_bringing_data import bring

LINES = "models/m/tables/scope"


@pytest.fixture
def kept(boss: Session) -> Session:
    """The administrator, with an entitlement table kept here and a released role that reads it."""
    key = bring(boss, "scope.csv", b"who,area,until\nann,fell,2030-12-31\nBOB,moor,\nxan,marsh,\n")
    columns = [
        {"position": 0, "name": "who", "type": "text"},
        {"position": 1, "name": "area", "type": "text"},
        {"position": 2, "name": "until", "type": "date"},
    ]
    table = {"upload": key, "reading": {"format": "csv"}, "name": "scope", "columns": columns}
    assert boss.call("POST", "imports", {"model": "m", "new_model": False, "tables": [table]})[1]["state"] == "done"
    sentence = {"entitlement": {"table": "site", "through": "scope", "person": "who", "person_is": "login", "match": {"area": "area"}}}
    boss.ok("POST", "roles", {"role": {"name": "listed", "kind": "grant", "model": "m", "sentences": [sentence]}})
    boss.ok("POST", "roles/listed/assignments", {"add": [{"user": "bob"}]})
    boss.ok("POST", "releases", {"hash": boss.ok("GET", "releases/pending")["hash"]})
    boss.ok("POST", f"{LINES}/kept")
    return boss


def lines(session: Session) -> dict[str, Any]:
    answer: dict[str, Any] = session.ok("GET", f"{LINES}/lines")
    return answer


def test_mistakes_in_lines_are_pointed_out(kept: Session) -> None:
    found = [[(fault["column"], fault["message"], fault["nearest"]) for fault in line["faults"]] for line in lines(kept)["lines"]]
    assert found == [
        [],
        [
            ("who", "Read as bob: letter case and spaces do not count for people.", "bob"),
            ("area", "moor is not in site.area; this line opens nothing there.", None),
        ],
        [("who", "xan names nobody.", "ann")],
    ]


def test_a_changed_line_acts_at_once_and_the_old_one_is_kept(kept: Session) -> None:
    now = lines(kept)
    line = now["lines"][1]
    asked = {"version": now["version"], "reason": "spelled", "change": [{"id": line["id"], "values": {**line["values"], "area": "fell"}}]}
    viewers = each(kept.ok("POST", f"{LINES}/lines?try=true", asked)["viewers"])
    assert [
        (viewer["login"], [(table["table"], table["gained"]) for table in viewer["tables"] if table["gained"]])
        for viewer in viewers
        if viewer["login"] == "bob"
    ] == [("bob", [("site", 2), ("run", 2)])]
    assert lines(kept)["version"] == now["version"]
    kept.ok("POST", f"{LINES}/lines", asked)
    rows = {"rows": {"model": "m", "table": "site", "columns": ["site.id"]}}
    seen = kept.ok("POST", "evaluate", {"state": "live", "viewers": ["bob"], "ask": [rows]})
    assert seen["viewers"][0]["answers"][0]["visible"] == 2
    history = kept.ok("GET", f"{LINES}/lines/history")["lines"]
    assert {item["values"]["area"]: item["ended_by"] for item in history if item["values"]["who"] == "BOB"} == {"fell": None, "moor": "boss"}
    assert [item["reason"] for item in history if item["values"]["area"] == "fell" and item["values"]["who"] == "BOB"] == ["spelled"]


def test_a_day_that_is_over_is_told_with_the_lines_of_its_end(kept: Session) -> None:
    def seen_by_bob(ago: int) -> int:
        as_of = (timezone.now() - timedelta(days=ago)).date().isoformat()
        rows = {"rows": {"model": "m", "table": "site", "columns": ["site.id"]}}
        seen = kept.ok("POST", "evaluate", {"state": "live", "as_of": as_of, "viewers": ["bob"], "ask": [rows]})
        count: int = seen["viewers"][0]["answers"][0]["visible"]
        return count

    long_ago = timezone.now() - timedelta(days=9)
    Workspace.objects.update(people_since=long_ago.date())
    Release.objects.update(created_at=long_ago)
    KeptLine.objects.update(added_at=long_ago)
    now = lines(kept)
    line = now["lines"][1]
    kept.ok("POST", f"{LINES}/lines", {"version": now["version"], "change": [{"id": line["id"], "values": {**line["values"], "area": "fell"}}]})
    assert (seen_by_bob(0), seen_by_bob(1), seen_by_bob(0)) == (2, 0, 2)
    KeptLine.objects.filter(ended_at=None).update(added_at=timezone.now() - timedelta(days=3))
    KeptLine.objects.exclude(ended_at=None).update(ended_at=timezone.now() - timedelta(days=3))
    Workspace.objects.update(data_version=F("data_version") + 1)
    assert [seen_by_bob(ago) for ago in (1, 3, 4)] == [2, 2, 0]


def test_a_stale_change_of_lines_is_refused(kept: Session) -> None:
    version = lines(kept)["version"]
    kept.ok("POST", f"{LINES}/lines", {"version": version, "add": [{"values": {"who": "bob", "area": "marsh"}}]})
    assert kept.error("POST", f"{LINES}/lines", {"version": version, "add": [{"values": {"who": "bob"}}]}) == (409, "stale")


def test_a_value_of_another_type_is_refused_with_its_place(kept: Session) -> None:
    status, answer = kept.call("POST", f"{LINES}/lines", {"version": 1, "add": [{"values": {"who": "bob", "until": "soon"}}]})
    assert (status, answer["error"]["problems"][0]["path"]) == (422, "add[0].until")
    assert KeptLine.objects.filter(ended_at=None).count() == 3


def test_typed_lines_are_looked_at_before_they_are_saved(kept: Session) -> None:
    found = kept.ok("POST", f"{LINES}/lines/check", {"lines": [{"who": "bob", "area": "Fell"}, {"who": None, "area": None}]})["faults"]
    assert [fault["message"] for fault in found[0]] == ["Fell is written fell in the data; this line opens nothing."]
    assert [fault["message"] for fault in found[1]] == ["Blank names nobody: this line opens nothing.", "Blank opens nothing."]


def test_a_table_kept_here_is_not_refreshed_from_a_file(kept: Session) -> None:
    assert kept.error("POST", f"{LINES}/refreshes", {"upload": "x", "reading": {"format": "csv"}}) == (422, "kept")


def test_a_table_kept_no_longer_keeps_what_it_holds(kept: Session) -> None:
    kept.ok("DELETE", f"{LINES}/kept")
    assert kept.ok("GET", LINES)["rows"] == 3
