"""Table data from files: read by declared type, refused with file, line and column (bundle.md)."""

import datetime
from pathlib import Path
from typing import Any

import openpyxl
import pyarrow as pa
import pyarrow.parquet
import pytest

from moorland.core.bundle.model import Table
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.engine.columns import TableData
from moorland.core.sources import files
from moorland.core.sources.files import read_table

TABLE = {
    "name": "t",
    "key": "id",
    "columns": [
        {"name": "id", "type": "integer"},
        {"name": "word", "type": "text"},
        {"name": "size", "type": "number"},
        {"name": "open", "type": "boolean"},
        {"name": "day", "type": "date"},
        {"name": "at", "type": "timestamp"},
    ],
}
HEADER = "id,word,size,open,day,at\n"


def read(folder: Path, content: str | bytes, name: str = "t.csv") -> TableData:
    (folder / name).write_bytes(content if isinstance(content, bytes) else content.encode())
    return files.read_table(folder, Table.model_validate({**TABLE, "data": name}))


def problems(folder: Path, content: str | bytes, name: str = "t.csv") -> list[Problem]:
    with pytest.raises(BundleError) as raised:
        read(folder, content, name)
    return raised.value.problems


def test_every_field_is_read_by_its_declared_type(tmp_path: Path) -> None:
    data = read(tmp_path, "\ufeff" + HEADER + '1,"a, ""b""",1.5,true,2026-01-31,2026-01-31 10:00\n2,,,,,\n3, 1 ,-2e3,false,2024-02-29,2026-01-31T10:00:01.5\n')
    assert data.rows == 3
    assert data.columns["word"].values.tolist() == [" 1 ", 'a, "b"', ""]
    assert data.columns["word"].codes is not None
    assert data.columns["word"].codes.tolist() == [1, -1, 0, -1]
    assert data.columns["size"].values.tolist() == [1.5, 0.0, -2000.0, 0.0]
    assert data.columns["size"].known.tolist() == [True, False, True, False]


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("x,a,1,true,2026-01-01,", ["column id", "row 1", "'x'", "integer"]),
        ("1.0,a,1,true,2026-01-01,", ["column id"]),
        ("1,a,nan,true,2026-01-01,", ["column size"]),
        ("1,a,inf,true,2026-01-01,", ["column size"]),
        ("1,a,1e999,true,2026-01-01,", ["column size"]),
        ("1,a,1,yes,2026-01-01,", ["column open", "boolean"]),
        ("1,a,1,true,01.02.2026,", ["column day", "'01.02.2026'"]),
        ("1,a,1,true,2026-02-30,", ["column day"]),
        ("99999999999999999999,a,1,true,2026-01-01,", ["column id"]),
        (",a,1,true,2026-01-01,", ["key id is empty"]),
        ("1,a,1,true,2026-01-01,\n1,b,1,true,2026-01-01,", ["key id = 1 stands 2 times"]),
        ("1,a,1,true", ["t.csv"]),
    ],
)
def test_a_wrong_field_is_refused_with_its_place(tmp_path: Path, line: str, words: list[str]) -> None:
    sentence = " ".join(problem.sentence() for problem in problems(tmp_path, HEADER + line + "\n"))
    assert [word for word in words if word not in sentence] == []


def test_every_wrong_column_is_named(tmp_path: Path) -> None:
    found = problems(tmp_path, "id,wrd,size,open,day,at,id,extra\n")
    assert {(problem.code, problem.nearest) for problem in found} == {
        ("duplicate", None),
        ("missing_column", "wrd"),
        ("surplus_column", "word"),
        ("surplus_column", None),
    }


@pytest.mark.parametrize("content", [b"", b"\xff\xfe\x00", HEADER.encode() + b'1,"open', HEADER.encode() + b"1,\xff,1,true,2026-01-01,\n"])
def test_broken_files_are_sentences(tmp_path: Path, content: bytes) -> None:
    assert problems(tmp_path, content)[0].file.startswith("t.csv")


def test_an_endless_line_is_refused_in_bounded_memory(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(files, "MAX_LINE_BYTES", 1000)
    assert "longer than" in problems(tmp_path, HEADER + "1," + "a" * 5000)[0].message


def arrow(**changes: pa.Array) -> pa.Table:
    columns = {
        "id": pa.array([1, 2], pa.int32()),
        "word": pa.array(["b", None]).dictionary_encode(),
        "size": pa.array([1, 2], pa.int16()),
        "open": pa.array([True, None]),
        "day": pa.array([20_000, None], pa.date32()),
        "at": pa.array([0, None], pa.timestamp("ms")),
    }
    return pa.table({**columns, **changes})


def test_parquet_of_kindred_types_is_read(tmp_path: Path) -> None:
    pyarrow.parquet.write_table(arrow(), tmp_path / "t.parquet")
    data = files.read_table(tmp_path, Table.model_validate({**TABLE, "data": "t.parquet"}))
    assert (data.rows, data.columns["size"].values.tolist()) == (2, [1.0, 2.0, 0.0])


@pytest.mark.parametrize("change", [{"id": pa.array(["1", "2"])}, {"size": pa.array([1.0, float("nan")])}, {"day": pa.array(["2026-01-01", None])}])
def test_parquet_of_other_types_is_refused(tmp_path: Path, change: dict[str, pa.Array]) -> None:
    pyarrow.parquet.write_table(arrow(**change), tmp_path / "t.parquet")
    with pytest.raises(BundleError) as raised:
        files.read_table(tmp_path, Table.model_validate({**TABLE, "data": "t.parquet"}))
    assert f"column {next(iter(change))}" in raised.value.problems[0].file


def test_a_file_that_is_not_parquet_is_a_sentence(tmp_path: Path) -> None:
    assert problems(tmp_path, b"PAR1 not really", "t.parquet")[0].code == "parquet"


def test_equal_content_has_an_equal_version_and_other_content_another(tmp_path: Path) -> None:
    line = "1,a,1,true,2026-01-01,\n"
    assert read(tmp_path, HEADER + line).version == read(tmp_path, HEADER + line).version
    assert read(tmp_path, HEADER + line).version != read(tmp_path, HEADER + line.replace("a", "b")).version


def workbook(path: Path, rows: list[list[Any]], sheet: str = "Sites") -> None:
    book = openpyxl.Workbook()
    book.active.title = sheet
    for row in rows:
        book.active.append(row)
    book.save(path)


SITES = Table.model_validate(
    {
        "name": "site",
        "key": "id",
        "data": "site.xlsx",
        "columns": [
            {"name": "id", "type": "integer"},
            {"name": "name", "type": "text"},
            {"name": "opened", "type": "date"},
            {"name": "rent", "type": "number"},
        ],
    }
)


def test_a_workbook_is_read_by_the_declared_types(tmp_path: Path) -> None:
    rows = [["Made up"], ["id", "name", "opened", "rent"], [1.0, "Rigg", datetime.datetime(2026, 1, 2), 2.5], [2, None, None, 3]]
    workbook(tmp_path / "site.xlsx", rows)
    data = read_table(tmp_path, SITES.model_copy(update={"header_row": 2, "sheet": "Sites"}))
    assert (data.rows, data.columns["id"].values[:-1].tolist(), data.columns["rent"].values[:-1].tolist()) == (2, [1, 2], [2.5, 3.0])
    assert data.columns["name"].codes is not None
    assert data.columns["name"].codes[:-1].tolist() == [0, -1]


@pytest.mark.parametrize(
    ("rows", "more", "words"),
    [
        ([["id", "name", "opened"]], {}, "the column rent is missing"),
        ([["id", "name", "opened", "rent", "more"]], {}, "the column more is not declared"),
        ([["id", "name", "opened", "rent"], ["x", "a", None, 1]], {}, "row 1 holds 'x': not of type integer"),
        ([["id", "name", "opened", "rent"], [1, "a", None, 1], [1, "b", None, 1]], {}, "stands 2 times"),
        ([["id", "name", "opened", "rent"]], {"sheet": "Stes"}, "there is no sheet Stes"),
        ([["id"]], {"header_row": 9}, "holds no header"),
    ],
)
def test_a_wrong_workbook_is_told_in_words(tmp_path: Path, rows: list[list[Any]], more: dict[str, Any], words: str) -> None:
    workbook(tmp_path / "site.xlsx", rows)
    with pytest.raises(BundleError, match=words):
        read_table(tmp_path, SITES.model_copy(update=more))


def test_what_is_not_a_workbook_is_told(tmp_path: Path) -> None:
    (tmp_path / "site.xlsx").write_bytes(b"PK not really")
    with pytest.raises(BundleError, match="not readable as a workbook"):
        read_table(tmp_path, SITES)
