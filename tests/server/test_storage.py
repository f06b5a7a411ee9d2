"""Table contents kept as column chunks give back what was put in."""

import datetime

import pyarrow as pa
import pytest

from moorland.core.bundle.model import Model
from moorland.core.sources.files import to_table_data
from moorland.server.catalog import storage
from moorland.server.catalog.models import ColumnChunk, TableContent

MODEL = Model.model_validate(
    {"name": "m", "tables": [{"name": "t", "columns": [{"name": "id", "type": "integer"}, {"name": "word", "type": "text"}, {"name": "day", "type": "date"}]}]}
)


def arrow(rows: int) -> pa.Table:
    words = [None if number % 3 == 0 else f"w{number % 5}" for number in range(rows)]
    days = [datetime.date(2026, 1, 1) + datetime.timedelta(days=number % 40) for number in range(rows)]
    return pa.table({"id": pa.array(range(rows), pa.int64()), "word": pa.array(words, pa.string()), "day": pa.array(days, pa.date32())})


@pytest.mark.django_db
@pytest.mark.parametrize("rows", [0, 1, 10, 25])
def test_what_is_stored_is_loaded_again(rows: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(storage, "CHUNK_ROWS", 10)
    storage._loaded.clear()
    storage.store_table("m", MODEL.tables[0], [arrow(rows)])
    data = storage.load_table(MODEL, "t")
    assert (data.rows, data.version) == (rows, to_table_data(arrow(rows), MODEL.tables[0]).version)
    assert data.columns["id"].values.tolist()[:rows] == list(range(rows)) or data.columns["id"].codes is not None
    assert ColumnChunk.objects.filter(column="word").count() == -(-rows // 10)


@pytest.mark.django_db
def test_new_content_replaces_the_old_whole() -> None:
    storage.store_table("m", MODEL.tables[0], [arrow(5)])
    storage.store_table("m", MODEL.tables[0], [arrow(7)])
    assert TableContent.objects.get().rows == 7
    assert storage.load_table(MODEL, "t").rows == 7


@pytest.mark.django_db
def test_a_table_without_content_is_empty() -> None:
    assert storage.load_table(MODEL, "t").rows == 0


@pytest.mark.django_db
def test_a_content_that_ends_while_it_is_read_is_not_used_in_part(monkeypatch: pytest.MonkeyPatch) -> None:
    storage._loaded.clear()
    first = storage.store_table("m", MODEL.tables[0], [arrow(5)])
    read = storage._column

    def replaced_meanwhile(content: TableContent, column: str, type_: str) -> pa.ChunkedArray:
        if content.pk == first.pk and column == "word":
            storage.store_table("m", MODEL.tables[0], [arrow(7)])
        return read(content, column, type_)

    monkeypatch.setattr(storage, "_column", replaced_meanwhile)
    assert storage.load_table(MODEL, "t").rows == 7
