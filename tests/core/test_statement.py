"""Statements of access agree with what the engine answers, and name role, sentence, holding and day (11.6)."""

from typing import Any

import pytest

from moorland.core.bundle.problems import BundleError
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.statement import StatementQuestion, as_rows, statement
from tests.core.worlds import farm, rows_role, visible_ids


def estate() -> Evaluator:
    users = [{"login": "ann", "name": "Ann"}, {"login": "bea", "name": "Bea"}, {"login": "off", "name": "Off", "enabled": False}]
    steward = rows_role("steward", "site", "area = 'fell'", label="Steward", assigned=[{"group": "g", "from": "2026-01-05", "until": "2026-06-30"}])
    steward["sentences"] += [{"mask": {"column": "site.rent", "with": "withhold"}}, {"objects": {"hide": ["column:site.status"]}}]
    limit = rows_role("narrow", "site", "id <> 2", kind="limit", assigned=[{"user": "ann"}])
    reader = {"name": "reader", "model": None, "sentences": [{"pages": {"actions": ["open"]}}], "assigned": [{"user": "bea"}]}
    pages = [{"name": "p", "shelf": "s", "label": "Output", "model": "farm"}]
    groups = [{"name": "g", "label": "Fells", "users": ["ann", "off"]}]
    return farm(steward, limit, reader, users=users, groups=groups, pages=pages, shelves=[{"name": "s"}])


def told(core: Evaluator, **asked: Any) -> list[tuple[str, str, str, str]]:
    found = statement(core, StatementQuestion(**asked))
    return [(line.login, line.subject, line.sees, line.label) for line in [*found.lines, *found.limits]]


def test_a_persons_statement_names_rows_columns_and_limits() -> None:
    core = estate()
    lines = told(core, person="ann")
    assert lines[0] == ("ann", "farm: site", "1 of 5 rows; masked: rent; without status", "Steward")
    assert lines[-1] == ("ann", "everything above", "less what the limit takes away", "narrow")
    assert len(visible_ids(core, "site")) == 1


def test_it_names_the_sentence_how_the_role_is_held_and_since_when() -> None:
    line = statement(estate(), StatementQuestion(person="ann")).lines[0]
    assert (line.words[0], line.held_by, str(line.since), str(line.until)) == (
        "keeps site where area = 'fell'",
        ["through Fells, until 2026-06-30"],
        "2026-01-05",
        "2026-06-30",
    )


def test_of_a_table_or_a_page_it_names_who() -> None:
    core = estate()
    assert [line[0] for line in told(core, model="farm", table="site")] == ["ann", "ann"]
    assert told(core, page="p") == [("bea", "page Output", "opens", "reader")]


def test_nothing_is_stated_of_somebody_disabled() -> None:
    assert told(estate(), person="off") == []


def test_it_can_be_saved_as_lines_under_a_heading() -> None:
    rows = as_rows(statement(estate(), StatementQuestion(page="p")))
    assert rows[0][:3] == ["login", "name", "subject"]
    assert rows[1][:4] == ["bea", "Bea", "page Output", "opens"]


@pytest.mark.parametrize("asked", [{"person": "x"}, {"model": "farm", "table": "x"}, {"page": "x"}])
def test_what_does_not_exist_is_refused(asked: dict[str, Any]) -> None:
    with pytest.raises(BundleError):
        statement(estate(), StatementQuestion(**asked))
