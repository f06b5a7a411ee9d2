"""What files seem to hold: tables, types, keys, relationships, sensitive columns, each with its evidence, to be confirmed or corrected by somebody."""

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
from pydantic import Field

from moorland.core.bundle.model import Column, Model, Relationship, Table
from moorland.core.bundle.schema import build_schema
from moorland.core.bundle.shape import Name, Shape, ValueType
from moorland.core.engine.columns import ARROW_TYPES
from moorland.core.language.tokens import KEYWORDS
from moorland.core.sources.csv_files import csv_tables, file_row
from moorland.core.sources.parquet_files import open_parquet, parquet_batches, parquet_type
from moorland.core.sources.previews import headers
from moorland.core.sources.readings import ColumnRead, FileReading
from moorland.core.sources.sensitivity import sensitive
from moorland.core.sources.sheets import sheet_texts
from moorland.core.sources.spellings import Reading, Spelling, Unreadable, read_texts, recognise

#: Proposals look at so many rows; the import itself looks at every one.
ROWS_LOOKED_AT = 200_000
SAMPLES = 6
#: The tag proposed for columns that seem personal.
PERSONAL = "personal"


@dataclass(frozen=True)
class SourceFile:
    """A file (and sheet) to make a table of."""

    path: Path
    name: str
    reading: FileReading


class ProposedColumn(Shape):
    """A column of a file with what it seems to be. `position` is its place in the file, from 0."""

    position: int
    header: str
    name: str
    type: ValueType
    spelling: Spelling = "plain"
    blanks: list[str] = Field(default_factory=list)
    evidence: str
    doubts: list[str] = Field(default_factory=list)
    distinct: int
    blank: int
    unique: bool
    samples: list[Any] = Field(default_factory=list)
    sensitive: str | None = None
    unusable: bool = False


class ProposedTable(Shape):
    """A table as one file would make it; `rows` were looked at, `whole` tells whether these are all."""

    name: str
    label: str
    key: str | None
    key_evidence: str
    rows: int
    whole: bool
    columns: list[ProposedColumn]


class ProposedRelationship(Shape):
    """A relationship that the values speak for: so many of the distinct values, and of the rows, are found among the keys."""

    from_: str = Field(alias="from")
    to: str
    values: int
    values_found: int
    rows: int
    rows_found: int
    chosen: bool
    evidence: str


class Proposal(Shape):
    """Everything proposed for some files at once."""

    tables: list[ProposedTable]
    relationships: list[ProposedRelationship]


@dataclass
class _Looked:
    """A table with the values looked at, by column name."""

    table: str
    key: str | None
    arrays: dict[str, pa.ChunkedArray]
    existing: bool = False


def plain_name(text: str, otherwise: str) -> str:
    """A name that conditions can use without quotes: lower case, words joined by _."""
    folded = unicodedata.normalize("NFKD", text.replace("ß", "ss")).encode("ascii", "ignore").decode()
    folded = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", "_", folded).lower()
    name = re.sub(r"[^a-z0-9]+", "_", folded).strip("_")[:60]
    if not name or not name[0].isalpha():
        name = f"{otherwise}_{name}".strip("_") if name else otherwise
    return f"{name}_" if name.upper() in KEYWORDS or name == "viewer" else name


def distinct_names(names: Sequence[str]) -> list[str]:
    """The names, the second and later of the same numbered."""
    taken: set[str] = set()
    made = []
    for name in names:
        candidate, number = name, 2
        while candidate in taken:
            candidate, number = f"{name}_{number}", number + 1
        taken.add(candidate)
        made.append(candidate)
    return made


def propose(sources: Sequence[SourceFile], model: Model | None = None, existing: dict[str, dict[str, pa.ChunkedArray]] | None = None) -> Proposal:
    """Tables and relationships for files, beside the tables a model has already (`existing` gives their columns' values).

    Raises BundleError where a file cannot be read.
    """
    taken = [table.name for table in model.tables] if model else []
    stems = [_table_name(source, len(sources)) for source in sources]
    names = distinct_names([*taken, *stems])[len(taken) :]
    tables: list[ProposedTable] = []
    looked = [
        _Looked(name, next((table.key for table in model.tables if table.name == name), None) if model else None, arrays, True)
        for name, arrays in (existing or {}).items()
    ]
    for source, name in zip(sources, names, strict=True):
        table, arrays = _table(source, name)
        tables.append(table)
        looked.append(_Looked(name, table.key, arrays))
    return Proposal(tables=tables, relationships=_relationships(looked, model, tables))


def _table_name(source: SourceFile, files: int) -> str:
    stem = Path(source.name).stem
    generic = re.fullmatch(r"(?i)sheet ?\d*|table ?\d*|tabelle ?\d*|feuil\d*", source.reading.sheet or "sheet")
    return plain_name(stem if generic else source.reading.sheet or stem, "table")


def _table(source: SourceFile, name: str) -> tuple[ProposedTable, dict[str, pa.ChunkedArray]]:
    texts, types, whole = _looked_at(source)
    titles = headers(source.path, source.name, source.reading)
    columns: list[ProposedColumn] = []
    arrays: dict[str, pa.ChunkedArray] = {}
    for position, (title, column_name) in enumerate(
        zip(titles, distinct_names([plain_name(title, f"column_{place + 1}") for place, title in enumerate(titles)]), strict=True)
    ):
        column, values = _column(source, position, title, column_name, name, texts[position], types[position])
        columns.append(column)
        if values is not None:
            arrays[column_name] = values
    rows = len(texts[0]) if texts else 0
    key, evidence = _key(name, columns, rows)
    label = Path(source.name).stem if source.reading.sheet is None else source.reading.sheet
    return ProposedTable(name=name, label=label, key=key, key_evidence=evidence, rows=rows, whole=whole, columns=columns), arrays


def _looked_at(source: SourceFile) -> tuple[list[pa.ChunkedArray], list[ValueType | None], bool]:
    """The columns' values in the rows looked at (texts, but for Parquet), their types where the file tells them, and whether these are all rows."""
    if source.reading.format == "parquet":
        opened = open_parquet(source.path, source.name)
        batches, rows = [], 0
        for batch in parquet_batches(opened, source.name, 50_000):
            batches.append(batch)
            rows += batch.num_rows
            if rows >= ROWS_LOOKED_AT:
                break
        arrow = pa.Table.from_batches(batches, opened.schema_arrow)
        return list(arrow.columns), [parquet_type(field.type) for field in opened.schema_arrow], opened.metadata.num_rows <= rows
    width = len(headers(source.path, source.name, source.reading))
    if source.reading.format == "xlsx":
        cells = sheet_texts(source.path, source.name, source.reading, width)
        full = [index for index in range(len(cells[0]) if cells else 0) if any(column[index] is not None for column in cells)]
        return [pa.chunked_array([pa.array([column[index] for index in full], pa.string())]) for column in cells], [None] * width, True
    arrow, whole = first_texts(source, width)
    return [arrow.column(str(place)) for place in range(width)], [None] * width, whole


def first_texts(source: SourceFile, width: int) -> tuple[pa.Table, bool]:
    """The first rows of a CSV file as texts, and whether these are all. Raises BundleError at a row of another width."""
    types = {str(place): pa.string() for place in range(width)}
    for arrow in csv_tables(source.path, source.name, source.reading, width, types, stop_after=ROWS_LOOKED_AT):
        return arrow.slice(0, ROWS_LOOKED_AT), arrow.num_rows <= ROWS_LOOKED_AT
    return pa.table({name: pa.array([], pa.string()) for name in types}), True


def _column(
    source: SourceFile, position: int, title: str, name: str, table: str, data: pa.ChunkedArray, told: ValueType | None
) -> tuple[ProposedColumn, pa.ChunkedArray | None]:
    parquet = source.reading.format == "parquet"
    if parquet and told is None:
        column = ProposedColumn(
            position=position,
            header=title,
            name=name,
            type="text",
            evidence=f"holds {data.type}, no single values",
            distinct=0,
            blank=0,
            unique=False,
            unusable=True,
        )
        return column, None
    if parquet and pa.types.is_dictionary(data.type):
        data = data.cast(data.type.value_type)
    if parquet and told != "text":
        assert told is not None
        reading = Reading(told, "plain", (), "as the file says", ())
        values = data.cast(ARROW_TYPES[told], safe=False)
    else:
        texts = data.cast(pa.string()) if parquet else data
        counted = pc.value_counts(texts)
        counts = (
            {item["values"].as_py(): item["counts"].as_py() for item in counted if item["values"].is_valid} if len(counted) <= 50_000 else _sampled(counted)
        )
        reading = recognise(counts, lambda text: file_row(source.path, source.name, source.reading, pc.index(texts, text).as_py()))
        try:
            values = read_texts(texts, reading.type, reading.spelling, reading.blanks)
        except Unreadable as error:
            reading = Reading("text", "plain", (), "text", (f"{error} does not fit what most values look like.",))
            values = texts
    distinct = pc.count_distinct(values, mode="only_valid").as_py()
    unique = distinct == len(values) and len(values) > 0
    some = pc.unique(values.slice(0, 20_000)).drop_null()
    shown = [str(value) for value in some.slice(0, 2_000).to_pylist()]
    return (
        ProposedColumn(
            position=position,
            header=title,
            name=name,
            type=reading.type,
            spelling=reading.spelling,
            blanks=list(reading.blanks),
            evidence=reading.evidence,
            doubts=list(reading.doubts),
            distinct=distinct,
            blank=values.null_count,
            unique=unique,
            samples=[text[:60] for text in shown[:SAMPLES]],
            sensitive=sensitive(name, table, shown[:400]),
        ),
        values,
    )


def _sampled(counted: pa.StructArray) -> dict[str, int]:
    """Some of very many distinct texts; the reading that comes of them is tried on all."""
    step = len(counted) // 20_000
    return {item["values"].as_py(): item["counts"].as_py() for item in counted.take(pa.array(range(0, len(counted), step))) if item["values"].is_valid}


def _key(table: str, columns: list[ProposedColumn], rows: int) -> tuple[str | None, str]:
    """The column most likely meant as the key: unique, without blanks, named like one, as far left as possible."""
    candidates = [column for column in columns if column.unique and column.blank == 0 and column.type in ("integer", "text", "date")]
    if not candidates or rows < 2:
        return None, "no column is unique and filled in every row" if rows >= 2 else "too few rows to tell"

    def rank(column: ProposedColumn) -> tuple[int, int]:
        parts = column.name.split("_")
        named = column.name in (table, f"{table}_id", "id", "key", "code") or parts[-1] in ("id", "key", "code", "no", "number")
        return (0 if named else 1 if column.position == 0 else 2, column.position)

    best = min(candidates, key=rank)
    if rank(best)[0] == 2 and len(columns) > 1:
        return None, f"{best.name} is unique, but does not look like a key"
    others = [column.name for column in candidates if column is not best]
    told = f"{rows:,} different values in {rows:,} rows, none blank"
    return best.name, told + (f"; unique too: {', '.join(others[:4])}" if others else "")


def _relationships(looked: list[_Looked], model: Model | None, proposed: list[ProposedTable]) -> list[ProposedRelationship]:
    found: list[tuple[float, ProposedRelationship]] = []
    for one in looked:
        if one.key is None or one.key not in one.arrays:
            continue
        keys = pc.unique(one.arrays[one.key])
        for many in looked:
            if many is one or (many.existing and one.existing):
                continue
            for name, values in many.arrays.items():
                if values.type == keys.type and (many.key != name or len(values) < len(keys)):
                    found += _evidence(many, name, values, one, keys)
    found.sort(key=lambda item: -item[0])
    return _without_double_paths([relationship for _, relationship in found], model, proposed)


def _evidence(many: _Looked, name: str, values: pa.ChunkedArray, one: _Looked, keys: pa.Array) -> list[tuple[float, ProposedRelationship]]:
    affinity = _affinity(name, one.table, one.key or "")
    if affinity == 0 and not (values.type == pa.date32() or (values.type == pa.string() and len(keys) > 5)):
        return []
    distinct = pc.unique(values).drop_null()
    if len(distinct) == 0:
        return []
    held = pc.sum(pc.is_in(distinct, value_set=keys)).as_py() or 0
    share = held / len(distinct)
    if share < (0.5 if affinity >= 1 else 0.9):
        return []
    rows = len(values) - values.null_count
    rows_found = pc.sum(pc.is_in(values, value_set=keys, skip_nulls=True)).as_py() or 0
    evidence = f"{held:,} of {len(distinct):,} values ({rows_found:,} of {rows:,} rows) are keys of {one.table}"
    evidence += "; the names fit" if affinity >= 1 else "; the names do not tell"
    chosen = share >= 0.8 and (affinity >= 1 or share == 1)
    return [
        (
            share + affinity,
            ProposedRelationship(
                from_=f"{many.table}.{name}",
                to=f"{one.table}.{one.key}",
                values=len(distinct),
                values_found=held,
                rows=rows,
                rows_found=rows_found,
                chosen=chosen,
                evidence=evidence,
            ),
        )
    ]


def _affinity(column: str, table: str, key: str) -> float:
    """How far a column's name speaks for a table: 2 named as its key, 1 holding its name, 0 nothing."""
    if column == key and key not in ("id", "key", "code", "name", "no"):
        return 2
    parts = set(column.split("_"))
    stem = table.rstrip("s")
    return 1.5 if column in (table, stem, f"{stem}_{key}") else 1 if {table, stem} & parts else 0


def _without_double_paths(relationships: list[ProposedRelationship], model: Model | None, proposed: list[ProposedTable]) -> list[ProposedRelationship]:
    """The chosen ones that can stand together (3.2), strongest first; the others stay proposed, with the reason."""
    tables = [*(model.tables if model else []), *(table_of(table) for table in proposed)]
    kept = list(model.relationships) if model else []
    result = []
    for relationship in relationships:
        if relationship.chosen:
            tried = Model(name="tried", tables=tables, relationships=[*kept, Relationship(from_=relationship.from_, to=relationship.to)])
            if build_schema(tried).problems:
                why = f"{relationship.evidence}; a second path to that table, or a circle: give the table an alias to use both"
                relationship = relationship.model_copy(update={"chosen": False, "evidence": why})
            else:
                kept = list(tried.relationships)
        result.append(relationship)
    return result


def table_of(table: ProposedTable) -> Table:
    """A proposed table in the shape of the bundle."""
    return Table(
        name=table.name,
        key=table.key,
        columns=[Column(name=column.name, type=column.type, tags=[PERSONAL] if column.sensitive else []) for column in table.columns if not column.unusable],
    )


class ConfirmedColumn(Shape):
    """A column as somebody confirmed it: from this place of the file, read this way."""

    position: int = Field(ge=0, le=16_384)
    name: Name
    label: str | None = Field(default=None, max_length=200)
    type: ValueType
    spelling: Spelling = "plain"
    blanks: list[str] = Field(default_factory=list, max_length=50)
    tags: list[Name] = Field(default_factory=list, max_length=50)

    def read(self) -> ColumnRead:
        """The same, for reading files."""
        return ColumnRead(self.position, self.name, self.type, self.spelling, tuple(self.blanks))
