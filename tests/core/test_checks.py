"""Promises, findings, traces and what would have to change, on one small workspace with everything that goes wrong."""

from typing import Any

import pytest

from moorland.core.bundle.people import RealViewer
from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.promises import Promise
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.findings.finding import Finding
from moorland.core.insight.findings.noticing import notice
from moorland.core.insight.impact import impact
from moorland.core.insight.impacts import Impacts, TableChange, ViewChanges, impacts_of, shared
from moorland.core.insight.promises import run_promise
from moorland.core.insight.remedies import remedies
from moorland.core.insight.trace import Trace, Traced, trace, where_they_part
from tests.core.worlds import Tables, evaluator, model_document

TABLES: Tables = {
    "site": (
        "id",
        {"id": "integer", "area": "text", "name": "text", "rent": "number"},
        [(1, "fell", "rig", 10.0), (2, "fell", "tarn", 20.0), (3, "marsh", "spit", 40.0), (4, "marsh", "bank", 80.0)],
    ),
    "run": (None, {"site_id": "integer", "kwh": "number", "lost": "number"}, [(1, 1.0, 1.0), (2, 2.0, 1.0), (3, 4.0, 1.0), (4, 8.0, 1.0)]),
    "visit": (None, {"crew": "text", "note": "text"}, [("a", "x")]),
    "scope": (None, {"who": "text", "area": "text"}, [("ann", "fell"), ("ANN ", "Marsh"), ("anne", "fell"), (None, "fell")]),
}
MODEL: dict[str, Any] = {
    "hierarchies": [{"name": "place", "table": "site", "levels": ["area", "name"]}],
    "measures": [
        {"name": "energy", "table": "run", "expression": "SUM(kwh)"},
        {"name": "lost", "table": "run", "expression": "SUM(lost)"},
        {"name": "lost_share", "table": "run", "expression": "SUM(lost) / NULLIF(SUM(kwh), 0)"},
        {"name": "both", "table": "run", "expression": "SUM(kwh) + SUM(lost)"},
        {"name": "visits", "table": "visit", "expression": "COUNT(*)"},
    ],
}


def role(name: str, *sentences: dict[str, Any], to: str | None = "ann", **more: Any) -> dict[str, Any]:
    assigned = [{"user": to, **more.pop("dated", {})}] if to else []
    return {"name": name, "kind": "grant", "model": "farm", "sentences": list(sentences), "assigned": assigned, **more}


def workspace(*roles: dict[str, Any], **more: Any) -> Evaluator:
    model = model_document(TABLES, [{"from": "run.site_id", "to": "site.id"}], **MODEL)
    for table in model["tables"]:
        for column in table["columns"]:
            if column["name"] in ("rent", "lost"):
                column["tags"] = ["money"]
    document = {
        "attributes": [
            {"name": "areas", "type": "text", "multiple": True, **more.pop("areas", {})},
            {"name": "pin", "type": "text", "shown_to": "nobody"},
        ],
        "users": [
            {"login": "ann", "name": "Ann", "attributes": {"areas": ["fell"], "pin": "1234"}},
            {"login": "bob", "name": "Bob"},
            {"login": "off", "name": "Off", "enabled": False},
        ],
        "groups": [{"name": "crew", "users": ["bob"]}, {"name": "stewards"}],
        "shelves": [{"name": "s"}],
        "pages": [{"name": "output", "shelf": "s"}],
        **more,
    }
    return evaluator({**document, "models": [model], "roles": list(roles)}, TABLES)


FELL = {"rows": {"table": "site", "where": "area = 'fell'"}}
BY_AREAS = {"rows": {"table": "site", "where": "area IN viewer.areas"}}


def kept(base: Evaluator, viewer: Any = "ann", **must: Any) -> tuple[bool, str]:
    result = run_promise(base, Promise.model_validate({"name": "p", "viewer": viewer, "must": must}))
    return result.kept, result.message


@pytest.mark.parametrize(
    ("must", "expected"),
    [
        ({"rows": {"model": "farm", "table": "site", "where": "area <> 'fell'", "count": 0}}, True),
        ({"rows": {"model": "farm", "table": "run", "at_least": 2}}, True),
        ({"rows": {"model": "farm", "table": "run", "at_most": 1}}, False),
        ({"total": {"model": "farm", "measure": "energy", "equals": 3}}, True),
        ({"total": {"model": "farm", "measure": "energy", "by": ["site.area"], "line": ["fell"], "equals": 3.4, "tolerance": 0.5}}, True),
        ({"total": {"model": "farm", "measure": "energy", "by": ["site.area"], "line": ["marsh"], "equals": None}}, True),
        ({"values": {"model": "farm", "column": "site.area", "only": ["fell"]}}, True),
        ({"values": {"model": "farm", "column": "site.name", "includes": ["rig", "spit"]}}, False),
        ({"values": {"model": "farm", "column": "site.name", "excludes": ["spit"]}}, True),
        ({"visible": {"model": "farm", "objects": ["measure:energy", "column:site.area"]}}, True),
        ({"hidden": {"model": "farm", "objects": ["tag:money"]}}, False),
        ({"pages": {"can_open": ["output"]}}, False),
        ({"pages": {"cannot_open": ["output"]}}, True),
        ({"same_as": {"viewer": "bob"}}, False),
        ({"nothing": True}, False),
    ],
)
def test_a_promise_holds_or_says_what_was_found(must: dict[str, Any], expected: bool) -> None:
    found, message = kept(workspace(role("r", FELL)), **must)
    assert (found, bool(message)) == (expected, True)


def test_a_promise_about_rows_is_read_on_true_values_even_where_they_are_masked() -> None:
    base = workspace(role("r", {"mask": {"column": "site.area", "with": "withhold"}}))
    assert kept(base, rows={"model": "farm", "table": "site", "where": "area = 'marsh'", "count": 0}) == (
        False,
        "sees 2 rows of site where area = 'marsh'; 0 promised",
    )


def test_nothing_is_seen_by_somebody_without_a_role_and_by_nobody_disabled() -> None:
    base = workspace(role("r", to="off"))
    assert kept(base, "bob", nothing=True)[0]
    assert kept(base, "off", nothing=True)[0]


def test_a_promise_about_what_does_not_exist_is_an_error() -> None:
    with pytest.raises(BundleError, match="there is no table sight"):
        kept(workspace(role("r")), rows={"model": "farm", "table": "sight", "count": 0})


def found(base: Evaluator, kind: str, before: Evaluator | None = None) -> list[Finding]:
    return [finding for finding in notice(base, before) if finding.kind == kind]


def test_a_literal_that_no_row_holds_is_noticed_with_the_nearest_value() -> None:
    (finding,) = found(workspace(role("r", {"rows": {"table": "site", "where": "area IN ('Fell', 'marsh')"}})), "value_matches_nothing")
    assert (finding.path, "'fell'" in finding.remedy) == ("roles[0].sentences[0].rows.where", True)


def test_listed_members_that_are_not_in_the_data_are_noticed() -> None:
    sentence = {"members": {"hierarchy": "place", "list": [{"path": ["fell", "rigg"], "see": True}]}}
    assert [finding.path for finding in found(workspace(role("r", sentence)), "value_matches_nothing")] == ["roles[0].sentences[0].members.list[0].path[1]"]


ENTITLED = {"entitlement": {"table": "site", "through": "scope", "person": "who", "person_is": "login", "match": {"area": "area"}}}


def test_entitlement_lines_that_name_nobody_or_match_nothing_are_noticed() -> None:
    base = workspace(role("r", ENTITLED))
    nobody = found(base, "entitlement_names_nobody")
    assert [finding.evidence for finding in nobody] == [["'anne' in 1 rows, nearest 'ann'"], []]
    assert found(base, "entitlement_spelled_otherwise")[0].evidence == ["'ANN ' is 'ann'"]
    assert found(base, "value_not_in_target")[0].evidence == ["'Marsh', nearest 'marsh'"]


def test_attributes_that_decide_nothing_or_are_edited_by_the_person_are_noticed() -> None:
    base = workspace(role("r", BY_AREAS), areas={"editable_by": "person"})
    assert [finding.weight for finding in found(base, "attribute_editable_by_person")] == ["high"]
    assert [finding.path for finding in found(base, "attribute_unused")] == ["attributes[1]"]
    assert found(workspace(role("r", {"rows": {"table": "site", "where": "name = viewer.pin"}}, to="bob")), "attribute_nobody_has") == []


def test_an_attribute_set_for_nobody_is_noticed() -> None:
    base = workspace(role("r", BY_AREAS), users=[{"login": "ann", "name": "Ann"}], groups=[])
    assert [finding.path for finding in found(base, "attribute_nobody_has")] == ["attributes[0]"]


def test_groups_of_equal_standing_that_disagree_are_noticed() -> None:
    groups = [{"name": name, "users": ["bob"], "attributes": {"pin": value}} for name, value in (("a", "1"), ("b", "2"))]
    assert found(workspace(role("r", to=None), groups=groups), "people_in_conflict")[0].evidence == ["bob"]


def test_a_role_held_by_nobody_and_a_limit_that_ends_are_noticed() -> None:
    base = workspace(role("r", to=None), role("l", kind="limit", dated={"until": "2026-04-05"}))
    assert [finding.path for finding in found(base, "role_held_by_nobody")] == ["roles[0]"]
    assert "5 days" in found(base, "limit_ends_soon")[0].message


def test_a_fact_beside_a_restriction_is_noticed() -> None:
    assert [finding.message.split("reaches ")[1] for finding in found(workspace(role("r", FELL)), "fact_not_reached")] == ["visit: all its rows are visible."]


def test_a_tag_hidden_here_and_open_there_is_noticed() -> None:
    base = workspace(role("r", {"objects": {"hide": ["column:site.rent"]}}))
    assert found(base, "tag_open_elsewhere")[0].evidence == ["run.lost"]
    both = workspace(role("r", {"objects": {"hide": ["tag:money"]}}), role("s"))
    assert found(both, "tag_open_by_other_role")[0].evidence == ["ann"]


def test_sentences_that_take_nothing_away_are_noticed() -> None:
    base = workspace(role("r", FELL, FELL, {"rows": {"table": "site", "where": "id < 3"}}))
    assert [finding.path for finding in found(base, "sentence_redundant")] == ["roles[0].sentences[0]", "roles[0].sentences[1]", "roles[0].sentences[2]"]


def test_a_hidden_measure_that_others_let_derive_is_noticed() -> None:
    base = workspace(role("r", {"objects": {"hide": ["measure:lost_share", "measure:lost"]}}))
    assert [finding.message for finding in found(base, "measure_derivable")] == ["r hides lost, but it can be worked out from both and energy."]


def test_a_whole_total_that_gives_one_member_away_is_noticed_with_the_number() -> None:
    entries = [{"path": ["fell", "rig"], "see": True}, {"path": ["marsh"], "see": True}]
    base = workspace(role("r", {"members": {"hierarchy": "place", "list": entries, "totals": "whole"}}))
    assert found(base, "whole_total_gives_away")[0].evidence == ["ann: energy of fell › tarn is 2"]


def test_what_is_new_since_another_bundle_is_noticed() -> None:
    before = workspace(role("r"))
    model = model_document(TABLES, [{"from": "run.site_id", "to": "site.id"}], **MODEL)
    model["tables"][0]["columns"].append({"name": "loud", "type": "text", "expression": "UPPER(name)"})
    rows = {**TABLES, "site": (*TABLES["site"][:2], [*TABLES["site"][2], (5, "isle", "new", 1.0)])}
    after = evaluator({"users": [{"login": "ann", "name": "Ann"}], "models": [model], "roles": [role("r")]}, rows)
    assert [finding.message for finding in found(after, "column_new", before)] == ["site.loud is new and visible in 1 roles."]
    assert found(after, "members_new", before)[0].evidence == ["new"]


def traced(base: Evaluator, viewer: Any = "ann", **asked: Any) -> Trace:
    return trace(base, viewer, Traced.model_validate({"model": None if "page" in asked else "farm", **asked}))


def verdicts(found: Trace) -> list[tuple[str, str]]:
    return [(layer.layer, layer.verdict) for layer in found.layers]


def test_a_trace_stops_at_the_layer_that_decides() -> None:
    base = workspace(role("r", FELL), role("l", {"rows": {"table": "site", "where": "id > 1"}}, kind="limit"), role("p", to="off"))
    assert verdicts(traced(base, "off", table="site", row=1)) == [("account", "stops")]
    assert verdicts(traced(base, "bob", table="site", row=1)) == [("account", "passes"), ("model", "stops")]
    assert verdicts(traced(base, table="site", row=3))[-1] == ("rows", "stops")
    assert verdicts(traced(base, table="site", row=1))[-1] == ("limits", "stops")
    assert traced(base, table="site", row=2).outcome == "can"


def test_a_trace_gives_the_cells_and_the_viewers_values_with_their_source() -> None:
    base = workspace(role("r", BY_AREAS))
    (layer,) = [layer for layer in traced(base, table="run", row=2).layers if layer.layer == "rows"]
    (reason,) = layer.reasons
    assert [(item.name, item.value, item.source) for item in reason.compared] == [("site.area", "marsh", "the row"), ("viewer.areas", ["fell"], "own")]
    assert (reason.passes, reason.held_by, reason.sentence) == (False, ["assigned in person"], 0)


def test_a_trace_never_tells_a_secret_value() -> None:
    base = workspace(role("r", {"rows": {"table": "site", "where": "name = viewer.pin"}}))
    assert "1234" not in traced(base, table="site", row=1).model_dump_json()


def test_a_trace_tells_hidden_objects_masked_cells_and_rows_that_do_not_count() -> None:
    mask = {"mask": {"column": "run.kwh", "with": "withhold", "when": "site.area = 'fell'"}}
    base = workspace(role("r", mask, {"objects": {"hide": ["column:site.rent"]}}))
    assert verdicts(traced(base, object="column:site.rent"))[-1] == ("object", "stops")
    assert traced(base, table="run", row=0, column="kwh").outcome == "masked"
    assert traced(base, table="run", row=2, column="kwh").outcome == "can"
    assert traced(base, table="run", row=0, measure="energy").outcome == "cannot"
    assert traced(base, table="run", row=2, measure="energy").outcome == "can"


def test_a_trace_tells_who_opens_and_who_closes_a_page() -> None:
    opening = role("r", {"pages": {"actions": ["open"]}})
    closing = role("l", {"pages": {"actions": ["open"], "where": "viewer.pin = 'x'"}}, kind="limit", to="bob")
    base = workspace(opening, {**opening, "name": "s", "assigned": [{"user": "bob"}]}, closing)
    assert traced(base, page="output").outcome == "can"
    (_, page) = traced(base, "bob", page="output").layers
    assert (page.verdict, [reason.message for reason in page.reasons]) == ("stops", ["allows open on this page", "denies open on this page"])


def test_a_trace_tells_whether_a_row_may_be_changed() -> None:
    base = workspace(role("r", FELL, {"change": {"table": "site", "update": "rent < 15", "delete": "TRUE"}}))
    assert traced(base, table="site", row=1, change="update", set={"rent": 12.0}).outcome == "can"
    refused = traced(base, table="site", row=1, change="update", set={"rent": 18.0})
    assert (refused.outcome, "no grant role allows this update" in refused.layers[-1].message) == ("cannot", True)
    assert traced(base, table="site", row=2, change="update", set={"rent": 1.0}).layers[-1].reasons[0].passes is False
    assert traced(base, table="site", row=2, change="delete").outcome == "can"
    assert traced(base, table="site", row=3, change="delete").outcome == "cannot"
    with pytest.raises(BundleError, match=r"there is no column site\.size"):
        traced(base, table="site", row=1, change="update", set={"size": 1})


def test_two_viewers_part_at_the_first_layer_that_differs() -> None:
    base = workspace(role("r", FELL), role("s", to="bob"))
    parted = where_they_part(traced(base, table="site", row=3), traced(base, "bob", table="site", row=3))
    assert parted is not None
    assert parted[0].layer == "rows"
    assert where_they_part(traced(base, table="site", row=1), traced(base, "bob", table="site", row=1)) is None


def helping(base: Evaluator, viewer: Any = "ann", **asked: Any) -> list[tuple[str, str, str]]:
    return [(item.kind, item.name, item.outcome) for item in remedies(base, viewer, Traced.model_validate({"model": "farm", **asked}))]


def test_what_would_have_to_change_is_tried_one_change_at_a_time() -> None:
    stewards = {**role("s"), "assigned": [{"group": "stewards"}]}
    base = workspace(role("r", BY_AREAS), stewards)
    assert helping(base, table="site", row=3) == [("assign", "s", "can"), ("join", "stewards", "can"), ("attribute", "areas", "can"), ("sentence", "r", "can")]
    assert helping(base, RealViewer(login="ann", only_roles=["r"]), table="site", row=3) == [
        ("assign", "s", "can"),
        ("attribute", "areas", "can"),
        ("sentence", "r", "can"),
    ]
    narrowed = workspace(role("r"), role("l", FELL, kind="limit"))
    assert helping(narrowed, table="site", row=3) == [("take_away", "l", "can"), ("sentence", "l", "can")]
    assert helping(workspace(role("r", to="off")), "off", table="site", row=3) == [("enable", "off", "can")]


def test_most_rows_come_first_and_of_many_with_the_same_changes_only_some_are_named() -> None:
    def losing(rows: int) -> ViewChanges:
        return ViewChanges(tables=[TableChange(model="farm", table="site", rows=9, before=rows, after=0, gained=0, lost=rows)])

    found = Impacts([(losing(1), ("zoe", "bob")), (losing(5), ("cat",)), (losing(1), ("ann",))], str.title)
    assert [item.login for item in found] == [item.login for item in found[:]] == ["cat", "ann", "bob", "zoe"]
    assert (len(found), found[-1].name, found[0].tables[0].lost) == (4, "Zoe", 5)
    assert [(item.people, [person.login for person in item.named]) for item in shared(found, 2)] == [(1, ["cat"]), (3, ["ann", "bob"])]
    assert shared(impacts_of(found)) == shared(found)


def test_impact_counts_masked_cells_and_chosen_totals_and_groups_people_alike() -> None:
    everyone = {"assigned": [{"everyone": True}]}
    before = workspace({**role("r"), **everyone})
    after = workspace({**role("r", FELL, {"mask": {"column": "site.name", "with": "hash"}}), **everyone})
    (group,) = shared(impact(before, after, ["ann", "bob", "off"], [("farm", "energy")]))
    assert (group.people, [person.login for person in group.named]) == (2, ["ann", "bob"])
    assert [(change.measure, change.before, change.after) for change in group.totals] == [("energy", 15.0, 3.0)]
    assert group.lost == ["clear cells of site.name in 2 rows"]
