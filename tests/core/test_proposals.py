"""What files seem to hold is proposed with evidence; what cannot be read says where it breaks."""

from pathlib import Path

import openpyxl
import pyarrow as pa
import pyarrow.parquet
import pytest

from moorland.core.bundle.problems import BundleError
from moorland.core.sources.exporting import csv_text
from moorland.core.sources.previews import first_reading, grid
from moorland.core.sources.proposals import ConfirmedColumn, Proposal, ProposedTable, SourceFile, distinct_names, plain_name, propose
from moorland.core.sources.readings import FileReading
from moorland.core.sources.sensitivity import sensitive
from moorland.core.sources.typed_tables import typed_tables


def source(folder: Path, name: str, text: str | bytes) -> SourceFile:
    path = folder / name
    path.write_bytes(text.encode() if isinstance(text, str) else text)
    return SourceFile(path, name, grid(path, name, first_reading(path, name)).reading)


def proposed(*sources: SourceFile) -> Proposal:
    return propose(sources)


def read(place: SourceFile, table: ProposedTable) -> pa.Table:
    columns = [
        ConfirmedColumn(position=item.position, name=item.name, type=item.type, spelling=item.spelling, blanks=item.blanks).read() for item in table.columns
    ]
    return pa.concat_tables(list(typed_tables(place.path, place.name, place.reading, columns)))


def test_names_can_be_used_in_conditions_without_quotes() -> None:
    assert [plain_name(text, "column_1") for text in ("Site ID", "siteID", "Größe (m²)", "2nd", "date", "—", "viewer")] == [
        "site_id",
        "site_id",
        "grosse_m2",
        "column_1_2nd",
        "date_",
        "column_1",
        "viewer_",
    ]
    assert distinct_names(["a", "a", "b", "a"]) == ["a", "a_2", "b", "a_3"]


@pytest.mark.parametrize("delimiter", [",", ";", "\t", "|"])
def test_delimiters_are_found(tmp_path: Path, delimiter: str) -> None:
    place = source(tmp_path, "a.csv", "\n".join(delimiter.join(row) for row in (["a", "b", "c"], ["1", "2", "3"], ["4", "5", "6"])))
    assert place.reading.delimiter == delimiter


def test_what_is_proposed_can_be_read_as_proposed(tmp_path: Path) -> None:
    lines = "".join(f"{number};{number},5;{1 + number % 28:02}.01.2026;{'ja' if number % 2 else '-'}\n" for number in range(60))
    place = source(tmp_path, "a.csv", "id;share;day;word\n" + lines)
    (table,) = proposed(place).tables
    assert [column.type for column in table.columns] == ["integer", "number", "date", "text"]
    arrow = read(place, table)
    assert (arrow.num_rows, arrow.column("share")[3].as_py(), arrow.column("day")[3].as_py().isoformat()) == (60, 3.5, "2026-01-04")


def test_a_key_needs_every_value_once(tmp_path: Path) -> None:
    tables = proposed(source(tmp_path, "a.csv", "id,x\n1,a\n2,a\n3,b\n"), source(tmp_path, "b.csv", "id,x\n1,a\n1,b\n")).tables
    assert [table.key for table in tables] == ["id", None]


def test_a_relationship_needs_values_and_a_second_path_is_not_chosen(tmp_path: Path) -> None:
    site = source(tmp_path, "site.csv", "site_id,area\n" + "".join(f"{number},a\n" for number in range(1, 9)))
    turbine = source(tmp_path, "turbine.csv", "turbine_id,site_id\n" + "".join(f"{number + 100},{1 + number % 8}\n" for number in range(20)))
    run = source(tmp_path, "run.csv", "turbine_id,site_id,kwh\n" + "".join(f"{100 + number % 20},{1 + number % 8},{number}\n" for number in range(60)))
    found = {(item.from_, item.to): item for item in proposed(site, turbine, run).relationships}
    assert found["turbine.site_id", "site.site_id"].values_found == 8
    chosen = {pair for pair, item in found.items() if item.chosen}
    assert ("turbine.site_id", "site.site_id") in chosen
    assert len(chosen & {("run.turbine_id", "turbine.turbine_id"), ("run.site_id", "site.site_id")}) == 1


@pytest.mark.parametrize(
    ("name", "table", "texts", "kind"),
    [
        ("mail", "t", ["a@b.example", "c@d.example"], "mail address"),
        ("contact_no", "t", ["+44 20 1111 2222", "020 3333 4444"], "telephone"),
        ("name", "technician", ["Jo Ames", "Bea Moor", "Cy Sound", "Di Fell", "Ed Carr"], "personal name"),
        ("home_address", "t", ["x"], "address"),
        ("day_rate", "t", ["1"], "pay"),
    ],
)
def test_columns_that_seem_personal_are_told(name: str, table: str, texts: list[str], kind: str) -> None:
    assert (sensitive(name, table, texts) or "").startswith(kind)


@pytest.mark.parametrize(
    ("name", "texts"),
    [("area", ["High Fells", "Low Moor"]), ("name", ["Grey Rigg", "Long Tarn", "Whin Howe", "Cairn Side", "Moss Foot"]), ("turbine_id", ["101", "102"])],
)
def test_columns_of_places_and_numbers_are_not(name: str, texts: list[str]) -> None:
    assert sensitive(name, "site", texts) is None


def test_three_hundred_columns_and_double_headers_are_read(tmp_path: Path) -> None:
    header = ",".join(f"c{number % 150}" for number in range(300))
    place = source(tmp_path, "wide.csv", header + "\n" + ",".join(["1"] * 300) + "\n" + ",".join(["2"] * 300) + "\n")
    (table,) = proposed(place).tables
    assert (len(table.columns), len({column.name for column in table.columns})) == (300, 300)
    assert "stands in columns" in grid(place.path, "wide.csv", place.reading).problems[0].message


def test_a_cell_over_several_lines_is_one_cell(tmp_path: Path) -> None:
    place = source(tmp_path, "a.csv", 'a,b\n1,"x\ny"\n2,"z, ""q"""\n')
    assert read(place, proposed(place).tables[0]).column("b").to_pylist() == ["x\ny", 'z, "q"']


def test_another_encoding_is_named_and_can_be_chosen(tmp_path: Path) -> None:
    path = tmp_path / "a.csv"
    path.write_bytes("a,b\n1,Zürich\n".encode("cp1252"))
    with pytest.raises(BundleError) as found:
        grid(path, "a.csv", FileReading(format="csv"))
    assert "row 2, character 4 is not UTF-8 (read as Windows-1252: “1,Zürich”)" in str(found.value)
    reading = FileReading(format="csv", encoding="windows-1252")
    assert propose([SourceFile(path, "a.csv", reading)]).tables[0].columns[1].samples == ["Zürich"]


def test_utf_16_is_read(tmp_path: Path) -> None:
    place = source(tmp_path, "a.csv", "a,b\n1,ü\n2,é\n".encode("utf-16"))
    assert read(place, proposed(place).tables[0]).column("b").to_pylist() == ["ü", "é"]


def test_a_cell_of_another_type_is_named_with_row_and_column(tmp_path: Path) -> None:
    place = source(tmp_path, "a.csv", "a,b\n1,2\n\n3,x\n")
    with pytest.raises(BundleError) as found:
        list(typed_tables(place.path, "a.csv", place.reading, [ConfirmedColumn(position=1, name="b", type="integer").read()]))
    assert str(found.value) == "a.csv, row 4, column B (b): 'x' is not of type integer."


def test_a_formula_never_computed_is_named_with_its_cell(tmp_path: Path) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    for row in (["a", "b"], [1, "=A2*2"]):
        sheet.append(row)
    book.save(tmp_path / "a.xlsx")
    with pytest.raises(BundleError) as found:
        propose([SourceFile(tmp_path / "a.xlsx", "a.xlsx", FileReading(format="xlsx", sheet="Sheet"))])
    assert "sheet Sheet, cell B2: a formula without a saved result" in str(found.value)


def test_lists_in_parquet_are_left_out_and_infinity_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "a.parquet"
    pa.parquet.write_table(pa.table({"id": [1, 2], "many": [[1], [2]], "x": [1.0, float("inf")], "y": [float("nan"), 1.0]}), path)
    place = SourceFile(path, "a.parquet", FileReading(format="parquet"))
    (table,) = propose([place]).tables
    assert [column.unusable for column in table.columns] == [False, True, False, False]
    with pytest.raises(BundleError, match="row 2 holds infinity"):
        list(typed_tables(path, "a.parquet", place.reading, [ConfirmedColumn(position=2, name="x", type="number").read()]))
    (arrow,) = typed_tables(path, "a.parquet", place.reading, [ConfirmedColumn(position=3, name="y", type="number").read()])
    assert arrow.column("y").to_pylist() == [None, 1.0]


def test_a_parquet_file_that_breaks_off_is_refused(tmp_path: Path) -> None:
    whole = tmp_path / "a.parquet"
    pa.parquet.write_table(pa.table({"id": list(range(1000))}), whole)
    (tmp_path / "half.parquet").write_bytes(whole.read_bytes()[:200])
    with pytest.raises(BundleError, match="not readable as Parquet"):
        grid(tmp_path / "half.parquet", "half.parquet", FileReading(format="parquet"))


def test_exports_run_nothing_in_a_spreadsheet() -> None:
    assert csv_text([["=1+1", "+x", "-y", "@z", "a", 1, None, True]]) == "'=1+1,'+x,'-y,'@z,a,1,,true\n"
