"""Small files that would be large in memory, damaged ones, and bundles of nonsense: each refused in a sentence, soon."""

import io
import json
import random
import zipfile
from pathlib import Path

import openpyxl
import pyarrow as pa
import pyarrow.parquet
import pytest

from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.reading import parse_text, read_document
from moorland.core.engine.columns import ARROW_TYPES
from moorland.core.sources.previews import first_reading, grid, headers
from moorland.core.sources.readings import MAX_CELL, ColumnRead
from moorland.core.sources.typed_tables import typed_tables
from tests.core.test_cost import in_time

SHEET = "xl/worksheets/sheet1.xml"


def workbook(path: Path, **parts: str) -> Path:
    """A workbook of one sheet with some of its parts replaced."""
    book = openpyxl.Workbook()
    book.active.append(["id", "word"])
    book.active.append([1, "one"])
    made = io.BytesIO()
    book.save(made)
    with zipfile.ZipFile(made) as old, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as new:
        for item in old.namelist():
            new.writestr(item, parts.pop(item, old.read(item)))
        for name, text in parts.items():
            new.writestr(name, text)
    return path


def sheet(rows: str) -> str:
    return f'<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>{rows}</sheetData></worksheet>'


def taken(path: Path) -> int:
    """How many rows a file gives, read as it proposes itself."""
    reading = grid(path, path.name, first_reading(path, path.name)).reading
    columns = [ColumnRead(place, name, "text") for place, name in enumerate(headers(path, path.name, reading))]
    return sum(table.num_rows for table in typed_tables(path, path.name, reading, columns))


def refused(path: Path) -> str:
    def tried() -> str:
        try:
            return f"{taken(path)} rows"
        except BundleError as error:
            return error.problems[0].message

    said: str = in_time(tried)
    return said


HEAD = '<row r="1"><c r="A1" t="inlineStr"><is><t>id</t></is></c></row>'


@pytest.mark.parametrize(
    ("rows", "says"),
    [
        (HEAD + '<row r="99999999999"><c r="A99999999999"><v>1</v></c></row>', "a row is numbered 99999999999"),
        (HEAD + '<row r="1048577"/>', "a row is numbered 1048577"),
        (HEAD + '<row r="2">' + "<c><v>1</v></c>" * 20_000 + "</row>", "a row of more than 16,384 cells"),
        (HEAD + "<a/>" * 500_000, "holds more between two rows"),
        (HEAD + f'<row r="2"><c r="A2" t="inlineStr"><is><t>{"a" * 40_000}</t></is></c></row>', "a text of more than 32,767 signs"),
        (HEAD + " " * 50_000_000, "times larger unpacked"),
        (HEAD + '<row r="2"><c r="A2', "damaged"),
    ],
)
def test_a_sheet_that_says_it_is_endless_is_refused(tmp_path: Path, rows: str, says: str) -> None:
    assert says in refused(workbook(tmp_path / "a.xlsx", **{SHEET: sheet(rows)}))


def test_a_workbook_that_unpacks_to_much_more_is_refused(tmp_path: Path) -> None:
    assert "times larger unpacked" in refused(workbook(tmp_path / "a.xlsx", **{"xl/media/zeros.bin": "0" * 300_000_000}))


def test_a_workbook_that_defines_words_of_its_own_is_refused(tmp_path: Path) -> None:
    doctype = '<!DOCTYPE a [<!ENTITY b "c">]>' + sheet(HEAD)
    assert "defines words of its own" in refused(workbook(tmp_path / "a.xlsx", **{SHEET: doctype}))


def test_a_workbook_with_too_many_shared_texts_is_refused(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("moorland.core.sources.workbook_bounds.MAX_SHARED_TEXTS", 10_000)
    shared = "<sst>" + "".join(f"<si><t>{number:x}</t></si>" for number in range(10_001)) + "</sst>"
    assert "share more text" in refused(workbook(tmp_path / "a.xlsx", **{"xl/sharedStrings.xml": shared}))


def test_parquet_cells_longer_than_a_cell_are_refused(tmp_path: Path) -> None:
    for name, cells in (("all", ["x" * 30_000_000] * 4), ("one", ["a"] * 1000 + ["y" * (MAX_CELL + 1)])):
        pyarrow.parquet.write_table(pa.table({"word": cells}), tmp_path / f"{name}.parquet", compression="zstd")
        said = refused(tmp_path / f"{name}.parquet")
        assert "more than 32,767 signs" in said


def test_a_text_repeated_in_many_rows_of_parquet_is_read_once(tmp_path: Path) -> None:
    pyarrow.parquet.write_table(pa.table({"word": ["x" * 30_000] * 20_000}), tmp_path / "a.parquet", compression="zstd")
    assert refused(tmp_path / "a.parquet") == "20000 rows"


def test_csv_cells_longer_than_a_cell_are_refused(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("id,word\n1,one\n2," + "x" * (MAX_CELL + 1) + "\n")
    assert "signs" in refused(tmp_path / "a.csv")


@pytest.mark.parametrize("kind", ["xlsx", "parquet"])
def test_damaged_files_are_refused_in_a_sentence(tmp_path: Path, kind: str) -> None:
    whole = tmp_path / f"whole.{kind}"
    if kind == "xlsx":
        workbook(whole)
    else:
        columns = {name: pa.array([None] * 50, type_) for name, type_ in ARROW_TYPES.items()}
        pyarrow.parquet.write_table(pa.table(columns), whole)
    good, chance = whole.read_bytes(), random.Random(3)
    for number in range(60):
        broken = bytearray(good)
        for _ in range(chance.randrange(1, 30)):
            broken[chance.randrange(8, len(broken))] = chance.randrange(256)
        path = tmp_path / f"{number}.{kind}"
        path.write_bytes(bytes(broken[: chance.choice([len(broken), chance.randrange(8, len(broken))])]))
        assert refused(path)


def test_a_bundle_of_unknown_keys_is_refused_soon() -> None:
    document = {"moorland": 1, "name": "n", **{f"key_{number}": 1 for number in range(200_000)}}
    with pytest.raises(BundleError, match="199,500 more like these"):
        in_time(lambda: read_document(document))


def test_a_key_that_stands_twice_among_many_is_named_soon() -> None:
    pairs = ",".join(f'"key_{number}": 1' for number in range(200_000))
    with pytest.raises(BundleError, match="'key_199999' stands twice"):
        in_time(lambda: parse_text(f'{{{pairs}, "key_199999": {json.dumps(1)}}}', "bundle.json"))
