"""Changes of rows made in a writable source: in one's own name, by one's own roles as they are live, all rows meant or none (sources.md 18.7)."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.model import Table
from moorland.core.bundle.sources import Source
from moorland.core.engine.changes import answered, may_be_made_together, row_changes
from moorland.core.engine.questions import ChangeQuestion, Refused
from moorland.core.engine.unanswered import LeftInPlace
from moorland.core.sources.tables_in_place import SqlTable
from moorland.core.sources.writing_rows import statements
from moorland.server.catalog.scope import refuse_content, refuse_model
from moorland.server.changes import recorded
from moorland.server.duties.permission import at_a_screen
from moorland.server.errors import Failure, answer, from_document, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.requests import account_of
from moorland.server.sources.engines import engine_for, note_changed
from moorland.server.sources.models import StoredSource
from moorland.server.sources.shapes import ChangeApplied, ChangeApply
from moorland.server.sources.views import telling

#: So many rows are changed at once.
MOST_CHANGED = 1_000


class ApplyChange(APIView):
    """Who keeps a model, and whose own live roles allow it: a change of rows that stay in a writable source."""

    needs = {"POST": at_a_screen("models")}

    @extend_schema(request=ChangeApply, responses=ChangeApplied)
    def post(self, request: Request) -> Response:
        asked = read_body(request, ChangeApply)
        change, account = asked.change, account_of(request)
        refuse_model(request, change.model)
        refuse_content(request, change.model, [change.table])
        base = evaluator("live")
        model = base.bundle.model(change.model)
        table = model.table(change.table) if model is not None else None
        if table is None:
            raise missing("table", f"{change.model}.{change.table}")
        source = _writable(table)
        viewer = base.viewer(account.login)
        on = base.of(viewer, change.model)
        with telling():
            try:
                tried = on.tried_change(viewer, change)
            except (Refused, LeftInPlace) as refused:
                raise Failure(404 if getattr(refused, "code", "") == "not_found" else 422, "invalid", str(refused)) from None
            told = answered(tried.trial)
            _refuse_what_was_not_tried(asked.expected, told.meant)
            if told.refused:
                reason = next(iter(told.reasons or {}))
                raise Failure(422, "refused", f"{told.refused:,} of {told.meant:,} rows are refused ({reason}). Nothing was changed.")
            if not may_be_made_together(tried):
                raise Failure(422, "one_by_one", "Each of these rows may be changed alone, but one decides over another. Change one at a time.")
            if not told.meant:
                return answer(ChangeApplied(changed=0))
            values = {name: value for name, value in on.content if value is not None}
            engine = engine_for(source.name, values)
            assert table.in_place is not None
            relation = source.resolved(values).relation(table.in_place.relation)
            made = statements(SqlTable(engine, relation, table), row_changes(tried))
            with recorded(account, "change rows", f"{change.model}.{change.table}", "data") as entry:
                entry.details = {"source": source.name, "kind": _kind(change), "rows": told.meant, "columns": _columns(change)}
                if not engine.write(made, relation[-1]):
                    raise Failure(409, "stale", "A row was changed meanwhile. Nothing was changed; try it again.")
                note_changed(source.name)
        return answer(ChangeApplied(changed=told.meant))


def _writable(table: Table) -> Source:
    """The source a table's rows are changed in. Raises Failure where there is none."""
    if table.in_place is None:
        raise Failure(422, "not_writable", f"The rows of {table.name} are here, not in a source: bring them in anew to change them.")
    stored = StoredSource.objects.filter(name=table.in_place.source).first()
    source = from_document(Source, stored.document) if stored is not None else None
    if source is None or not source.writable:
        raise Failure(422, "not_writable", f"{table.in_place.source} is not written to. Who keeps it can allow that under Settings.")
    return source


def _refuse_what_was_not_tried(expected: int, meant: int) -> None:
    if meant > MOST_CHANGED:
        raise Failure(422, "too_large", f"{meant:,} rows are meant; at most {MOST_CHANGED:,} are changed at once. Mean fewer.")
    if meant != expected:
        raise Failure(409, "stale", f"{meant:,} rows are meant now, {expected:,} when it was tried. Nothing was changed; try it again.")


def _kind(change: ChangeQuestion) -> str:
    return "update" if change.update is not None else "delete" if change.delete is not None else "insert"


def _columns(change: ChangeQuestion) -> list[str]:
    """The columns that are written, without their values."""
    rows = [change.update.set] if change.update is not None else change.insert.rows if change.insert is not None else []
    return sorted({name for row in rows for name in row})
