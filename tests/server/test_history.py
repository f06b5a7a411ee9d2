"""People as lived (accounts.md 25): another day is told with the people and the release of its end; days before the history are refused in words."""

import datetime
from typing import Any

import pytest

from moorland.server.releases import history
from moorland.server.releases.models import PeopleDay, Release, Workspace
from tests.server.conftest import Session

TODAY = datetime.date(2026, 7, 10)


@pytest.fixture
def on(monkeypatch: pytest.MonkeyPatch) -> Any:
    """Sets the day changes are made on; the first of them begins the history."""

    def set_day(day: datetime.date) -> None:
        monkeypatch.setattr(history, "today_in", lambda _: day)
        monkeypatch.setattr("moorland.server.evaluating.today_in", lambda _: day)

    Workspace.objects.update(people_since=TODAY - datetime.timedelta(days=5))
    Release.objects.update(created_at=datetime.datetime(2026, 7, 1, tzinfo=datetime.UTC))
    set_day(TODAY)
    return set_day


def holders(boss: Session, day: datetime.date | None) -> list[str]:
    asked = {"state": "live", "as_of": day and day.isoformat(), "about": {"model": "m", "table": "site"}}
    return [person["login"] for person in boss.ok("POST", "who", asked)["answer"]["people"]]


def test_a_day_that_is_over_is_told_with_the_people_of_its_end(boss: Session, on: Any) -> None:
    before = holders(boss, None)
    assert "ann" in before
    boss.ok("POST", "acts", {"change_people": {"logins": ["ann"], "enabled": False}})
    assert "ann" not in holders(boss, None)
    assert holders(boss, TODAY - datetime.timedelta(days=1)) == before
    on(TODAY + datetime.timedelta(days=3))
    boss.ok("POST", "acts", {"change_people": {"logins": ["ann"], "enabled": True}})
    assert "ann" not in holders(boss, TODAY + datetime.timedelta(days=1))
    assert [str(kept.last_day) for kept in PeopleDay.objects.all()] == ["2026-07-09", "2026-07-12"]


def test_days_before_the_history_are_refused_in_words(boss: Session, on: Any) -> None:
    asked = {"state": "live", "as_of": "2026-07-04", "about": {"model": "m", "table": "site"}}
    status, told = boss.call("POST", "who", asked)
    assert (status, told["error"]["message"]) == (422, "The history of people begins on 2026-07-05. Who saw what before that day cannot be told.")


def test_what_is_kept_of_people_tells_nothing_to_who_reads_the_file(boss: Session, on: Any) -> None:
    boss.ok("POST", "acts", {"change_people": {"logins": ["ann"], "enabled": False}})
    (kept,) = PeopleDay.objects.all()
    assert "organization" not in kept.sealed


def test_who_held_what_when_is_told(boss: Session, on: Any) -> None:
    boss.ok("POST", "acts", {"change_people": {"logins": ["ann"], "leave": ["stewards"], "attributes": {"areas": ["marsh"]}}})
    on(TODAY + datetime.timedelta(days=3))
    boss.ok("POST", "acts", {"change_people": {"logins": ["ann"], "join": ["others"]}})
    held = boss.ok("GET", "people/ann/history")
    assert held["remembered_since"] == str(TODAY - datetime.timedelta(days=5))
    told = {(item["kind"], item["name"], item["value"]): (item["since"], item["until"]) for item in held["held"]}
    assert told["group", "stewards", "member"] == (None, "2026-07-09")
    assert told["attribute", "areas", "fell"] == (None, "2026-07-09")
    assert told["attribute", "areas", "marsh"] == ("2026-07-10", None)
    assert told["group", "others", "member"] == ("2026-07-13", None)


def test_the_history_of_somebody_tells_no_secret_value(boss: Session, on: Any) -> None:
    boss.ok("POST", "acts", {"change_people": {"logins": ["ann"], "attributes": {"code": 4711}}})
    assert "4711" not in str(boss.ok("GET", "people/ann/history"))
