"""Which objects exist under a role: the most specific mention, and what falls with it (semantics.md 3.9, 5.5, 6.6)."""

from typing import Any

import pytest

from tests.core.worlds import FARM, FARM_MEASURES, FARM_RELATIONSHIPS, ask, farm, model_document


def objects(sentence: dict[str, Any], *more: dict[str, Any], **model: Any) -> dict[str, Any]:
    """What exists under one grant role with an objects sentence."""
    document = model_document(FARM, FARM_RELATIONSHIPS, measures=FARM_MEASURES)
    site, _, run = document["tables"]
    site["columns"][3].update(tags=["money"], folder="figures")
    site.update(tags=["place"], folder="estate")
    run["columns"][3].update(tags=["grid"])
    document.update(model)
    role = {"name": "r", "sentences": [{"objects": sentence}, *({"objects": item} for item in more)]}
    return ask(farm(role, model=document), "objects")


def columns(sentence: dict[str, Any], table: str = "site") -> list[str] | None:
    found: list[str] | None = objects(sentence)["tables"].get(table)
    return found


def test_without_mentions_everything_is_visible() -> None:
    found = objects({})
    assert list(found["tables"]) == ["mill", "run", "site"]
    assert found["measures"] == ["energy", "rent", "runs", "secret", "share"]


@pytest.mark.parametrize(
    ("sentence", "expected"),
    [
        ({"hide": ["column:site.rent"]}, ["area", "id", "status"]),
        ({"hide": ["tag:money"]}, ["area", "id", "status"]),
        ({"hide": ["folder:figures"]}, ["area", "id", "status"]),
        ({"hide": ["tag:money"], "show": ["column:site.rent"]}, ["area", "id", "rent", "status"]),
        ({"hide": ["folder:figures"], "show": ["tag:money"]}, ["area", "id", "rent", "status"]),
        ({"hide": ["column:site.rent"], "show": ["column:site.rent"]}, ["area", "id", "status"]),
        ({"hide": ["table:site"]}, None),
        ({"hide": ["table:site"], "show": ["column:site.rent"]}, None),
        ({"hide": ["tag:place"]}, None),
        ({"hide": ["tag:place"], "show": ["table:site"]}, ["area", "id", "rent", "status"]),
        ({"hide": ["folder:estate"]}, None),
        ({"default": "hidden"}, None),
        ({"default": "hidden", "show": ["column:site.rent"]}, ["rent"]),
        ({"default": "hidden", "show": ["tag:money"]}, None),
        ({"default": "hidden", "show": ["table:site"], "hide": ["tag:money"]}, ["area", "id", "status"]),
        ({"default": "hidden", "show": ["folder:estate"]}, ["area", "id", "rent", "status"]),
    ],
)
def test_5_5_the_most_specific_mention_wins(sentence: dict[str, Any], expected: list[str] | None) -> None:
    assert columns(sentence) == expected


def test_5_5_several_object_sentences_are_read_as_one_and_hidden_wins_as_default() -> None:
    found = objects({"show": ["table:site"]}, {"default": "hidden"})
    assert list(found["tables"]) == ["site"]


def test_5_5_a_measure_falls_with_a_column_it_reads() -> None:
    assert objects({"hide": ["tag:grid"]})["measures"] == ["energy", "rent", "runs"]


def test_5_5_a_measure_reads_through_other_measures() -> None:
    assert objects({"hide": ["column:run.kwh"]})["measures"] == ["rent", "runs", "secret"]


def test_5_5_a_hidden_measure_does_not_take_along_what_uses_it() -> None:
    assert objects({"hide": ["measure:energy"]})["measures"] == ["rent", "runs", "secret", "share"]


def test_5_5_counting_rows_needs_the_table() -> None:
    assert "runs" not in objects({"hide": ["table:run"]})["measures"]


def test_5_5_showing_a_measure_by_name_does_not_open_its_columns() -> None:
    assert objects({"default": "hidden", "show": ["measure:rent"]})["measures"] == []


def test_3_9_what_is_in_quarantine_is_hidden_even_when_shown_by_name() -> None:
    document = model_document(FARM, FARM_RELATIONSHIPS, measures=FARM_MEASURES)
    document["tables"][0]["columns"][3]["quarantine"] = True
    found = objects({"show": ["column:site.rent"]}, tables=document["tables"])
    assert found["tables"]["site"] == ["area", "id", "status"]
    assert "rent" not in found["measures"]


def test_5_5_a_hierarchy_needs_all_its_columns_and_a_cube_one_of_its_measures() -> None:
    more = {
        "hierarchies": [{"name": "place", "table": "site", "levels": ["area", "id"]}],
        "cubes": [{"name": "output", "facts": ["run"], "measures": ["energy", "secret"]}, {"name": "hushed", "facts": ["run"], "measures": ["secret"]}],
    }
    found = objects({"hide": ["tag:grid", "column:site.area"]}, **more)
    assert (found["hierarchies"], found["cubes"]) == ([], ["output"])
    assert objects({}, **more)["hierarchies"] == ["place"]


def test_6_6_an_object_exists_through_any_grant_and_every_limit() -> None:
    hide_rent = {"objects": {"hide": ["column:site.rent"]}}
    both = farm({"name": "a", "sentences": [hide_rent]}, {"name": "b"})
    assert "rent" in ask(both, "objects")["tables"]["site"]
    limited = farm({"name": "b"}, {"name": "l", "kind": "limit", "sentences": [hide_rent]})
    assert "rent" not in ask(limited, "objects")["tables"]["site"]


def test_6_6_what_is_hidden_is_refused_in_the_words_of_what_never_was() -> None:
    base = farm({"name": "a", "sentences": [{"objects": {"hide": ["column:site.rent", "table:mill", "measure:secret"]}}]})
    for hidden, unknown in (("site.rent", "site.rant"), ("mill.kw", "mull.kw")):
        refusals = [ask(base, "rows", table="run", columns=[name])["error"]["message"].replace(name, "…") for name in (hidden, unknown)]
        assert refusals[0] == refusals[1]
        refusals = [ask(base, "totals", by=[name], measures=["runs"])["error"]["message"].replace(name, "…") for name in (hidden, unknown)]
        assert refusals[0] == refusals[1]
    answers = [ask(base, "totals", measures=[name]) for name in ("secret", "nonsense")]
    assert [answer["not_found"] for answer in answers] == [["secret"], ["nonsense"]]
    assert [answer["total"] for answer in answers] == [[None], [None]]
