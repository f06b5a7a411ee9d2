"""Cases that the core and the interface both keep to: the interface's own tests read the same files."""

import json
from pathlib import Path
from typing import Any

import pytest

from moorland.core.bundle.model import Model
from moorland.core.bundle.people import AttributeDefinition
from moorland.core.bundle.schema import build_schema
from moorland.core.engine.mask_kinds import described_kinds
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.clauses import Group, grouped_clauses
from moorland.core.language.tokens import KEYWORDS
from tests.core.worlds import ask, farm, visible_ids

CASES = Path(__file__).parents[1] / "cases"
CONDITIONS = json.loads((CASES / "conditions.json").read_text("utf-8"))
VOCABULARY = json.loads((CASES / "vocabulary.json").read_text("utf-8"))
MEMBERS = json.loads((CASES / "members.json").read_text("utf-8"))

SITE = {"id": "integer", "area": "text", "rent": "number", "leased": "boolean", "opened": "date", "Yearly rent": "number", "case": "text"}
SCHEMA = build_schema(
    Model.model_validate(
        {
            "name": "m",
            "tables": [
                {"name": "site", "key": "id", "columns": [{"name": name, "type": type_} for name, type_ in SITE.items()]},
                {"name": "run", "columns": [{"name": "site_id", "type": "integer"}]},
            ],
            "relationships": [{"from": "run.site_id", "to": "site.id"}],
        }
    )
)
ATTRIBUTES = {"areas": AttributeDefinition(name="areas", type="text", multiple=True), "level": AttributeDefinition(name="level", type="integer")}


@pytest.mark.parametrize("case", CONDITIONS, ids=lambda case: case["about"])
def test_a_condition_written_by_the_interface_is_the_group_it_was_made_of(case: dict[str, Any]) -> None:
    checked = check_condition(case["written"], Scope(schema=SCHEMA, table=case["own"], attributes=ATTRIBUTES))
    assert _without_text(grouped_clauses(checked, case["written"])) == _full(case["group"])


def _without_text(group: Group) -> Any:
    return _full(group.model_dump(mode="json"))


def _full(part: dict[str, Any]) -> dict[str, Any]:
    if "joined" in part:
        return {"joined": part["joined"], "negated": part.get("negated", False), "parts": [_full(item) for item in part["parts"]]}
    defaults = {"negated": False, "values": [], "viewer": None, "many": False, "low": None, "high": None}
    return defaults | {name: value for name, value in part.items() if name != "text"}


@pytest.mark.parametrize("case", MEMBERS["levels"]["cases"], ids=lambda case: case["about"])
def test_members_of_levels_are_seen_as_the_list_says(case: dict[str, Any]) -> None:
    base = farm(
        {"name": "r", "sentences": [{"members": {"hierarchy": "place", **case["sentence"]}}]},
        model={"hierarchies": [{"name": "place", "table": "site", "levels": ["area", "status"]}]},
        attributes=[{"name": "areas", "type": "text", "multiple": True}],
        users=[{"login": "ann", "name": "Ann", "attributes": {"areas": case["areas"]} if case.get("areas") else {}}],
    )
    leaves = [member["path"] for member in ask(base, "members", hierarchy="place")["members"] if len(member["path"]) == 2]
    assert leaves == case["seen"]


@pytest.mark.parametrize("case", MEMBERS["parents"]["cases"], ids=lambda case: case["about"])
def test_members_of_parents_are_seen_as_the_list_says(case: dict[str, Any]) -> None:
    base = farm(
        {"name": "r", "sentences": [{"members": {"hierarchy": "line", **case["sentence"]}}]},
        tables={
            "staff": ("id", {"id": "integer", "lead": "integer"}, [(path[-1], path[-2] if len(path) > 1 else None) for path in MEMBERS["parents"]["members"]])
        },
        relationships=[],
        model={"hierarchies": [{"name": "line", "table": "staff", "key": "id", "parent": "lead"}]},
    )
    assert visible_ids(base, "staff") == [path[-1] for path in case["seen"]]


def test_the_words_of_the_language_are_those_the_interface_knows() -> None:
    assert sorted(KEYWORDS) == json.loads((CASES / "keywords.json").read_text("utf-8"))


def test_the_interface_is_tested_with_the_kinds_of_mask_there_are() -> None:
    assert VOCABULARY["masks"] == [kind.model_dump(mode="json") for kind in described_kinds()]
