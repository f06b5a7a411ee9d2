"""Promises kept in the workspace: run for the draft and live, and in the way of a release that breaks one."""

from typing import Any

from moorland.server.releases.models import Release
from moorland.server.trail.models import Entry
from tests.server.conftest import Session, steward, with_where
from tests.server.duties import EVERYTHING, Sessions, given

FELL = {"rows": {"model": "m", "table": "site", "where": "area <> 'fell'", "count": 0}}


def kept(boss: Session, name: str = "ann keeps to the fell", must: dict[str, Any] = FELL, version: int | None = None, viewer: Any = "ann") -> dict[str, Any]:
    return boss.ok("PUT", f"promises/of/{name}", {"promise": {"name": name, "viewer": viewer, "must": must}, "version": version})


def breaks(boss: Session) -> None:
    """Lets the role steward open everything, in the draft."""
    role, version = steward(boss)
    boss.ok("PUT", "roles/steward", {"role": with_where(role, "TRUE"), "version": version})


def released(boss: Session, **more: str) -> tuple[int, Any]:
    return boss.call("POST", "releases", {"hash": boss.ok("GET", "releases/pending")["hash"], "note": "", **more})


def outcomes(boss: Session) -> list[tuple[str, bool, bool]]:
    return [(item["name"], item["draft"]["kept"], item["live"]["kept"]) for item in boss.ok("GET", "promises")["promises"]]


def test_a_promise_is_made_run_for_the_draft_and_live_changed_and_taken_out(boss: Session) -> None:
    made = kept(boss)
    assert (made["version"], made["draft"]["kept"], made["draft"]["message"]) == (1, True, "sees 0 rows of site where area <> 'fell'; 0 promised")
    breaks(boss)
    assert outcomes(boss) == [("ann keeps to the fell", False, True)]
    changed = kept(boss, must={"rows": {**FELL["rows"], "count": 1}}, version=1)
    assert (changed["version"], changed["draft"]["kept"]) == (2, True)
    assert boss.error("DELETE", "promises/of/ann keeps to the fell?version=1") == (409, "stale")
    boss.ok("DELETE", "promises/of/ann keeps to the fell?version=2")
    assert outcomes(boss) == []
    assert [entry.action for entry in Entry.objects.filter(subject="ann keeps to the fell").order_by("number")] == [
        "add promise",
        "change promise",
        "delete promise",
    ]


def test_since_when_moves_only_when_what_is_kept_does(boss: Session) -> None:
    first = kept(boss)["draft"]["since"]
    assert boss.ok("GET", "promises")["promises"][0]["draft"]["since"] == first
    breaks(boss)
    broken = boss.ok("GET", "promises")["promises"][0]
    assert broken["draft"]["since"] >= first and broken["live"]["kept"]


def test_a_release_that_breaks_a_promise_waits_for_a_reason_which_is_in_the_trail(boss: Session) -> None:
    kept(boss)
    breaks(boss)
    assert [item["name"] for item in boss.ok("GET", "releases/pending")["broken"]] == ["ann keeps to the fell"]
    assert released(boss)[1]["error"]["code"] == "promises_broken"
    assert released(boss, override="  ")[1]["error"]["code"] == "promises_broken"
    assert Release.objects.count() == 1
    assert released(boss, override="the fell is let for a month")[0] == 201
    entry = Entry.objects.filter(action="release", subject="release 2").first()
    assert entry is not None and entry.details["released all the same because"] == "the fell is let for a month"


def test_a_promise_taken_out_or_changed_stands_in_the_way_as_it_was(boss: Session) -> None:
    version = kept(boss)["version"]
    assert released(boss)[0] == 201
    breaks(boss)
    boss.ok("DELETE", f"promises/of/ann keeps to the fell?version={version}")
    assert [item["name"] for item in boss.ok("GET", "releases/pending")["broken"]] == ["ann keeps to the fell"]
    assert released(boss)[1]["error"]["code"] == "promises_broken"


def test_a_promise_that_names_what_is_not_there_is_refused_and_one_whose_subject_goes_is_broken_in_words(boss: Session) -> None:
    wrong = {"rows": {"model": "m", "table": "sight", "count": 0}}
    status, told = boss.call("PUT", "promises/of/p", {"promise": {"name": "p", "viewer": "ann", "must": wrong}, "version": None})
    assert (status, "there is no table sight" in told["error"]["message"]) == (422, True)
    assert boss.error("PUT", "promises/of/p", {"promise": {"name": "p", "viewer": "nobody", "must": {"nothing": True}}})[0] == 422
    kept(boss, "bob sees nothing", {"nothing": True}, viewer="bob")
    assert boss.error("PUT", "promises/of/bob sees nothing", {"promise": {"name": "other", "viewer": "bob", "must": {"nothing": True}}})[0] == 422


def test_a_promise_is_tried_and_kept_nowhere(boss: Session) -> None:
    breaks(boss)
    told = boss.ok("POST", "promises/try", {"promise": {"name": "p", "viewer": "ann", "must": FELL}})
    assert (told["draft"]["kept"], told["live"]["kept"]) == (False, True)
    assert outcomes(boss) == []


def test_who_keeps_checks_without_values_is_told_kept_or_not_and_writes_none(boss: Session, as_user: Sessions) -> None:
    kept(boss)
    given("ann", ["checks", "look-shapes"], EVERYTHING)
    ann = as_user("ann")
    told = ann.ok("GET", "promises")
    assert (told["may_write"], told["promises"][0]["promise"], told["promises"][0]["draft"]["message"], told["promises"][0]["draft"]["kept"]) == (
        False,
        None,
        None,
        True,
    )
    for method, path, body in (
        ("PUT", "promises/of/q", {"promise": {"name": "q", "viewer": "bob", "must": FELL}}),
        ("POST", "promises/try", {"promise": {"name": "q", "viewer": "bob", "must": FELL}}),
    ):
        assert ann.error(method, path, body)[0] == 403


def test_an_act_that_would_break_a_promise_says_so_before_it_is_made(boss: Session) -> None:
    kept(boss, "bob sees nothing", {"nothing": True}, viewer="bob")
    boss.ok("POST", "releases", {"hash": boss.ok("GET", "releases/pending")["hash"]})
    mapping = {"add": [{"user": "bob"}]}
    assert boss.ok("POST", "roles/steward/assignments?try=true", mapping)["broken"] == ["bob sees nothing"]
    assert boss.ok("POST", "acts?try=true", {"change_people": {"logins": ["bob"], "about": "new"}})["broken"] == []
