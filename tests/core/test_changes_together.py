"""Rows that are each allowed to be changed are changed together only where none decides over another (semantics.md 9.2)."""

from typing import Any

import pytest

from moorland.core.engine.changes import may_be_made_together
from moorland.core.engine.questions import ChangeQuestion
from tests.core.worlds import farm, rows_role

CHANGE = {"change": {"table": "site", "insert": "id > 0", "update": "id > 0", "delete": "id > 0"}}
WHOLE = {"rows": {"table": "mill", "where": "site_id IN (SELECT id FROM site)"}}
SHOWN = {"objects": {"show": ["table:site"]}}


@pytest.mark.parametrize(
    ("change", "sentences", "together"),
    [
        ({"insert": {"rows": [{"id": 8}, {"id": 9}]}}, [CHANGE], True),
        ({"insert": {"rows": [{"id": 8}, {"id": 8}]}}, [CHANGE], False),
        ({"update": {"set": {"rent": 1.0}}}, [CHANGE], True),
        ({"update": {"set": {"id": 8}}}, [CHANGE], False),
        ({"update": {"set": {"id": 8}, "where": "id = 1"}}, [CHANGE], True),
        ({"update": {"set": {"rent": 1.0}}}, [CHANGE, WHOLE, SHOWN], False),
        ({"delete": {}}, [CHANGE], True),
    ],
)
def test_rows_are_made_together_where_none_decides_over_another(change: dict[str, Any], sentences: list[dict[str, Any]], together: bool) -> None:
    role = {**rows_role("r", "site", "id > 0"), "sentences": sentences}
    base = farm(role)
    found = base.tried_change(base.viewer("ann"), ChangeQuestion.model_validate({"model": "farm", "table": "site", **change}))
    assert all(found.trial.allowed) and may_be_made_together(found) == together
