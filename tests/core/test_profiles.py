"""What tables hold at a glance, how relationships hold, what touches a column, what a refresh changes."""

import datetime
from collections import Counter
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from moorland.core.bundle.reading import read_document
from moorland.core.engine.columns import ARROW_TYPES, TableData, encode
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.profile import column_profile, relationship_health
from moorland.core.insight.refreshing import refresh_report
from moorland.core.insight.touching import dependents, measure_dependents, touches
from moorland.core.sources.files import content_version

BUNDLE: dict[str, Any] = {
    "moorland": 1,
    "name": "small",
    "attributes": [{"name": "areas", "type": "text", "multiple": True}],
    "users": [{"login": "ann", "name": "Ann", "attributes": {"areas": ["fell"]}}, {"login": "bob", "name": "Bob"}],
    "models": [
        {
            "name": "m",
            "tables": [
                {"name": "site", "key": "id", "columns": [{"name": "id", "type": "integer"}, {"name": "area", "type": "text", "tags": ["place"]}]},
                {
                    "name": "run",
                    "columns": [
                        {"name": "site_id", "type": "integer"},
                        {"name": "kwh", "type": "number"},
                        {"name": "double", "type": "number", "expression": "kwh * 2"},
                    ],
                },
            ],
            "relationships": [{"from": "run.site_id", "to": "site.id"}],
            "measures": [{"name": "energy", "table": "run", "expression": "SUM(double)"}, {"name": "more", "table": "run", "expression": "measure.energy + 1"}],
            "hierarchies": [{"name": "places", "table": "site", "levels": ["area", "id"]}],
        }
    ],
    "roles": [
        {
            "name": "r",
            "kind": "grant",
            "model": "m",
            "sentences": [{"rows": {"table": "site", "where": "area IN viewer.areas OR area = 'moor'"}}, {"objects": {"hide": ["tag:place"]}}],
            "assigned": [{"everyone": True}],
        }
    ],
}


def evaluator(sites: list[tuple[int, str | None]], runs: list[tuple[int | None, float | None]]) -> Evaluator:
    import pyarrow as pa

    def data(columns: dict[str, tuple[str, list[Any]]]) -> TableData:
        stored = {name: encode(pa.chunked_array([pa.array(values, ARROW_TYPES[type_])]), type_) for name, (type_, values) in columns.items()}  # type: ignore[arg-type]
        rows = len(next(iter(columns.values()))[1])
        return TableData(content_version(rows, stored), rows, stored)

    tables = {
        "site": data({"id": ("integer", [key for key, _ in sites]), "area": ("text", [area for _, area in sites])}),
        "run": data({"site_id": ("integer", [key for key, _ in runs]), "kwh": ("number", [kwh for _, kwh in runs])}),
    }
    return Evaluator(read_document(BUNDLE), lambda model, name: tables[name], datetime.date(2026, 1, 1))


SITES = [(1, "fell"), (2, "moor"), (3, None)]
RUNS = [(1, 1.0), (1, 2.0), (9, 4.0), (None, 8.0)]


def test_a_profile_counts_values_and_blanks() -> None:
    profile = column_profile(evaluator(SITES, RUNS).data("m"), "site", "area")
    assert (profile.distinct, profile.blank, [(bar.label, bar.rows) for bar in profile.bars]) == (2, 1, [("fell", 1), ("moor", 1)])
    derived = column_profile(evaluator(SITES, RUNS).data("m"), "run", "double")
    assert (derived.derived, derived.least, derived.greatest) == (True, 2.0, 16.0)


@given(st.lists(st.one_of(st.none(), st.integers(-1000, 1000)), max_size=60))
def test_the_bars_of_a_profile_account_for_every_row(values: list[int | None]) -> None:
    profile = column_profile(evaluator(SITES, [(value, 1.0) for value in values]).data("m"), "run", "site_id")
    counted = Counter(value for value in values if value is not None)
    assert (profile.distinct, profile.blank) == (len(counted), sum(value is None for value in values))
    assert sum(bar.rows for bar in profile.bars) + profile.others + profile.blank == len(values)


@given(st.lists(st.one_of(st.none(), st.integers(0, 6)), max_size=40))
def test_the_health_of_a_relationship_is_that_of_its_keys(keys: list[int | None]) -> None:
    data = evaluator(SITES, [(key, 1.0) for key in keys]).data("m")
    health = relationship_health(data, data.schema.parents["run"][0])
    known = {1, 2, 3}
    assert (health.matched, health.blank, health.unmatched) == (
        sum(key in known for key in keys),
        sum(key is None for key in keys),
        sum(key is not None and key not in known for key in keys),
    )
    assert health.unused == len(known - {key for key in keys if key is not None})


def test_sentences_that_touch_a_table_are_named() -> None:
    found = {(touch.sentence, touch.kind, touch.object) for touch in touches(evaluator(SITES, RUNS), "m", "site")}
    assert found == {(0, "rows", "table:site"), (0, "rows", "column:site.area"), (1, "objects", "column:site.area")}


def test_what_builds_on_a_column_is_named() -> None:
    base = evaluator(SITES, RUNS)
    assert dependents(base, "m", "run")["kwh"] == ["column run.double", "measure energy", "measure more"]
    assert dependents(base, "m", "site")["area"] == ["hierarchy places"]
    assert measure_dependents(base, "m", "energy") == ["measure more"]


def test_a_refresh_tells_gains_losses_and_what_no_longer_fits() -> None:
    before = evaluator(SITES, RUNS)
    after = evaluator([(1, "fell"), (4, "fell"), (5, "hill")], RUNS)
    table = before.models["m"].schema.tables["site"]
    report = refresh_report(before, after, "m", table, [], [], [], ["ann", "bob"])
    assert [(item.login, [(table.table, table.gained, table.lost) for table in item.tables]) for item in report.viewers] == [
        ("ann", [("site", 1, 1)]),
        ("bob", [("site", 0, 1)]),
    ]
    assert report.keys is not None
    assert (report.keys.lost, report.keys.new, report.same) == (2, 2, False)
    assert [item.path for item in report.no_longer_fits] == ["roles[0].sentences[0].rows.where"]


def test_a_refresh_with_the_same_rows_in_another_order_moves_nobody() -> None:
    before, after = evaluator(SITES, RUNS), evaluator(list(reversed(SITES)), RUNS)
    report = refresh_report(before, after, "m", before.models["m"].schema.tables["site"], [], [], [], ["ann", "bob"])
    assert (report.viewers, report.columns) == ([], [])


@pytest.mark.parametrize("runs", [[], [(None, None)]])
def test_an_empty_table_has_a_profile(runs: list[tuple[int | None, float | None]], tmp_path: Path) -> None:
    profile = column_profile(evaluator(SITES, runs).data("m"), "run", "kwh")
    assert (profile.distinct, profile.bars, profile.least) == (0, [], None)
