"""What the bench tells: sentences switched off, rows that may be exported, roles combined, whole totals that give a number away."""

import datetime
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from moorland.core.bundle.reading import read_document
from moorland.core.engine.columns import TableData
from moorland.core.engine.entitlements import EntitlementRule
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.member_rules import MembersRule
from moorland.core.engine.questions import Question, RowsAnswer, RowsQuestion
from moorland.core.insight.combining import CombineQuestion, combined
from moorland.core.insight.findings.disclosure import whole_total_findings
from moorland.core.sources.files import to_table_data
from tests.core.worlds import arrow_table

COLUMNS = {"id": "integer", "area": "text", "district": "text", "rent": "number"}
ROWS = [(1, "fell", "north", 10.0), (2, "fell", "south", 20.0), (3, "marsh", "shore", 30.0), (4, "moor", "top", 40.0)]
DAY = datetime.date(2026, 1, 1)


def evaluator(*roles: dict[str, Any]) -> Evaluator:
    document = {
        "moorland": 1,
        "name": "Small",
        "users": [{"login": "ann", "name": "Ann"}],
        "models": [
            {
                "name": "m",
                "tables": [{"name": "site", "key": "id", "columns": [{"name": name, "type": type_} for name, type_ in COLUMNS.items()]}],
                "hierarchies": [{"name": "places", "table": "site", "levels": ["area", "district"]}],
                "measures": [{"name": "rent", "table": "site", "expression": "SUM(rent)"}],
            }
        ],
        "roles": [{"kind": "grant", "model": "m", "assigned": [{"user": "ann"}], **role} for role in roles],
    }
    bundle = read_document(document)

    def load(model: Any, table: str) -> TableData:
        return to_table_data(arrow_table(COLUMNS, ROWS), model.tables[0])

    return Evaluator(bundle, load, DAY)


def listed(core: Evaluator, export: bool = False) -> list[Any]:
    question = RowsQuestion(model="m", table="site", columns=["site.id"])
    viewer = core.viewer("ann")
    answer = core.exported_rows(viewer, question) if export else core.answer(viewer, Question(rows=question))
    assert isinstance(answer, RowsAnswer)
    return [row[0] for row in answer.rows]


FELL = {"rows": {"table": "site", "where": "area = 'fell'"}}
OFF: list[dict[str, Any]] = [
    {"rows": {"table": "site", "where": "area = 'marsh'"}},
    {"rows": {"table": "gone", "where": "no such thing"}},
    {"objects": {"hide": ["table:site"]}},
    {"mask": {"column": "site.id", "with": "withhold"}},
    {"beneath": {"tables": ["site"], "rows": False}},
    {"members": {"hierarchy": "places", "list": []}},
]


@pytest.mark.parametrize("sentence", OFF)
def test_a_sentence_that_is_switched_off_says_nothing_and_its_names_are_not_checked(sentence: dict[str, Any]) -> None:
    assert listed(evaluator({"name": "r", "sentences": [FELL, {**sentence, "off": True}]})) == [1, 2]


@pytest.mark.parametrize(
    ("roles", "expected"),
    [
        ([{"name": "r"}], []),
        ([{"name": "r", "sentences": [{"beneath": {"tables": ["site"], "export": True}}]}], [1, 2, 3, 4]),
        ([{"name": "r"}, {"name": "s", "sentences": [FELL, {"beneath": {"tables": ["site"], "export": True}}]}], [1, 2]),
        ([{"name": "r", "sentences": [{"beneath": {"tables": ["site"], "export": True}}]}, {"name": "l", "kind": "limit", "sentences": [FELL]}], [1, 2]),
        (
            [
                {"name": "r", "sentences": [{"beneath": {"tables": ["site"], "export": True}}]},
                {"name": "l", "kind": "limit", "sentences": [{"beneath": {"tables": ["site"], "rows": True}}]},
            ],
            [],
        ),
    ],
)
def test_5_7_rows_are_exported_through_roles_that_say_so(roles: list[dict[str, Any]], expected: list[int]) -> None:
    assert listed(evaluator(*roles), export=True) == expected


conditions = st.sampled_from(["TRUE", "area = 'fell'", "area <> 'fell'", "rent > 15", "id IN (1, 4)", "FALSE"])
masks = st.sampled_from(["withhold", "hash", {"round": {"to": 100}}])
columns = st.sampled_from(["site.rent", "site.id"])
objects = st.lists(st.sampled_from(["column:site.rent", "column:site.district", "column:site.area"]), max_size=2)


@st.composite
def roles(draw: st.DrawFn) -> list[dict[str, Any]]:
    made = []
    for name in ("a", "b", "c", "l"):
        sentences: list[dict[str, Any]] = [{"rows": {"table": "site", "where": draw(conditions)}}, {"objects": {"hide": draw(objects)}}]
        if draw(st.booleans()):
            sentences.append({"mask": {"column": draw(columns), "with": draw(masks), "when": draw(conditions)}})
        made.append({"name": name, "kind": "limit" if name == "l" else "grant", "sentences": sentences})
    return made


@settings(max_examples=150, deadline=None)
@given(roles())
def test_6_5_combined_roles_never_open_a_cell_that_no_role_opens(made: list[dict[str, Any]]) -> None:
    core = evaluator(*made)
    found = combined(core, CombineQuestion(model="m", roles=["a", "b", "c", "l"], table="site"))
    assert found.opened_by_none == 0
    assert sum(part.rows for part in found.parts) in (0, len(ROWS))
    if not found.together.refused and found.together.tables[0].visible is not None:
        assert found.together.tables[0].visible == sum(part.left for part in found.parts if part.roles)


def test_8_3_a_whole_total_less_its_visible_lines_gives_the_one_hidden_member_away() -> None:
    listing = [{"path": ["fell"], "see": True}, {"path": ["fell", "south"], "see": False}]
    core = evaluator({"name": "r", "sentences": [{"members": {"hierarchy": "places", "totals": "whole", "list": listing}}]})
    rule = core.roles["r"].rows[0]
    assert isinstance(rule, MembersRule)
    found = list(whole_total_findings(core, core.roles["r"], rule, [core.viewer("ann")], ""))
    assert "ann: rent of fell › south is 20" in found[0].evidence


def test_5_3_the_rows_each_line_opens_are_those_it_opens_alone() -> None:
    sentence = {"table": "site", "through": "site", "person": "area", "person_is": "login", "match": {"area": "area", "rent": {"between": ["rent", "rent"]}}}
    core = evaluator({"name": "r", "sentences": [{"entitlement": sentence}]})
    rule, data = core.roles["r"].rows[0], core.data("m")
    assert isinstance(rule, EntitlementRule)
    lines = np.arange(len(ROWS))
    assert rule.rows_opened(data, lines) == [int(rule.opened(data, lines[place : place + 1]).sum()) for place in range(len(ROWS))] == [1, 1, 1, 1]
