"""Reviews: who is asked what, what an answer does, and the record that is left (accounts.md 22 to 24)."""

import datetime
from collections.abc import Callable
from typing import Any

import pytest
from django.utils import timezone

from moorland.server.directory.models import Group
from moorland.server.duties.models import GivenDuty
from moorland.server.policies.models import Assignment
from moorland.server.releases.models import Release, Workspace
from moorland.server.reviews import closing
from moorland.server.reviews.models import Review, ReviewLine
from moorland.server.trail.models import Entry
from tests.server.conftest import Session


def opened(boss: Session, **changes: Any) -> int:
    """A review of everything that is open."""
    text = {"title": "Autumn", "answered_by": "named", "named": "bob", **changes}
    return int(boss.ok("POST", "reviews", text)["id"])


def lines(boss: Session, review: int) -> dict[str, Any]:
    return {f"{line['login']} {line['subject']}": line for line in boss.ok("GET", f"reviews/{review}")["lines"]}


def give(boss: Session, act: dict[str, Any]) -> None:
    boss.ok("POST", "acts", {"change_people": act})


def test_a_line_tells_how_it_is_held_what_it_opens_and_against_whom(boss: Session) -> None:
    Workspace.objects.update(sensitive_tags=["money"], people_version=99)
    review = opened(boss, answered_by="role", named=None)
    found = lines(boss, review)
    ann = found["ann steward"]
    assert ann["facts"]["held"] == ["through stewards"]
    assert ann["facts"]["since"] is None
    assert ann["facts"]["opens"].startswith("Alone it opens 2 of 3 rows of site")
    assert ann["facts"]["peers"] == "nobody else there to compare with"
    assert (ann["asked"], ann["facts"]["sensitive"]) == ("", [])
    assert found["boss all"]["facts"]["sensitive"] == ["site: rent"]


def test_whoever_is_asked_answers_without_any_duty_and_nobody_else(boss: Session, as_user: Callable[[str | None], Session]) -> None:
    review = opened(boss)
    bob, ann = as_user("bob"), as_user("ann")
    (own,) = bob.ok("GET", "my/reviews")["reviews"]
    assert ann.ok("GET", "my/reviews")["reviews"] == []
    key = next(line["id"] for line in own["lines"] if line["login"] == "ann")
    assert bob.error("POST", f"reviews/{review}/answers", {"lines": [key], "answer": "keep"})[0] == 403
    assert ann.error("POST", "my/reviews", {"lines": [key], "answer": "keep"}) == (404, "not_found")
    bob.ok("POST", "my/reviews", {"lines": [key], "answer": "keep", "note": "still there"})
    assert lines(boss, review)["ann steward"]["answered_by"] == "bob"


def test_nobody_answers_for_themselves(boss: Session, as_user: Callable[[str | None], Session]) -> None:
    review = opened(boss, named="boss")
    found = lines(boss, review)
    assert (found["ann steward"]["asked"], found["boss all"]["asked"]) == ("boss", "")
    assert boss.error("POST", f"reviews/{review}/answers", {"lines": [found["boss all"]["id"]], "answer": "keep"}) == (403, "own")


def test_taking_away_ends_the_membership_or_the_mapping_by_the_duties_of_who_opened(boss: Session, as_user: Callable[[str | None], Session]) -> None:
    give(boss, {"logins": ["bob"], "give": [{"role": "steward"}]})
    review = opened(boss, named="ann")
    ann = as_user("ann")
    bob = lines(boss, review)["bob steward"]["id"]
    tried = ann.ok("POST", "my/reviews?try=true", {"lines": [bob], "answer": "take"})
    assert [item["login"] for item in tried["viewers"]] in ([], ["bob"])
    assert Assignment.objects.filter(account__login="bob").exists()
    ann.ok("POST", "my/reviews", {"lines": [bob], "answer": "take"})
    assert not Assignment.objects.filter(account__login="bob").exists()
    entry = Entry.objects.filter(action="answer review").first()
    assert (entry.actor, entry.details["by the duties of"]) == ("ann", "boss")  # type: ignore[union-attr]
    steward_line = lines(boss, review)["ann steward"]["id"]
    boss.ok("POST", f"reviews/{review}/answers", {"lines": [steward_line], "answer": "take"})
    assert not Group.objects.get(name="stewards").users.exists()
    assert boss.error("POST", f"reviews/{review}/answers", {"lines": [steward_line], "answer": "keep"}) == (409, "answered")


def test_until_a_day_ends_a_mapping_and_is_a_task_for_a_membership(boss: Session) -> None:
    give(boss, {"logins": ["bob"], "give": [{"role": "steward"}]})
    review = opened(boss)
    found = lines(boss, review)
    for who in ("bob steward", "ann steward"):
        boss.ok("POST", f"reviews/{review}/answers", {"lines": [found[who]["id"]], "answer": "until", "until": "2099-01-31"})
    assert Assignment.objects.get(account__login="bob").last_day == datetime.date(2099, 1, 31)
    assert lines(boss, review)["ann steward"]["task"].startswith("ann holds Steward through stewards, and a membership has no last day")


def test_what_comes_by_everyone_or_a_condition_stays_a_task(boss: Session) -> None:
    boss.ok("POST", "roles/steward/assignments", {"add": [{"everyone": True}]})
    review = opened(boss)
    bob = lines(boss, review)["bob steward"]["id"]
    answer = boss.ok("POST", f"reviews/{review}/answers", {"lines": [bob], "answer": "take"})
    assert answer["tasks"] == ["bob holds Steward by everyone: whoever maps it decides."]
    assert boss.ok("GET", "reviews")["reviews"][0]["tasks"] == 1


def test_a_question_leaves_a_line_open_and_needs_a_note(boss: Session) -> None:
    review = opened(boss)
    ann = lines(boss, review)["ann steward"]["id"]
    assert boss.call("POST", f"reviews/{review}/answers", {"lines": [ann], "answer": "ask"})[0] == 400
    boss.ok("POST", f"reviews/{review}/answers", {"lines": [ann], "answer": "ask", "note": "which sites?"})
    assert boss.ok("GET", "reviews")["reviews"][0]["answered"] == 0
    boss.ok("POST", f"reviews/{review}/answers", {"lines": [ann], "answer": "keep"})


def test_duties_are_reviewed_too(boss: Session) -> None:
    boss.ok("POST", "duties", {"duty": {"user": "bob", "acts": ["trail"], "within": "everything"}})
    review = opened(boss, named="ann", scope={"roles": [], "duties": True})
    line = next(line for name, line in lines(boss, review).items() if name.startswith("bob"))
    assert line["facts"]["opens"] == "May do trail over everything."
    boss.ok("POST", f"reviews/{review}/answers", {"lines": [line["id"]], "answer": "take"})
    assert not GivenDuty.objects.filter(account__login="bob").exists()


@pytest.mark.parametrize(("unanswered", "left"), [("keep", True), ("take", False)])
def test_what_nobody_answered_becomes_what_the_review_says(boss: Session, unanswered: str, left: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    review = opened(boss, unanswered=unanswered, scope={"roles": ["steward"]}, repeat="quarter")
    due = datetime.date.fromisoformat(boss.ok("GET", "reviews")["reviews"][0]["due"])
    monkeypatch.setattr(closing, "today", lambda: due)
    assert closing.run_due_reviews() == 1
    assert Review.objects.get(pk=review).reminded_at is not None
    assert closing.run_due_reviews() == 0
    monkeypatch.setattr(closing, "today", lambda: due + datetime.timedelta(days=closing.GRACE + 1))
    assert closing.run_due_reviews() == 1
    assert Group.objects.get(name="stewards").users.exists() is left
    planned, closed = Review.objects.all()
    assert (planned.state, closed.state) == ("planned", "closed")


def test_a_closed_review_is_a_record_that_nothing_changes(boss: Session) -> None:
    review = opened(boss)
    ann = lines(boss, review)["ann steward"]["id"]
    boss.ok("POST", f"reviews/{review}/answers", {"lines": [ann], "answer": "keep", "note": "=HYPERLINK(1)"})
    closed = boss.ok("POST", f"reviews/{review}/closing")
    assert (closed["state"], closed["sound"], len(closed["record_hash"])) == ("closed", True, 64)
    assert Entry.objects.filter(action="close review").first().details["record"] == closed["record_hash"]  # type: ignore[union-attr]
    assert boss.error("POST", f"reviews/{review}/answers", {"lines": [ann], "answer": "keep"}) == (409, "closed")
    assert boss.error("DELETE", f"reviews/{review}?version=3")[0] == 409
    table = boss.client.get(f"/api/reviews/{review}/record").content.decode()
    assert "'=HYPERLINK(1)" in table
    page = boss.client.get(f"/api/reviews/{review}/record?as=html").content.decode()
    assert closed["record_hash"] in page
    stored = Review.objects.get(pk=review)
    stored.record["lines"][0]["answer"] = "take"
    stored.save()
    assert not boss.ok("GET", "reviews")["reviews"][0]["sound"]


def test_movers_still_hold_what_only_the_old_place_gave(boss: Session) -> None:
    give(boss, {"logins": ["ann"], "give": [{"role": "all"}]})
    yesterday = datetime.date.today() - datetime.timedelta(days=1)
    Workspace.objects.update(people_since=yesterday - datetime.timedelta(days=1))
    Release.objects.update(created_at=timezone.now() - datetime.timedelta(days=3))
    boss.ok("POST", "acts", {"save_organization": {"name": "other", "parent": "root"}})
    give(boss, {"logins": ["ann"], "organization": "other"})
    (ann,) = [item for item in boss.ok("GET", f"movers?since={yesterday}")["movers"] if item["login"] == "ann"]
    assert ann["changes"] == ["organization: leaf → other"]
    assert (ann["kept_groups"], ann["kept_roles"]) == (["stewards"], ["all"])
    assert boss.error("GET", "movers?since=2001-01-01") == (422, "before_history")
    assert boss.error("GET", "movers?since=soon") == (422, "invalid")


def test_a_review_asks_only_within_its_scope(boss: Session) -> None:
    assert boss.ok("POST", "reviews?try=true", {"title": "x", "answered_by": "named", "named": "bob"}) == {"lines": 2, "people": 2, "asked": {"bob": 2}}
    for scope, lines_ in (({"roles": ["steward"]}, 1), ({"organizations": ["leaf"]}, 1), ({"groups": ["stewards"]}, 1), ({"groups": ["others"]}, 0)):
        assert boss.ok("POST", "reviews?try=true", {"title": "x", "scope": scope})["lines"] == lines_
    assert boss.error("POST", "reviews", {"title": "x", "scope": {"groups": ["others"]}}) == (422, "nothing")
    assert not ReviewLine.objects.exists()
    assert boss.error("POST", "reviews", {"title": "x", "answered_by": "named", "named": "nobody"})[0] == 404
