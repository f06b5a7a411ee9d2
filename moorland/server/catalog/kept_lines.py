"""What the lines of a table kept here hold, as columns: now, and at the end of a day that is over (semantics.md 11.7)."""

import datetime
import zoneinfo
from collections.abc import Callable

import pyarrow as pa
from django.db.models import Q, QuerySet

from moorland.core.bundle.model import Column, Table
from moorland.core.bundle.model import Model as ModelShape
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.values import typed_value
from moorland.core.engine.columns import ARROW_TYPES, TableData
from moorland.core.sources.files import check_key, to_table_data
from moorland.server.catalog.models import KeptLine, KeptTable
from moorland.server.catalog.storage import load_table

#: Loads the data of a table of a model.
Loader = Callable[[ModelShape, str], TableData]


def stored_columns(shape: Table) -> list[Column]:
    """The columns whose values a line holds."""
    return [column for column in shape.columns if not column.derived]


def lines_table(kept: KeptTable, shape: Table) -> pa.Table:
    """What the table's lines hold now. Raises BundleError where a key is null or stands twice."""
    arrow = _columns(kept.lines.filter(ended_at=None), shape)
    check_key(arrow, shape, f"lines kept here, version {kept.version}")
    return arrow


def as_declared(arrow: pa.Table, live: Table) -> pa.Table:
    """The columns a release declares; one that it types otherwise is null in every row."""
    types = {column.name: ARROW_TYPES[column.type] for column in stored_columns(live)}
    nulls = {name: pa.nulls(arrow.num_rows, type_) for name, type_ in types.items()}
    return pa.table(
        {name: arrow.column(name) if name in arrow.column_names and arrow.column(name).type == type_ else nulls[name] for name, type_ in types.items()}
    )


def lived_loader(day: datetime.date, zone: zoneinfo.ZoneInfo) -> Loader | None:
    """Loads tables with the lines kept here as they were at the end of a day that is over; None where none has changed since.

    Of days before a table was kept here its lines at the end of its first day are the nearest known.
    """
    at: dict[tuple[str, str], tuple[KeptTable, datetime.datetime]] = {}
    for kept in KeptTable.objects.all():
        first = kept.lines.order_by("added_at").values_list("added_at", flat=True).first()
        if first is None:
            continue
        moment = _after(max(day, first.astimezone(zone).date()), zone)
        if kept.lines.filter(Q(added_at__gte=moment) | Q(ended_at__gte=moment)).exists():
            at[kept.model, kept.table] = (kept, moment)
    if not at:
        return None

    def load(model: ModelShape, name: str) -> TableData:
        if (model.name, name) not in at:
            return load_table(model, name)
        kept, moment = at[model.name, name]
        shape = next(table for table in model.tables if table.name == name)
        lines = kept.lines.filter(added_at__lt=moment).filter(Q(ended_at=None) | Q(ended_at__gte=moment))
        try:
            arrow = _columns(lines, shape)
        except ValueError as error:
            message = f"The lines of {name} as they were on {day} do not fit the table as it was: {error}."
            raise BundleError([Problem("type", message, f"models.{model.name}.tables.{name}")]) from None
        return to_table_data(arrow, shape)

    return load


def _after(day: datetime.date, zone: zoneinfo.ZoneInfo) -> datetime.datetime:
    """The first moment after a day."""
    return datetime.datetime.combine(day + datetime.timedelta(days=1), datetime.time(), zone)


def _columns(lines: QuerySet[KeptLine], shape: Table) -> pa.Table:
    """Lines as columns, in their order. Raises ValueError for a value of another type."""
    values = [line.values for line in lines]
    arrays = {}
    for column in stored_columns(shape):
        typed = [None if line.get(column.name) is None else typed_value(line[column.name], column.type) for line in values]
        arrays[column.name] = pa.chunked_array([pa.array(typed, ARROW_TYPES[column.type])])
    return pa.table(arrays)
