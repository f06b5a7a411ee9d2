"""Refreshes that run by themselves, and are accepted within what was agreed (sources.md 19)."""

import datetime
import sqlite3
from pathlib import Path
from typing import Any
from unittest import mock

import pytest
from django.utils import timezone

from moorland.server.directory.models import Account
from moorland.server.schedules import scheduler
from moorland.server.schedules.checks import run_checks, run_due_checks
from moorland.server.schedules.models import ChecksSchedule, Schedule
from moorland.server.schedules.running import run, run_due
from moorland.server.schedules.shapes import When
from moorland.server.schedules.timing import next_run
from moorland.server.trail.models import Entry
from tests.server.conftest import Session
from tests.server.duties import Sessions, given
from tests.server.test_pages import release

NIGHTLY: dict[str, Any] = {"at": "03:30"}


@pytest.fixture
def file(boss: Session, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A source with the sites of the small workspace."""
    made = tmp_path / "held.sqlite"
    with sqlite3.connect(made) as database:
        database.execute("CREATE TABLE site (id INTEGER, area TEXT, rent REAL)")
    fill(made, (1, "fell", 10.0), (2, "marsh", 20.0), (3, "fell", 30.0))
    monkeypatch.setenv("MOORLAND_SOURCE_FOLDERS", str(tmp_path))
    boss.ok("PUT", "sources", {"source": {"name": "held", "kind": "sqlite", "file": "held.sqlite"}, "secret": None, "version": None})
    return made


def fill(file: Path, *rows: tuple[Any, ...]) -> None:
    with sqlite3.connect(file) as database:
        database.execute("DELETE FROM site")
        database.executemany("INSERT INTO site VALUES (?, ?, ?)", rows)


def kept(boss: Session, **agreed: Any) -> int:
    text = {"model": "m", "table": "site", "source": "held", "relation": ["site"], "when": NIGHTLY, "agreed": agreed}
    made = boss.ok("PUT", "models/m/schedules", {"text": text, "version": None})
    key: int = made["id"]
    return key


def came_of(key: int) -> tuple[str, str]:
    made = run(key)
    assert made is not None
    return made.state, made.message


def rows(boss: Session) -> int:
    found: int = boss.ok("GET", "models/m")["rows"]["site"]
    return found


def test_a_refresh_within_what_was_agreed_is_accepted_by_itself(boss: Session, file: Path) -> None:
    key = kept(boss)
    assert came_of(key) == ("same", "Nothing changed.")
    fill(file, (1, "fell", 10.0), (2, "marsh", 20.0), (3, "fell", 31.0), (4, "marsh", 5.0))
    assert came_of(key) == ("accepted", "3 rows before, 4 after.")
    assert rows(boss) == 4
    assert [entry.action for entry in Entry.objects.order_by("number")][-2:] == ["stage refresh", "accept refresh"]


@pytest.mark.parametrize(
    ("content", "agreed", "message"),
    [
        ([(1, "fell", 10.0)], {}, "2 of 3 rows vanished."),
        ([(1, "fell", 10.0), (2, "marsh", 20.0), (3, "fell", 30.0), (4, "fell", 5.0)], {}, "boss would see more rows with sensitive columns."),
        ([(5, "fell", 10.0), (6, "marsh", 20.0), (7, "fell", 30.0)], {}, "3 keys vanished."),
    ],
)
def test_what_is_beyond_it_waits_and_the_old_content_stays(boss: Session, file: Path, content: list[tuple[Any, ...]], agreed: Any, message: str) -> None:
    boss.ok("PUT", "settings/workspace", {"name": "Small place", "time_zone": "UTC", "sensitive_tags": ["money"]})
    key = kept(boss, **agreed)
    fill(file, *content)
    state, told = came_of(key)
    assert state == "waiting" and message in told
    assert rows(boss) == 3
    assert [item["table"] for item in boss.ok("GET", "overview")["refreshes"]] == ["site"]


def test_a_refresh_that_breaks_a_promise_waits(boss: Session, file: Path) -> None:
    promise = {"name": "few", "viewer": "ann", "must": {"rows": {"model": "m", "table": "site", "count": 2}}}
    boss.ok("PUT", "promises/of/few", {"promise": promise, "version": None})
    boss.ok("POST", "releases", {"hash": boss.ok("GET", "releases/pending")["hash"], "note": ""})
    key = kept(boss)
    fill(file, (1, "fell", 10.0), (2, "marsh", 20.0), (3, "fell", 30.0), (4, "fell", 5.0))
    assert came_of(key) == ("waiting", "The promise few would break.")


def test_what_cannot_be_read_fails_in_words_and_changes_nothing(boss: Session, file: Path) -> None:
    key = kept(boss)
    fill(file, (1, "fell", 10.0), (1, "marsh", 20.0))
    assert came_of(key)[0] == "failed" and "key" in came_of(key)[1]
    with sqlite3.connect(file) as database:
        database.execute("DROP TABLE site")
    assert "no relation site" in came_of(key)[1]
    assert rows(boss) == 3
    (entry,) = boss.ok("GET", "models/m/schedules")["schedules"]
    assert [item["state"] for item in entry["runs"]] == ["failed"] * 3


def test_it_does_no_more_than_its_keeper_may_still_do(boss: Session, as_user: Sessions, file: Path) -> None:
    given("kate", ["models", "sources"])
    kate = as_user("kate")
    text = {"model": "m", "table": "site", "source": "held", "relation": ["site"], "when": NIGHTLY}
    key = kate.ok("PUT", "models/m/schedules", {"text": text, "version": None})["id"]
    Account.objects.filter(login="kate").update(enabled=False)
    assert came_of(key)[0] == "failed" and "no account that is enabled" in came_of(key)[1]


def test_nothing_runs_twice_at_once_and_what_was_missed_runs_once(boss: Session, file: Path) -> None:
    key = kept(boss)
    assert run_due() == 0
    Schedule.objects.filter(pk=key).update(next_at=timezone.now() - datetime.timedelta(days=3))
    assert run_due() == 1
    assert run_due() == 0
    Schedule.objects.filter(pk=key).update(running_since=timezone.now())
    assert run(key) is None


def test_what_was_put_off_while_the_clock_was_ahead_comes_when_it_would_have_come(boss: Session, file: Path) -> None:
    key = kept(boss)
    there = Schedule.objects.get(pk=key).next_at
    ahead = timezone.now() + datetime.timedelta(days=4000)
    Schedule.objects.filter(pk=key).update(next_at=ahead)
    assert run_due() == 0
    assert Schedule.objects.get(pk=key).next_at == there
    Schedule.objects.filter(pk=key).update(running_since=ahead)
    assert run(key) is not None


def at(text: str) -> datetime.datetime:
    return datetime.datetime.fromisoformat(text).replace(tzinfo=datetime.UTC)


@pytest.mark.parametrize(
    ("when", "after", "expected"),
    [
        ({"minutes": 30}, "2026-01-01T10:00:00", "2026-01-01T10:30:00"),
        ({"at": "03:30"}, "2026-01-01T10:00:00", "2026-01-02T02:30:00"),
        ({"at": "03:30", "days": ["mon"]}, "2026-01-01T10:00:00", "2026-01-05T02:30:00"),
        # The night the clocks go forward has no half past two; the run comes within the hour after.
        ({"at": "02:30"}, "2026-03-28T12:00:00", "2026-03-29T01:30:00"),
        ({"at": "12:00"}, "2026-03-28T12:00:00", "2026-03-29T10:00:00"),
    ],
)
def test_when_it_runs_next_by_the_clock_of_the_workspace(when: dict[str, Any], after: str, expected: str) -> None:
    assert next_run(When.model_validate(when), "Europe/Berlin", at(after)) == at(expected)


@pytest.mark.parametrize("when", [{}, {"minutes": 5, "at": "01:00"}, {"minutes": 1}, {"at": "25:00"}, {"minutes": 30, "days": ["mon"]}])
def test_a_time_that_is_none_is_refused(boss: Session, file: Path, when: dict[str, Any]) -> None:
    text = {"model": "m", "table": "site", "source": "held", "relation": ["site"], "when": when}
    assert boss.error("PUT", "models/m/schedules", {"text": text, "version": None})[0] == 400


def test_promises_run_by_schedule_on_what_sources_hold_now(boss: Session, file: Path) -> None:
    version = boss.ok("GET", "sources")["sources"][0]["version"]
    boss.ok("PUT", "sources", {"source": {"name": "held", "kind": "sqlite", "file": "held.sqlite", "minutes": 0}, "secret": None, "version": version})
    boss.ok("POST", "models/m/tables/site/place", {"source": "held", "relation": ["site"]})
    must = {"rows": {"model": "m", "table": "site", "count": 3}}
    boss.ok("PUT", "promises/of/three", {"promise": {"name": "three", "viewer": "boss", "must": must}, "version": None})
    release(boss)
    assert boss.ok("GET", "promises/schedule")["when"] is None
    boss.ok("PUT", "promises/schedule", {"when": NIGHTLY, "version": None})
    assert run_checks() == "All 1 kept."
    fill(file, (1, "fell", 10.0))
    ChecksSchedule.objects.update(next_at=timezone.now())
    assert run_due_checks() and not run_due_checks()
    told = boss.ok("GET", "promises/schedule")
    assert (told["last_message"], told["last_well"], told["running"]) == ("1 of 1 broken. Newly broken: three.", False, False)
    assert Entry.objects.filter(action="run promises").count() == 2
    assert boss.error("PUT", "promises/schedule", {"when": None, "version": None}) == (409, "stale")
    boss.ok("PUT", "promises/schedule", {"when": None, "version": told["version"]})
    assert run_checks() is None


@pytest.mark.django_db
def test_before_a_workspace_is_set_up_nothing_is_looked_for_and_nothing_said(caplog: pytest.LogCaptureFixture, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(scheduler, "connection", mock.Mock())
    scheduler._look()
    assert caplog.records == []
