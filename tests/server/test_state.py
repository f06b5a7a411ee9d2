"""Draft and live are evaluated as they are now, and kept no longer than that."""

import datetime

from moorland.server import evaluating
from moorland.server.changes import outdate
from moorland.server.directory.models import Account
from moorland.server.releases import bundles
from moorland.server.releases.models import Workspace
from tests.server.conftest import Session, steward, with_where


def test_an_evaluator_is_kept_until_something_changes(boss: Session) -> None:
    first = evaluating.evaluator("draft")
    assert evaluating.evaluator("draft") is first
    role, version = steward(boss)
    boss.ok("PUT", "roles/steward", {"role": with_where(role, "TRUE"), "version": version})
    assert evaluating.evaluator("draft") is not first


def test_data_is_joined_once_for_draft_and_live(boss: Session) -> None:
    role, version = steward(boss)
    boss.ok("PUT", "roles/steward", {"role": with_where(role, "TRUE"), "version": version})
    assert evaluating.evaluator("draft").data("m") is evaluating.evaluator("live").data("m")


def test_a_change_while_the_bundle_is_read_means_reading_again(workspace: None) -> None:
    reads = []
    original = bundles.people_read

    def changing() -> dict[str, object]:
        document = original()
        reads.append(len(document["users"]))
        if len(reads) == 1:
            Account.objects.create_account("late", "Late")
            outdate("people")
        return document

    bundles.people_read = changing
    try:
        assert "late" in evaluating.evaluator("draft").people.users
    finally:
        bundles.people_read = original
    assert reads == [4, 5]


def test_another_day_has_an_evaluator_of_its_own_and_few_are_kept(workspace: None) -> None:
    days = [datetime.date(2026, 1, 1) + datetime.timedelta(days=number) for number in range(20)]
    for day in days:
        assert evaluating.evaluator("live", day).as_of == day
    assert len(evaluating._evaluators) == evaluating.MOST_KEPT


def test_the_time_zone_decides_what_day_it_is(workspace: None) -> None:
    Workspace.objects.update(time_zone="Pacific/Kiritimati")
    outdate("people")
    east = evaluating.evaluator("live").as_of
    Workspace.objects.update(time_zone="Pacific/Niue")
    outdate("people")
    assert (east - evaluating.evaluator("live").as_of).days >= 1


def test_dated_roles_come_and_go_with_the_day(boss: Session) -> None:
    boss.ok("POST", "roles/all/assignments", {"add": [{"user": "bob", "from": "2031-02-01", "until": "2031-02-28"}]})
    ask = {"state": "live", "viewers": ["bob"], "ask": [{"objects": {"model": "m"}}]}
    found = [boss.ok("POST", "evaluate", {**ask, "as_of": day})["viewers"][0]["answers"][0] for day in ("2031-01-31", "2031-02-01", "2031-02-28", "2031-03-01")]
    assert ["tables" in answer for answer in found] == [False, True, True, False]
