"""Sources of a workspace: kept, tried, and tables left in them (sources.md 17, 18)."""

import sqlite3
from pathlib import Path
from typing import Any

import pytest
from django.core.management import call_command

from moorland.server import evaluating, setup
from moorland.server.bundle_export import exported_bundle
from moorland.server.bundle_import import import_into
from moorland.server.sources import change_views, engines
from moorland.server.sources.models import StoredSource
from moorland.server.trail.models import Entry
from tests.server.conftest import Session, each
from tests.server.duties import Sessions, given
from tests.server.test_pages import release, steward_says

WAREHOUSE = {"name": "warehouse", "kind": "sqlite", "file": "warehouse.sqlite", "minutes": 0}


@pytest.fixture
def file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A database with the runs of the small workspace, in a folder named on the machine."""
    folder = tmp_path / "sources"
    folder.mkdir()
    made = folder / "warehouse.sqlite"
    with sqlite3.connect(made) as database:
        database.execute("CREATE TABLE run (site_id INTEGER, kwh REAL, note BLOB)")
        database.executemany("INSERT INTO run VALUES (?, ?, NULL)", [(1, 100.0), (2, 200.0), (3, 400.0), (9, 800.0)])
    monkeypatch.setenv("MOORLAND_SOURCE_FOLDERS", str(folder))
    return made


def kept(boss: Session, **changes: Any) -> dict[str, Any]:
    return boss.ok("PUT", "sources", {"source": {**WAREHOUSE, **changes}, "secret": None, "version": None})


def energy(session: Session, login: str = "boss") -> Any:
    question = {"viewers": [login], "ask": [{"totals": {"model": "m", "by": [], "measures": ["energy"]}}]}
    return session.ok("POST", "evaluate", question)["viewers"][0]["answers"][0]


def test_a_table_left_in_a_source_gives_the_same_and_is_brought_back(boss: Session, file: Path) -> None:
    kept(boss)
    here = [energy(boss, login)["total"] for login in ("boss", "ann")]
    boss.ok("POST", "models/m/tables/run/place", {"source": "warehouse", "relation": ["run"]})
    release(boss)
    assert [energy(boss, login)["total"] for login in ("boss", "ann")] == here == [[1500.0], [500.0]]
    with sqlite3.connect(file) as database:
        database.execute("UPDATE run SET kwh = 101 WHERE site_id = 1")
    assert energy(boss, "ann")["total"] == [501.0]
    boss.ok("POST", "models/m/tables/run/place", {"source": None})
    release(boss)
    with sqlite3.connect(file) as database:
        database.execute("DELETE FROM run")
    assert energy(boss, "ann")["total"] == [501.0]


CHANGE = {"model": "m", "table": "run", "update": {"set": {"kwh": 250.0}, "where": "site_id = 2"}}


@pytest.fixture
def writable(boss: Session, file: Path) -> Path:
    """The runs in a writable source, and a role of Boss's that lets runs of one site be changed, live."""
    kept(boss, writable=True)
    boss.ok("POST", "models/m/tables/run/place", {"source": "warehouse", "relation": ["run"]})
    entry = next(item for item in boss.ok("GET", "roles")["roles"] if item["role"]["name"] == "all")
    change = {"change": {"table": "run", "update": "site_id = 2", "insert": "site_id = 3", "delete": "kwh < 10"}}
    role = {**entry["role"], "assigned": [], "sentences": [*entry["role"]["sentences"], change]}
    boss.ok("PUT", "roles/all", {"role": role, "version": entry["version"]})
    release(boss)
    return file


def runs(file: Path) -> list[Any]:
    with sqlite3.connect(file) as database:
        return database.execute("SELECT site_id, kwh FROM run ORDER BY 1, 2").fetchall()


def test_a_change_is_made_in_a_writable_source_by_ones_own_roles(boss: Session, writable: Path) -> None:
    assert boss.ok("POST", "changes", {"change": CHANGE, "expected": 1}) == {"changed": 1}
    assert runs(writable) == [(1, 100.0), (2, 250.0), (3, 400.0), (9, 800.0)]
    assert energy(boss)["total"] == [1550.0]
    insert = {"model": "m", "table": "run", "insert": {"rows": [{"site_id": 3, "kwh": 5.0}]}}
    assert boss.ok("POST", "changes", {"change": insert, "expected": 1}) == {"changed": 1}
    delete = {"model": "m", "table": "run", "delete": {"where": "kwh = 5"}}
    assert boss.ok("POST", "changes", {"change": delete, "expected": 1}) == {"changed": 1}
    assert boss.ok("POST", "changes", {"change": delete, "expected": 0}) == {"changed": 0}
    told = Entry.objects.filter(action="change rows").order_by("id").first()
    assert told is not None and told.details == {"source": "warehouse", "kind": "update", "rows": 1, "columns": ["kwh"]}


def test_nothing_is_changed_where_a_row_is_refused_or_was_changed_meanwhile(
    boss: Session, as_user: Sessions, writable: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = runs(writable)
    everything = {**CHANGE, "update": {"set": {"kwh": 1.0}, "where": None}}
    assert boss.error("POST", "changes", {"change": everything, "expected": 4}) == (422, "refused")
    assert boss.error("POST", "changes", {"change": CHANGE, "expected": 2}) == (409, "stale")
    real = change_views.statements

    def late(*asked: Any) -> Any:
        with sqlite3.connect(writable) as database:
            database.execute("UPDATE run SET kwh = 201 WHERE site_id = 2")
        return real(*asked)

    monkeypatch.setattr(change_views, "statements", late)
    assert boss.error("POST", "changes", {"change": CHANGE, "expected": 1}) == (409, "stale")
    assert runs(writable) == [(site, 201.0 if site == 2 else kwh) for site, kwh in before]
    assert not Entry.objects.filter(action="change rows").exists()
    given("ann", ["models"])
    assert as_user("ann").error("POST", "changes", {"change": everything, "expected": 2}) == (422, "refused")


def test_a_source_that_is_not_written_to_is_left_as_it_is(boss: Session, file: Path) -> None:
    kept(boss)
    assert boss.error("POST", "changes", {"change": CHANGE, "expected": 1}) == (422, "not_writable")
    boss.ok("POST", "models/m/tables/run/place", {"source": "warehouse", "relation": ["run"]})
    release(boss)
    assert boss.error("POST", "changes", {"change": CHANGE, "expected": 1}) == (422, "not_writable")


def test_a_source_that_is_gone_is_not_available_to_viewers_and_named_to_who_keeps_it(boss: Session, as_user: Sessions, file: Path) -> None:
    kept(boss)
    boss.ok("POST", "models/m/tables/run/place", {"source": "warehouse", "relation": ["run"]})
    release(boss)
    file.rename(file.with_suffix(".away"))
    StoredSource.objects.get(name="warehouse").moved()
    told = energy(boss)
    assert told["error"] == {"code": "not_available", "message": "This is not available now."}
    shown = as_user("ann").ok("GET", "my/pages/output")
    assert "warehouse" not in str(shown)
    (source,) = boss.ok("GET", "sources")["sources"]
    assert "no file warehouse.sqlite" in source["trouble"]
    file.with_suffix(".away").rename(file)
    assert energy(boss)["total"] == [1500.0]


@pytest.mark.parametrize(
    ("changes", "message"),
    [
        ({"file": "../../etc/passwd"}, "no file"),
        ({"file": "nothing.sqlite"}, "no file"),
        ({"kind": "postgres", "file": None, "host": "elsewhere.example", "database": "d"}, "none of the hosts"),
    ],
)
def test_only_folders_and_hosts_named_on_the_machine_are_reached(boss: Session, file: Path, changes: dict[str, Any], message: str) -> None:
    tried = boss.ok("POST", "sources/try", {"source": {**WAREHOUSE, **changes}, "secret": None})
    assert not tried["reached"] and message in tried["message"]


def test_a_secret_goes_in_and_never_out_and_is_cleared_where_it_would_go_elsewhere(boss: Session, file: Path) -> None:
    source = {"name": "pg", "kind": "postgres", "host": "localhost", "database": "d", "user": "u"}
    made = boss.ok("PUT", "sources", {"source": source, "secret": "quiet words", "version": None})
    assert made["has_secret"] and "quiet" not in str(made)
    assert "quiet" not in str(list(Entry.objects.values_list("details", flat=True)))
    same = boss.ok("PUT", "sources", {"source": {**source, "minutes": 5}, "secret": None, "version": made["version"]})
    assert same["has_secret"]
    other = boss.ok("PUT", "sources", {"source": {**source, "host": "127.0.0.1"}, "secret": None, "version": same["version"]})
    assert not other["has_secret"]
    assert boss.error("PUT", "sources", {"source": source, "secret": None, "version": 1}) == (409, "stale")


def test_a_relation_that_does_not_fit_is_told_and_nothing_is_moved(boss: Session, file: Path) -> None:
    kept(boss)
    told = boss.ok("POST", "sources/in/warehouse", {"relation": ["run"]})
    assert [(column["name"], column["type"]) for column in told["columns"]] == [("site_id", "integer"), ("kwh", "number"), ("note", None)]
    assert (told["rows"], told["keys"]) == (4, ["site_id", "kwh"])
    status, refused = boss.call("POST", "models/m/tables/site/place", {"source": "warehouse", "relation": ["run"]})
    assert status == 422 and refused["error"]["message"] == "The column id is not there."
    assert boss.error("POST", "sources/in/warehouse", {"relation": ["nothing"]}) == (404, "not_found")
    assert boss.ok("GET", "state")["changes"] == 0


def test_a_new_table_from_a_source_joins_the_draft_in_quarantine(boss: Session, file: Path) -> None:
    kept(boss)
    asked = {"table": "later", "source": "warehouse", "relation": ["run"], "columns": ["site_id", "kwh"]}
    boss.ok("POST", "models/m/placed", asked)
    table = boss.ok("GET", "models/m")["document"]["tables"][-1]
    assert (table["name"], table["quarantine"], table["in_place"]) == ("later", True, {"source": "warehouse", "relation": ["run"]})
    assert boss.error("POST", "models/m/placed", {**asked, "columns": ["note"], "table": "never"}) == (422, "invalid")
    assert boss.error("DELETE", "sources/of/warehouse?version=2") == (409, "in_use")


def test_the_duty_over_models_alone_leaves_no_table_in_a_source(boss: Session, as_user: Sessions, file: Path) -> None:
    kept(boss)
    given("bob", ["models"])
    bob = as_user("bob")
    assert [item["source"]["name"] for item in bob.ok("GET", "sources")["sources"]] == ["warehouse"]
    for path, body in (
        ("sources/in/warehouse", {"relation": ["run"]}),
        ("models/m/placed", {"table": "later", "source": "warehouse", "relation": ["run"], "columns": ["kwh"]}),
        ("models/m/tables/run/place", {"source": "warehouse", "relation": ["run"]}),
    ):
        assert bob.error("POST", path, body) == (403, "not_allowed")


def test_a_bundle_carries_sources_without_secrets_and_brings_them_back(boss: Session, file: Path, tmp_path: Path) -> None:
    kept(boss)
    source = {"name": "pg", "kind": "postgres", "host": "localhost", "database": "d", "user": "u"}
    boss.ok("PUT", "sources", {"source": source, "secret": "quiet words", "version": None})
    boss.ok("POST", "models/m/tables/run/place", {"source": "warehouse", "relation": ["run"]})
    exported_bundle(tmp_path / "out", "draft", True)
    written = (tmp_path / "out" / "sources.yaml").read_text()
    assert "warehouse" in written and "quiet" not in written
    assert not import_into(tmp_path / "out", "test", apply=True).changes
    (tmp_path / "out" / "sources.yaml").write_text(written.replace("host: localhost", "host: elsewhere"))
    assert import_into(tmp_path / "out", "test", apply=True).workspace == ["source pg changed"]
    assert not StoredSource.objects.get(name="pg").sealed
    call_command("flush", verbosity=0, interactive=False)
    evaluating._evaluators.clear()
    setup.import_into_empty(tmp_path / "out", set())
    assert list(StoredSource.objects.values_list("name", flat=True)) == ["warehouse", "pg"]


def test_whoever_is_taken_out_of_a_table_people_are_looked_up_in_is_out_at_once(boss: Session, file: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(engines, "MARKER_SECONDS", 0.0)
    with sqlite3.connect(file) as database:
        database.execute("CREATE TABLE scope (login TEXT, site INTEGER)")
        database.executemany("INSERT INTO scope VALUES (?, ?)", [("ann", 1), ("ann", 3)])
    kept(boss, minutes=600)
    boss.ok("POST", "models/m/placed", {"table": "scope", "source": "warehouse", "relation": ["scope"], "columns": ["login", "site"]})
    sentence = {"table": "run", "through": "scope", "person": "login", "person_is": "login", "match": {"site_id": "site"}}
    steward_says(boss, {"entitlement": sentence})
    assert energy(boss, "ann")["total"] == [500.0]
    with sqlite3.connect(file) as database:
        database.execute("DELETE FROM scope WHERE site = 3")
    assert energy(boss, "ann")["total"] == [100.0]


def test_a_change_of_people_and_a_refresh_are_compared_on_what_sources_hold(boss: Session, file: Path) -> None:
    kept(boss, minutes=600)
    boss.ok("POST", "models/m/tables/run/place", {"source": "warehouse", "relation": ["run"]})
    release(boss)
    told = boss.ok("POST", "acts?try=true", {"change_people": {"logins": ["ann"], "attributes": {"areas": ["fell", "marsh"]}}})
    (ann,) = [viewer for viewer in each(told["viewers"]) if viewer["login"] == "ann"]
    assert {table["table"]: table["gained"] for table in ann["tables"]} == {"site": 1, "run": 1}
