"""A refresh whose rows come from a source: staged beside the old content like one from a file, with a report of what it would change."""

from moorland.core.bundle.model import Model as ModelShape
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.engine.in_place import KeptRows
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.sources.describing import columns_of_relation
from moorland.core.sources.tables_in_place import SqlTable
from moorland.server.catalog.importing import compared
from moorland.server.catalog.models import Model, TableContent
from moorland.server.catalog.storage import ContentWriter, remove_ended
from moorland.server.changes import recorded
from moorland.server.directory.models import Account
from moorland.server.errors import from_document, missing
from moorland.server.sources.engines import engine_for, sources

#: A table refreshed from a source has at most so many rows; larger ones are left in place.
MOST_ROWS = 5_000_000


def stage_from_source(model: str, table: str, source: str, relation: list[str], account: Account) -> TableContent:
    """The staged content. Raises BundleError where the relation does not fit the table, SourceFailed where the source does not answer."""
    stored = Model.objects.filter(name=model).first()
    declared = from_document(ModelShape, stored.document).table(table) if stored else None
    if declared is None or declared.alias_of is not None or declared.in_place is not None:
        raise missing("table", f"{model}.{table}")
    kept = next((item for item in sources() if item.name == source), None)
    if kept is None:
        raise missing("source", source)
    if kept.attributes:
        raise BundleError([Problem("by_viewer", f"where {source} is depends on who asks: there is no one table to bring in.")])
    engine, relation = engine_for(source), kept.relation(relation)
    there = {column.name for column in columns_of_relation(engine, relation) if column.type is not None}
    if not there:
        raise SourceFailed(source, f"There is no relation {'.'.join(relation)} in {source}.")
    own = [column for column in declared.columns if not column.derived]
    lost = [column.name for column in own if column.name not in there]
    if declared.key in lost:
        raise BundleError([Problem("missing_column", f"the key {declared.key} is not in {'.'.join(relation)}. Nothing can be joined without it.")])
    reads = declared.model_copy(update={"columns": [column for column in own if column.name not in lost]})
    held = SqlTable(engine, relation, reads)
    rows = held.rows()
    if rows > MOST_ROWS:
        raise BundleError([Problem("size", f"{'.'.join(relation)} has {rows:,} rows; at most {MOST_ROWS:,} are brought in. Leave the table in place.")])
    writer = ContentWriter(model, table, declared.key, f"{source}: {'.'.join(relation)}", created_by=account)
    try:
        writer.add(held.arrow([column.name for column in reads.columns], KeptRows(None), 0, MOST_ROWS))
        content = writer.finish("staged")
        content.report = compared(content, declared, [], lost, []).model_dump(mode="json", by_alias=True)
        with recorded(account, "stage refresh", f"{model}.{table}") as change:
            content.save(update_fields=["report"])
            TableContent.objects.filter(model=model, table=table, state="staged").exclude(pk=content.pk).update(state="ended")
            change.details = {"source": source, "relation": relation, "rows": content.rows}
    except BaseException:
        writer.discard()
        raise
    remove_ended()
    return content
