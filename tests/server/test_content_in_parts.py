"""A content of more rows than are kept in memory is read chunk by chunk, and answers what it answers in memory (sources.md 18.8)."""

from pathlib import Path
from typing import Any

import pyarrow as pa
import pytest

from moorland.core.engine.columns import TableData
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.sources.streamed_tables import StreamedTable
from moorland.server import evaluating
from moorland.server.bundle_export import exported_bundle
from moorland.server.bundle_import import import_into
from moorland.server.catalog import storage
from moorland.server.catalog.chunks import ContentEnded
from moorland.server.catalog.models import TableContent
from tests.server.conftest import Session
from tests.server.test_storage import MODEL, arrow

TABLE = MODEL.tables[0]


@pytest.fixture(autouse=True)
def small_chunks(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(storage, "CHUNK_ROWS", 3)
    storage._loaded.clear()


def in_parts(monkeypatch: pytest.MonkeyPatch) -> None:
    """From now on no row of a table without a key is kept in memory."""
    monkeypatch.setenv("MOORLAND_MOST_ROWS", "0")
    evaluating._evaluators.clear()
    evaluating._joined.clear()


def streamed(data: TableData) -> StreamedTable:
    assert isinstance(data.in_place, StreamedTable)
    return data.in_place


@pytest.mark.django_db
def test_all_rows_come_in_their_order(monkeypatch: pytest.MonkeyPatch) -> None:
    storage.store_table("m", TABLE, [arrow(5), arrow(25)])
    in_parts(monkeypatch)
    assert pa.concat_tables(streamed(storage.load_table(MODEL, "t")).parts()).equals(pa.concat_tables([arrow(5), arrow(25)]))


@pytest.mark.django_db
def test_a_declared_column_that_was_not_brought_is_null_in_every_row(monkeypatch: pytest.MonkeyPatch) -> None:
    storage.store_table("m", TABLE, [arrow(7).drop_columns(["word"])])
    in_parts(monkeypatch)
    rows = pa.concat_tables(streamed(storage.load_table(MODEL, "t")).parts())
    assert (rows.column("word").null_count, rows.column("id").to_pylist()) == (7, list(range(7)))


@pytest.mark.django_db
def test_a_column_declared_otherwise_than_it_was_brought_is_not_read(monkeypatch: pytest.MonkeyPatch) -> None:
    storage.store_table("m", TABLE, [arrow(7)])
    in_parts(monkeypatch)
    changed = [column.model_copy(update={"type": "boolean"}) if column.name == "day" else column for column in TABLE.columns]
    model = MODEL.model_copy(update={"tables": [TABLE.model_copy(update={"columns": changed})]})
    with pytest.raises(SourceFailed, match="Bring it in anew"):
        list(streamed(storage.load_table(model, "t")).parts())


@pytest.mark.django_db
def test_a_content_that_ends_on_the_way_is_not_answered_from(monkeypatch: pytest.MonkeyPatch) -> None:
    storage.store_table("m", TABLE, [arrow(30)])
    in_parts(monkeypatch)
    parts = streamed(storage.load_table(MODEL, "t")).parts()
    next(parts)
    TableContent.objects.update(state="ended")
    with pytest.raises(ContentEnded):
        list(parts)


ASKED: list[dict[str, Any]] = [
    {"totals": {"model": "m", "measures": ["energy"], "by": ["site.area"]}},
    {"totals": {"model": "m", "measures": ["energy"], "where": "run.kwh > 150"}},
    {"rows": {"model": "m", "table": "run", "order": ["run.kwh"]}},
]


def answers(boss: Session) -> list[Any]:
    answered: list[Any] = boss.ok("POST", "evaluate", {"viewers": ["ann", "bob", "boss", {"all_data": True}], "ask": ASKED})["viewers"]
    return answered


def test_everything_asked_is_answered_the_same(boss: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    before = answers(boss)
    in_parts(monkeypatch)
    assert evaluating.evaluator("live").data("m").left == {"run"}
    assert answers(boss) == before


def test_what_is_carried_out_and_in_again_is_the_same(boss: Session, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    in_parts(monkeypatch)
    exported_bundle(tmp_path / "out", "draft", True)
    assert not import_into(tmp_path / "out", "test", apply=True).changes
    table = TableContent.objects.get(table="run")
    assert (table.rows, table.state) == (4, "current")
