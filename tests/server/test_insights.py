"""Explanations on the bench: why, who, what several roles open, what a line does, roles that one could replace."""

from typing import Any

from tests.server.conftest import Session

ENTITLEMENT = {"table": "site", "through": "site", "person": "area", "person_is": "login", "match": {"area": "area"}}


def area_role(name: str, area: str) -> dict[str, Any]:
    return {"name": name, "kind": "grant", "model": "m", "sentences": [{"rows": {"table": "site", "where": f"area = '{area}'"}}]}


def test_why_follows_an_unsaved_edit_and_tells_what_would_help(boss: Session) -> None:
    about = {"model": "m", "table": "site", "row": 2}
    told = boss.ok("POST", "why", {"viewer": "ann", "about": about})
    assert told["trace"]["outcome"] == "cannot"
    assert any("Assign" in remedy["message"] for remedy in told["remedies"])
    edited = [area_role("steward", "marsh")]
    assert boss.ok("POST", "why", {"viewer": "ann", "about": about, "edited": edited})["trace"]["outcome"] == "can"


def test_why_of_two_viewers_names_the_layer_where_they_part(boss: Session) -> None:
    told = boss.ok("POST", "why", {"viewer": "ann", "other": "boss", "about": {"model": "m", "table": "site", "row": 2}})
    assert told["parts_at"] == "rows"


def test_everybody_who_sees_some_rows_is_named_with_role_and_sentence(boss: Session) -> None:
    told = boss.ok("POST", "who", {"about": {"model": "m", "table": "site", "where": "area = 'fell'"}})["answer"]
    assert told["rows"] == 2
    found = {person["login"]: [(role["role"], role["rows"], role["sentences"]) for role in person["through"]] for person in told["people"]}
    assert found == {"ann": [("steward", 2, [0])], "boss": [("all", 2, [])]}


def test_combined_roles_count_rows_by_the_roles_that_open_them(boss: Session) -> None:
    edited = [area_role("fell", "fell"), area_role("both", "fell")]
    told = boss.ok("POST", "combine", {"edited": edited, "about": {"model": "m", "roles": ["fell", "both"], "table": "site"}})
    assert [(part["roles"], part["rows"]) for part in told["parts"]] == [([], 1), (["fell", "both"], 2)]
    assert (told["cells"], told["opened_by_none"]) == (9, 0)


def test_a_limit_among_combined_roles_shows_what_it_leaves_of_everything(boss: Session) -> None:
    limit = {"name": "narrow", "kind": "limit", "model": "m", "sentences": [{"rows": {"table": "site", "where": "id <> 1"}}]}
    told = boss.ok("POST", "combine", {"edited": [limit], "about": {"model": "m", "roles": ["all", "narrow"], "table": "site"}})
    assert [role["share"]["tables"][0]["visible"] for role in told["roles"]] == [3, 2]
    assert told["together"]["tables"][0]["visible"] == 2
    assert [(part["rows"], part["left"]) for part in told["parts"]] == [(3, 2)]


def test_lines_that_name_nobody_are_told(boss: Session) -> None:
    told = boss.ok("POST", "entitlements/lines", {"model": "m", "sentence": ENTITLEMENT})
    assert (told["total"], told["faulty"], told["open"]) == (3, 3, 0)
    assert told["lines"][0]["faults"] == ["fell names nobody."]


def test_columns_that_match_are_proposed_with_evidence(boss: Session) -> None:
    told = boss.ok("POST", "entitlements/columns", {"model": "m", "through": "run", "table": "site"})
    assert {"column": "id", "through": "site_id", "found": 3, "of": 4} in told["matches"]


def test_a_pasted_list_is_matched_against_the_column(boss: Session) -> None:
    told = boss.ok("POST", "models/m/values/site/area", {"texts": ["fell", " marsh ", "fel"]})
    assert [item["value"] for item in told["found"]] == ["fell", "marsh"]
    assert told["missing"] == [{"text": "fel", "nearest": "fell"}]


def test_what_falls_with_hidden_objects_is_named_before_saving(boss: Session) -> None:
    role = {"name": "steward", "kind": "grant", "model": "m", "sentences": [{"objects": {"hide": ["column:run.kwh"]}}]}
    told = boss.ok("POST", "effect", {"model": "m", "viewers": ["ann"], "edited": [role]})
    found = {(item["kind"], item["label"]): item["needs"] for item in told["fallen"]}
    assert found[("measure", "energy")] == ["run.kwh"]
    assert ("exhibit", "Energy") in found
    assert "measure:energy" not in told["fell"]


def test_the_effect_holds_totals_for_every_viewer(boss: Session) -> None:
    totals = {"model": "m", "measures": ["energy"]}
    told = boss.ok("POST", "effect", {"model": "m", "viewers": ["ann", "boss"], "edited": [area_role("steward", "marsh")], "totals": totals})
    assert [answer["total"] for answer in told["before"]["totals"]] == [[500.0], [1500.0]]
    assert told["after"]["totals"][0]["total"] == [200.0]


def test_a_renamed_role_is_renamed_in_the_conditions_that_ask_for_it(boss: Session) -> None:
    asking = {"name": "asking", "kind": "grant", "model": "m", "sentences": [{"rows": {"table": "site", "where": "'steward' IN viewer.roles"}}]}
    boss.ok("POST", "roles", {"role": asking})
    assert [use["role"] for use in boss.ok("GET", "roles/steward/uses")["uses"]] == ["asking"]
    entry = next(item for item in boss.ok("GET", "roles")["roles"] if item["role"]["name"] == "steward")
    boss.ok("PUT", "roles/steward", {"role": {**entry["role"], "name": "keeper", "assigned": []}, "version": entry["version"]})
    renamed = next(item for item in boss.ok("GET", "roles")["roles"] if item["role"]["name"] == "asking")
    assert renamed["role"]["sentences"][0]["rows"]["where"] == "'keeper' IN viewer.roles"


def test_roles_that_differ_in_one_value_are_replaced_by_one_that_changes_nothing(boss: Session) -> None:
    for name, area, group in (("fells", "fell", "stewards"), ("marshes", "marsh", "others")):
        boss.ok("POST", "roles", {"role": area_role(name, area)})
        boss.ok("POST", f"roles/{name}/assignments", {"add": [{"group": group}]})
    boss.ok("POST", "releases", {"hash": boss.ok("GET", "releases/pending")["hash"], "note": ""})
    found = boss.ok("GET", "similar")["suggestions"]
    assert [[role["name"] for role in item["roles"]] for item in found] == [["fells", "marshes"]]
    made = boss.ok("POST", "similar/replace", {"roles": ["fells", "marshes"]})
    assert f"IN viewer.{found[0]['attribute']}" in made["role"]["sentences"][0]["rows"]["where"]
    pending = boss.ok("GET", "releases/pending")
    assert pending["changes"] != []
    assert pending["viewers"] == []


def test_roles_that_one_role_could_not_replace_unchanged_are_not_pointed_out(boss: Session) -> None:
    for name, area in (("fells", "fell"), ("marshes", "marsh")):
        boss.ok("POST", "roles", {"role": area_role(name, area)})
        boss.ok("POST", f"roles/{name}/assignments", {"add": [{"everyone": True}]})
    assert boss.ok("GET", "similar")["suggestions"] == []
