"""The workspace as a bundle folder, to be kept in version control: everything but secrets and passwords, and its data if wanted (bundle.md)."""

import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.model import Model, Table
from moorland.core.bundle.writing import write_folder
from moorland.core.engine.columns import ARROW_TYPES, TableData
from moorland.core.sources.streamed_tables import StreamedTable
from moorland.server.catalog.storage import load_table
from moorland.server.directory.secret_values import secret_attributes
from moorland.server.duties.models import GivenDuty
from moorland.server.duties.rights import duty_of
from moorland.server.errors import Failure
from moorland.server.releases.bundles import State, bundle_of
from moorland.server.workspace_document import write_workspace


def exported_bundle(folder: Path, state: State, with_data: bool) -> Bundle:
    """Writes the draft or what is live, with people, duties and promises, into a folder that is empty or holds an earlier export.

    Raises Failure where the folder holds something else.
    """
    if folder.exists() and any(folder.iterdir()) and not (folder / "bundle.yaml").is_file():
        raise Failure(409, "not_empty", f"{folder} holds something that is no bundle. Name a folder that is not there yet, or one of an earlier export.")
    return write_bundle(folder, bundle_of(state), with_data)


def write_bundle(folder: Path, found: Bundle, with_data: bool) -> Bundle:
    """Writes a bundle of this workspace into a folder, in the place of what an earlier export left there; secrets and passwords are not in it."""
    bundle = _without_secrets(found)
    bundle = bundle.model_copy(update={"duties": [duty_of(given) for given in GivenDuty.objects.select_related("account", "group")]})
    models = [_placed(model, with_data) for model in bundle.models]
    if folder.exists():
        for earlier in folder.glob("*.yaml"):
            earlier.unlink()
        shutil.rmtree(folder / "data", ignore_errors=True)
    write_folder(bundle.model_copy(update={"models": models}), folder)
    write_workspace(folder)
    for model in models if with_data else ():
        for table in model.tables:
            if table.data is not None:
                path = folder / table.data
                path.parent.mkdir(parents=True, exist_ok=True)
                _write(path, as_brought(table, load_table(model, table.name)))
    return bundle


def _without_secrets(bundle: Bundle) -> Bundle:
    """The bundle without the values of attributes that are shown to nobody."""
    secret = secret_attributes()

    def plain(holder: Any) -> Any:
        return holder.model_copy(update={"attributes": {name: value for name, value in holder.attributes.items() if name not in secret}})

    lists = {key: [plain(item) for item in getattr(bundle, key)] for key in ("users", "groups", "organizations")}
    return bundle.model_copy(update=lists)


def _placed(model: Model, with_data: bool) -> Model:
    """A model whose tables name their files in the folder, or none."""
    tables = [
        table.model_copy(
            update={
                "data": f"data/{_plain(model.name)}/{_plain(table.name)}.parquet" if with_data and table.alias_of is None and table.in_place is None else None
            }
        )
        for table in model.tables
    ]
    return model.model_copy(update={"tables": tables})


def _plain(name: str) -> str:
    """A name as part of a path."""
    return "".join(sign if sign.isalnum() or sign in "-_." else "_" for sign in name).lstrip(".") or "_"


def _write(path: Path, parts: Iterator[pa.Table]) -> None:
    first = next(parts)
    with pa.parquet.ParquetWriter(path, first.schema) as writer:
        writer.write_table(first)
        for part in parts:
            writer.write_table(part)


def as_brought(table: Table, data: TableData) -> Iterator[pa.Table]:
    """The rows of a table as they were brought in, in one part or several: its columns in their order, of their types."""
    if isinstance(data.in_place, StreamedTable):
        yield from data.in_place.parts()
        return
    columns = {}
    for column in table.columns:
        if column.derived:
            continue
        stored = data.columns[column.name]
        index = stored.codes[:-1] if stored.codes is not None else slice(0, data.rows)
        columns[column.name] = pa.array(stored.values[index], type=ARROW_TYPES[column.type], mask=~stored.known[index])
    yield pa.table(columns)
