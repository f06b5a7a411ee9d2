"""Asking from anywhere: why in a sentence, who against another state, the bridge, everybody at once; looks kept under a key, sets of viewers."""

from collections.abc import Callable

from tests.server.conftest import Session


def test_why_begins_with_a_sentence_that_quotes_what_decides(boss: Session) -> None:
    told = boss.ok("POST", "why", {"viewer": "ann", "other": "boss", "about": {"model": "m", "table": "site", "row": 2}})
    assert told["verdict"]["message"] == ("Withheld: Steward keeps site where area IN viewer.areas, and here site.area is marsh and viewer.areas is fell.")
    assert (told["verdict"]["role"], told["verdict"]["sentence"]) == ("steward", 0)
    assert told["other_verdict"]["message"].startswith("Shown: ")


def test_a_bridge_leads_from_all_data_to_a_viewer(boss: Session) -> None:
    told = boss.ok("POST", "bridge", {"viewer": "ann", "about": {"model": "m", "measure": "energy"}})
    assert told["first"]["figure"] + sum(step["amount"] for step in told["steps"]) == told["last"]["figure"]
    assert [step["role"] for step in told["steps"]] == ["steward"]


def test_a_bridge_of_nobody_there_is_refused_in_a_sentence(boss: Session) -> None:
    status, told = boss.call("POST", "bridge", {"viewer": "gone", "about": {"model": "m", "measure": "energy"}})
    assert (status, "gone" in told["error"]["message"]) == (422, True)


def test_who_is_compared_with_live(boss: Session) -> None:
    about = {"model": "m", "table": "site", "row": 2}
    edited = [{"name": "steward", "kind": "grant", "model": "m", "sentences": []}]
    told = boss.ok("POST", "who", {"about": about, "edited": edited, "against_live": True})
    assert told["against"] == {"new": ["ann"], "gone": []}
    status, _ = boss.call("POST", "who", {"about": about, "against_live": True, "against_day": "2026-01-01"})
    assert status == 422


def test_everybody_at_once_with_values_and_what_was_otherwise(boss: Session) -> None:
    edited = [{"name": "steward", "kind": "grant", "model": "m", "sentences": []}]
    told = boss.ok("POST", "reach", {"model": "m", "measures": ["energy"], "edited": edited, "against_live": True})
    line = next(item for item in told["classes"] if "ann" in item["logins"])
    assert {crossing["what"] for crossing in line["otherwise"]} >= {"table:m.site"}
    assert len(line["values"]) == 1
    assert boss.call("POST", "reach", {"against_release": 99})[0] == 404


def test_a_look_is_kept_under_a_key_that_tells_nothing(boss: Session, as_user: Callable[[str], Session]) -> None:
    look = {"screen": "viewers", "shown": {"pins": ["ann"]}}
    key = boss.ok("POST", "looks", look)["key"]
    assert boss.ok("POST", "looks", look)["key"] == key
    assert "ann" not in key
    assert boss.ok("GET", f"looks/{key}") == look
    assert as_user("ann").call("GET", f"looks/{key}")[0] == 403
    assert boss.call("POST", "looks", {"screen": "viewers", "shown": {"x": "y" * 30_000}})[0] == 422


def test_sets_of_viewers_are_ones_own(boss: Session) -> None:
    pins = [{"title": "Ann", "detail": "ann", "viewer": "ann"}]
    assert boss.ok("PUT", "pinned-sets/usual", {"pins": pins})["sets"] == [{"name": "usual", "pins": pins}]
    assert boss.ok("DELETE", "pinned-sets/usual")["sets"] == []


def test_why_of_a_figure_tells_which_rows_count_and_what_keeps_the_others_out(boss: Session) -> None:
    about = {"model": "m", "object": "measure:energy", "figure": True, "by": ["site.area"], "key": ["marsh"]}
    told = boss.ok("POST", "why", {"viewer": "ann", "about": about})
    assert told["trace"]["outcome"] == "cannot"
    assert told["verdict"]["message"] == "Withheld: Steward keeps site where area IN viewer.areas."
    told = boss.ok("POST", "why", {"viewer": "boss", "about": about})
    assert (told["trace"]["outcome"], told["verdict"]["layer"]) == ("can", "rows")


def test_why_of_a_line_that_is_not_there_and_of_a_model_says_so(boss: Session) -> None:
    about = {"model": "m", "object": "measure:energy", "figure": True, "by": ["site.area"], "key": ["gone"]}
    told = boss.ok("POST", "why", {"viewer": "ann", "about": about})["verdict"]["message"]
    assert told == "Withheld: There is no such line: no row counts in it, for anybody."
    nobody = {"imagine": {"groups": []}}
    told = boss.ok("POST", "why", {"viewer": nobody, "about": {"model": "m", "object": "table:site"}})["verdict"]["message"]
    assert told == "Withheld: The model does not exist: no role on it is held."


def test_a_sentence_switched_off_is_a_remedy_and_names_the_edit(boss: Session) -> None:
    told = boss.ok("POST", "why", {"viewer": "ann", "about": {"model": "m", "table": "site", "row": 2}})
    found = next(remedy for remedy in told["remedies"] if remedy["kind"] == "sentence")
    assert (found["name"], found["sentence"], found["outcome"]) == ("steward", 0, "can")
    edited = [{"name": "steward", "kind": "grant", "model": "m", "sentences": []}]
    assert boss.ok("POST", "why", {"viewer": "ann", "about": {"model": "m", "table": "site", "row": 2}, "edited": edited})["trace"]["outcome"] == "can"
