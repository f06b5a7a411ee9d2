"""Sources whose settings depend on who asks: tried for somebody and for everyone, and never another's (sources.md 17.2, 17.3)."""

import sqlite3
from pathlib import Path
from typing import Any

import pytest

from moorland.server.directory.models import AttributeDefinition
from moorland.server.trail.models import Entry
from tests.server.conftest import Session
from tests.server.duties import Sessions
from tests.server.test_pages import release

SOURCE = {"name": "yards", "kind": "sqlite", "file": "yard_{viewer.yard}.sqlite", "minutes": 0}


@pytest.fixture
def yards(boss: Session, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A database for each of two yards, with other runs; Ann and Boss are of one each, Bob of none."""
    folder = tmp_path / "sources"
    folder.mkdir()
    for yard, factor in (("north", 1), ("south", 10)):
        with sqlite3.connect(folder / f"yard_{yard}.sqlite") as made:
            made.execute("CREATE TABLE run (site_id INTEGER, kwh REAL)")
            made.executemany("INSERT INTO run VALUES (?, ?)", [(1, 100.0 * factor), (3, 400.0 * factor)])
    monkeypatch.setenv("MOORLAND_SOURCE_FOLDERS", str(folder))
    definition = {"name": "yard", "type": "text", "allowed": ["north", "south", "east"]}
    AttributeDefinition.objects.create(name="yard", document=definition, position=9)
    for login, yard in (("ann", "north"), ("boss", "south")):
        set_yard(boss, login, yard)
    return folder


def set_yard(boss: Session, login: str, yard: str | None) -> None:
    version = boss.ok("GET", f"people/{login}")["version"]
    boss.ok("PATCH", f"people/{login}", {"version": version, "attributes": {"yard": yard}})


def placed(boss: Session) -> None:
    boss.ok("PUT", "sources", {"source": SOURCE, "secret": None, "version": None})
    boss.ok("POST", "models/m/tables/run/place", {"source": "yards", "relation": ["run"]})


def energy(boss: Session, *viewers: Any) -> list[Any]:
    question = {"viewers": list(viewers), "ask": [{"totals": {"model": "m", "measures": ["energy"]}}]}
    found = [item["answers"][0] for item in boss.ok("POST", "evaluate", question)["viewers"]]
    return [item["total"][0] if "total" in item else item["error"]["message"] for item in found]


def test_each_viewer_reads_the_database_of_their_own_yard(boss: Session, as_user: Sessions, yards: Path) -> None:
    placed(boss)
    assert energy(boss, "ann", "boss") == [500.0, 5000.0]
    set_yard(boss, "ann", "south")
    assert energy(boss, "ann") == [5000.0]
    set_yard(boss, "ann", None)
    assert energy(boss, "ann") == [None]
    set_yard(boss, "ann", "east")
    assert energy(boss, "ann", "boss") == ["This is not available now.", 5000.0]
    release(boss)
    assert "yard_" not in str(as_user("ann").ok("GET", "my/pages/output"))


def test_all_data_stands_beside_viewers_of_one_database_only(boss: Session, yards: Path) -> None:
    placed(boss)
    everything = {"all_data": True}
    assert energy(boss, everything, "boss")[0] == 5000.0
    assert "all data is not one set of rows" in energy(boss, everything, "boss", "ann")[0]
    rows = {"state": "draft", "viewers": ["ann", "boss"], "rows": {"model": "m", "table": "run"}}
    status, told = boss.call("POST", "rows", rows)
    assert status == 422 and "different databases" in told["error"]["message"]


def test_a_source_is_tried_for_somebody_and_for_everyone(boss: Session, yards: Path) -> None:
    placed(boss)
    tried = boss.ok("POST", "sources/try", {"source": SOURCE, "login": "ann"})
    assert tried["reached"] and tried["settings"] == [{"attribute": "yard", "value": "north", "whence": "the person"}]
    unset = boss.ok("POST", "sources/try", {"source": SOURCE, "login": "bob"})
    assert not unset["reached"] and "For bob, viewer.yard is not set" in unset["message"]
    assert boss.error("POST", "sources/try", {"source": SOURCE, "login": "nobody"}) == (404, "not_found")
    set_yard(boss, "bob", "east")
    found = boss.ok("POST", "sources/everyone", {"source": SOURCE})
    assert found["models"] == ["m"] and sorted((item["values"]["yard"], item["works"]) for item in found["contents"]) == [("north", True), ("south", True)]
    everybody = boss.ok("POST", "sources/everyone", {"source": {**SOURCE, "name": "other"}})["contents"]
    assert next((item["values"]["yard"], item["works"], item["logins"]) for item in everybody) == ("east", False, ["bob"])
    assert Entry.objects.filter(action="look", subject="settings of the source yards").exists()


def test_values_to_pick_are_those_of_ones_own_database_or_of_the_first_that_is_read(boss: Session, yards: Path) -> None:
    placed(boss)
    assert [item["value"] for item in boss.ok("GET", "models/m/values/run/kwh")["values"]] == [1000.0, 4000.0]
    set_yard(boss, "boss", None)
    assert [item["value"] for item in boss.ok("GET", "models/m/values/run/kwh")["values"]] == [100.0, 400.0]
    assert boss.ok("GET", "models/m/tables/run")["rows"] == 2


def test_what_depends_on_who_asks_is_not_brought_here(boss: Session, yards: Path) -> None:
    placed(boss)
    assert boss.error("POST", "models/m/tables/run/place", {"source": None}) == (422, "by_viewer")
    assert boss.ok("GET", "models/m")["chosen_by"] == {"run": ["yard"]}


@pytest.mark.parametrize(("file", "message"), [("yard_{viewer.code}.sqlite", "from a list"), ("yard_{viewer.areas}.sqlite", "one value")])
def test_only_an_attribute_of_a_list_chooses_a_database(boss: Session, yards: Path, file: str, message: str) -> None:
    status, told = boss.call("PUT", "sources", {"source": {**SOURCE, "file": file}, "secret": None, "version": None})
    assert status == 422 and message in told["error"]["message"]
