"""Which rows a viewer sees: relationships, base filters, grants and limits together (semantics.md 6)."""

from tests.core.worlds import FARM_RELATIONSHIPS, ask, farm, rows_role, visible_ids


def test_6_1_a_restriction_travels_down_to_what_refers_to_the_table() -> None:
    base = farm(rows_role("r", "site", "area = 'fell'"))
    assert visible_ids(base, "site") == [1, 2]
    assert visible_ids(base, "mill") == [10, 11]
    assert visible_ids(base, "run", "mill_id") == [10, 10, 11]


def test_6_1_an_unmatched_or_null_key_toward_a_restricted_parent_hides_the_row() -> None:
    assert visible_ids(farm(rows_role("r", "site", "TRUE")), "mill") == [10, 11, 12]


def test_6_1_an_unrestricted_parent_hides_nothing() -> None:
    assert visible_ids(farm({"name": "r"}), "mill") == [10, 11, 12, 13, 14]


def test_6_1_a_restriction_does_not_travel_up_by_itself() -> None:
    assert visible_ids(farm(rows_role("r", "run", "kwh > 500")), "mill") == [10, 11, 12, 13, 14]


def test_6_1_under_down_and_up_a_parent_without_a_visible_row_disappears() -> None:
    relationships = [FARM_RELATIONSHIPS[0], {**FARM_RELATIONSHIPS[1], "carries": "down_and_up"}]
    base = farm(rows_role("r", "run", "kwh > 300"), relationships=relationships)
    assert visible_ids(base, "mill") == [11, 12, 13]
    assert visible_ids(base, "site") == [1, 2, 3, 4, 5]


def test_6_1_down_and_up_also_acts_where_only_the_parents_own_sentence_restricts() -> None:
    relationships = [FARM_RELATIONSHIPS[0], {**FARM_RELATIONSHIPS[1], "carries": "down_and_up"}]
    base = farm(rows_role("r", "mill", "kw < 100"), relationships=relationships)
    assert visible_ids(base, "mill") == [10, 11, 12, 13]


def test_5_3_a_row_for_which_the_condition_is_unknown_is_not_shown() -> None:
    assert visible_ids(farm(rows_role("r", "site", "status <> 'closed'")), "site") == [1, 3, 5]


def test_5_4_several_sentences_on_one_table_all_have_to_hold() -> None:
    role = {"name": "r", "sentences": [{"rows": {"table": "site", "where": "area = 'fell'"}}, {"rows": {"table": "site", "where": "status = 'open'"}}]}
    assert visible_ids(farm(role), "site") == [1]


def test_a_sentence_may_read_lookups() -> None:
    assert visible_ids(farm(rows_role("r", "run", "site.area = 'marsh' OR mill.kw = 5")), "run", "mill_id") == [10, 10, 12, 12]


def test_3_2_a_lookup_that_does_not_match_gives_nulls() -> None:
    assert visible_ids(farm(rows_role("r", "mill", "COALESCE(site.area, 'none') = 'none'")), "mill") == [13, 14]


def test_3_7_a_base_filter_removes_rows_for_everyone_and_travels() -> None:
    base = farm({"name": "r"})
    model = base.bundle.models[0].model_dump(mode="json", by_alias=True, exclude_none=True)
    model["tables"][0]["base_filter"] = "status = 'open'"
    base = farm({"name": "r"}, model={"tables": model["tables"]})
    assert visible_ids(base, "site") == [1, 3, 5]
    assert visible_ids(base, "mill") == [10, 12]
    assert visible_ids(base, "run", "mill_id") == [10, 10, 12, 12]


def test_6_3_without_a_grant_role_the_model_does_not_exist() -> None:
    base = farm({"name": "limit", "kind": "limit"})
    assert ask(base, "rows", table="site")["error"] == {"code": "not_found", "message": "Nothing named farm was found."}
    assert ask(base, "rows", table="site", model="nowhere")["error"] == {"code": "not_found", "message": "Nothing named nowhere was found."}


def test_6_4_grants_widen() -> None:
    assert visible_ids(farm(rows_role("a", "site", "area = 'fell'"), rows_role("b", "site", "status = 'open'")), "site") == [1, 2, 3, 5]


def test_6_4_limits_narrow() -> None:
    base = farm(rows_role("a", "site", "area = 'fell'"), rows_role("b", "site", "area = 'marsh'"), rows_role("l", "site", "status = 'open'", kind="limit"))
    assert visible_ids(base, "site") == [1, 3]


def test_6_4_rows_of_one_role_never_combine_with_columns_of_another() -> None:
    narrow = rows_role("narrow", "site", "area = 'fell'")
    wide = {"name": "wide", "sentences": [{"objects": {"hide": ["column:site.rent"]}}]}
    base = farm(narrow, wide)
    assert visible_ids(base, "site") == [1, 2, 3, 4, 5]
    answer = ask(base, "rows", table="site", columns=["id", "rent"], order=["id"])
    assert answer["rows"] == [[1, 10.0], [2, 20.0], [3, None], [4, None], [5, None]]
    assert answer["states"] == [["clear", "clear"]] * 2 + [["clear", "hidden"]] * 3
    assert ask(base, "totals", by=[], measures=["rent"])["total"] == [30.0]


def test_6_4_a_limit_that_hides_a_column_hides_it_from_every_grant() -> None:
    base = farm({"name": "a"}, {"name": "l", "kind": "limit", "sentences": [{"objects": {"hide": ["column:site.rent"]}}]})
    assert ask(base, "rows", table="site", columns=["rent"])["error"]["code"] == "not_found"


def test_2_7_a_disabled_user_sees_nothing() -> None:
    base = farm({"name": "a"}, users=[{"login": "ann", "name": "Ann", "enabled": False}])
    assert ask(base, "rows", table="site")["error"]["code"] == "no_access"
    assert ask(base, "pages")["error"]["code"] == "no_access"


def test_viewers_with_other_values_do_not_share_an_answer() -> None:
    users = [{"login": "ann", "name": "Ann", "attributes": {"area": "fell"}}, {"login": "bob", "name": "Bob", "attributes": {"area": "marsh"}}]
    base = farm(rows_role("r", "site", "area = viewer.area"), users=users, attributes=[{"name": "area", "type": "text"}])
    assert visible_ids(base, "site", login="ann") == [1, 2]
    assert visible_ids(base, "site", login="bob") == [3, 4]
