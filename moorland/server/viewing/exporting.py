"""Tables as files to download."""

import io
from typing import Any, Literal

from django.http import HttpResponse
from django.utils.http import content_disposition_header

from moorland.core.sources.exporting import csv_text, workbook_bytes

_TYPES = {"csv": "text/csv; charset=utf-8", "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"}


def file_response(name: str, format_: Literal["csv", "xlsx"], rows: list[list[Any]]) -> HttpResponse:
    """Rows, the first of them the heading, as a CSV file or a workbook."""
    content = csv_text(rows).encode("utf-8-sig") if format_ == "csv" else workbook_bytes(rows)
    response = HttpResponse(io.BytesIO(content), content_type=_TYPES[format_])
    response["Content-Disposition"] = content_disposition_header(True, f"{name}.{format_}")
    return response
