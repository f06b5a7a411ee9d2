"""People and groups from CSV and to it: columns mapped, every row tried and told about, all applied or nothing."""

from collections.abc import Iterator
from typing import Any, Literal

from django.db import transaction
from pydantic import Field

from moorland.core.bundle.shape import Shape
from moorland.core.insight.impacts import SharedImpact
from moorland.core.sources.cells import written
from moorland.core.sources.csv_files import csv_rows
from moorland.core.sources.exporting import as_it_was, csv_text
from moorland.core.sources.previews import headers_of
from moorland.core.sources.readings import FileReading
from moorland.core.sources.sheets import sheet_rows
from moorland.server.catalog.uploaded import upload_of
from moorland.server.directory.document import people_document
from moorland.server.directory.people_rows import SEPARATOR, GroupRows, PeopleRows, RefusedRow, RowReport, definitions_here, refused
from moorland.server.errors import Failure

MOST_ROWS = 50_000
FIELDS = {
    "people": ("login", "name", "email", "organization", "kind", "enabled", "about", "keeper", "groups"),
    "groups": ("name", "label", "priority", "enabled", "about", "keeper", "users", "groups"),
}
Kind = Literal["people", "groups"]


class PeopleImport(Shape):
    """A file of people or groups. `columns` maps fields (login, name …, `attribute:areas`) to places in the file, from 0."""

    upload: str
    reading: FileReading
    kind: Kind
    columns: dict[str, int] = Field(max_length=200)
    leave_out_refused: bool = False
    #: Adds the groups that people in the file are put in and that are not here yet.
    add_groups: bool = False


class ImportReport(Shape):
    """Every row of a file, tried; `viewers` are those who would see something else."""

    rows: list[RowReport]
    created: int
    changed: int
    unchanged: int
    refused: int
    #: Groups named in the file that are not here; they can be added with it.
    unknown_groups: list[str]
    viewers: list[SharedImpact]


def file_rows(asked: PeopleImport) -> tuple[list[str], list[tuple[int, list[str]]]]:
    """The header and the filled rows of the file with their numbers. Raises BundleError where it cannot be read."""
    upload = upload_of(asked.upload)
    source: Iterator[list[str]]
    if asked.reading.format == "csv":
        source = csv_rows(upload.path, upload.name, asked.reading)
    elif asked.reading.format == "xlsx":
        source = ([written(cell, "text") or "" for cell in row] for row in sheet_rows(upload.path, upload.name, asked.reading))
    else:
        raise Failure(422, "format", "People come in as CSV or XLSX.")
    header: list[str] = []
    rows: list[tuple[int, list[str]]] = []
    for number, row in enumerate(source, 1):
        if number == asked.reading.header_row:
            header = headers_of(row)
        elif number > asked.reading.header_row and any(cell.strip() for cell in row):
            if asked.reading.format == "csv" and len(row) != len(header):
                raise Failure(422, "csv", f"Row {number:,} has {len(row)} cells, the header has {len(header)}. Nothing was changed.")
            rows.append((number, [as_it_was(cell) for cell in row]))
            if len(rows) > MOST_ROWS:
                raise Failure(422, "too_large", f"More than {MOST_ROWS:,} rows. Bring them in pieces.")
    return header, rows


def run(asked: PeopleImport) -> tuple[list[RowReport], list[str]]:
    """Applies every row, one after the other: what each did, and the groups that were missing; the caller's transaction decides whether it stays."""
    definitions = definitions_here()
    known = {*FIELDS[asked.kind], *(f"attribute:{name}" for name in definitions)}
    unknown = sorted(set(asked.columns) - known)
    key = "login" if asked.kind == "people" else "name"
    if unknown:
        raise Failure(422, "unknown_name", f"There is no field {unknown[0]}.")
    if key not in asked.columns:
        raise Failure(422, "missing_column", f"Say which column holds the {key}.")
    header, rows = file_rows(asked)
    beyond = [field for field, place in asked.columns.items() if not 0 <= place < len(header)]
    if beyond:
        raise Failure(422, "missing_column", f"The file has no column for {beyond[0]}.")
    importing = PeopleRows(definitions) if asked.kind == "people" else GroupRows(definitions)
    place = asked.columns.get("groups")
    if asked.add_groups and asked.kind == "people" and place is not None:
        importing.add_groups(part.strip() for _, cells in rows if place < len(cells) for part in cells[place].split(SEPARATOR))
    reports: list[RowReport] = []
    for number, cells in rows:
        values = {field: (cells[place].strip() if place < len(cells) else "") for field, place in asked.columns.items()}
        name = values[key]
        try:
            if not name:
                raise RefusedRow(f"the {key} is blank")
            with transaction.atomic():
                outcome, changes = importing.row(values)
            reports.append(RowReport(row=number, name=name, outcome=outcome, changes=changes, why=None))
        except (RefusedRow, Failure) as error:
            reports.append(refused(number, name, error))
    importing.finish(reports)
    return reports, sorted(importing.unknown_groups)


def report_of(rows: list[RowReport], unknown_groups: list[str], viewers: list[SharedImpact]) -> ImportReport:
    """The rows with their counts."""
    count = {outcome: sum(row.outcome == outcome for row in rows) for outcome in ("created", "changed", "unchanged", "refused")}
    return ImportReport(rows=rows, unknown_groups=unknown_groups, viewers=viewers, **count)


def exported(kind: Kind) -> str:
    """All people, or all groups, as CSV that can be brought in again; no password is in it, and no secret attribute."""
    document = people_document()
    attributes = [item["name"] for item in document["attributes"] if item.get("shown_to") != "nobody"]
    if kind == "people":
        member: dict[str, list[str]] = {}
        for group in document["groups"]:
            for login in group["users"]:
                member.setdefault(login, []).append(group["name"])
        lines = [
            [
                user["login"],
                user["name"],
                user["email"],
                user["organization"],
                user["kind"],
                user["enabled"],
                user.get("about"),
                user.get("keeper"),
                _joined(member.get(user["login"], [])),
            ]
            + [_joined(user["attributes"].get(name)) for name in attributes]
            for user in document["users"]
        ]
    else:
        lines = [
            [
                group["name"],
                group["label"],
                group["priority"],
                group["enabled"],
                group.get("about"),
                group.get("keeper"),
                _joined(group["users"]),
                _joined(group["groups"]),
            ]
            + [_joined(group["attributes"].get(name)) for name in attributes]
            for group in document["groups"]
        ]
    return csv_text([[*FIELDS[kind], *(f"attribute:{name}" for name in attributes)], *lines])


def _joined(value: Any) -> Any:
    return SEPARATOR.join(map(str, value)) if isinstance(value, list) else value
