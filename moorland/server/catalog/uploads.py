"""Files brought here: received in bounded pieces, looked at as they stand, proposed as tables."""

from pathlib import PurePosixPath
from typing import Any

import pyarrow as pa
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.model import Model as ModelShape
from moorland.core.bundle.problems import BundleError
from moorland.core.sources.previews import first_reading, grid
from moorland.core.sources.proposals import Proposal, propose
from moorland.core.sources.readings import FileReading
from moorland.server.catalog.models import Model, TableContent
from moorland.server.catalog.scope import refuse_model, sees_all
from moorland.server.catalog.shapes import GridAnswer, GridRequest, ProposalRequest, UploadAnswer
from moorland.server.catalog.storage import column_values, first_values
from moorland.server.catalog.uploaded import forget, forget_old_uploads, received, source_of, upload_of
from moorland.server.duties.permission import within
from moorland.server.errors import answer, from_document, missing, problem_shape, read_body
from moorland.server.requests import account_of


class RawFile(BaseParser):
    """Leaves the body to be read in pieces."""

    media_type = "application/octet-stream"

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        return None


class Uploads(APIView):
    """By duty: bring a file. Its bytes are the body; nothing is understood yet."""

    needs = {"POST": within("models", "people")}

    parser_classes = [RawFile]

    @extend_schema(
        request={"application/octet-stream": OpenApiTypes.BINARY}, responses={201: UploadAnswer}, parameters=[OpenApiParameter("name", str, required=True)]
    )
    def post(self, request: Request) -> Response:
        forget_old_uploads()
        name = PurePosixPath(request.query_params.get("name", "").replace("\\", "/")).name.strip()[:200] or "file"
        upload = received(name, request.META.get("CONTENT_LENGTH") or "", request._request, account_of(request))
        return answer(UploadAnswer(id=str(upload.pk), name=upload.name, size=upload.size), 201)


class OneUpload(APIView):
    """By duty: forget a file that was brought."""

    needs = {"DELETE": within("models", "people")}

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, key: str) -> Response:
        forget(upload_of(key))
        return Response(status=204)


class UploadGrid(APIView):
    """By duty: the first rows of a file as they stand."""

    needs = {"POST": within("models", "people")}

    @extend_schema(request=GridRequest, responses=GridAnswer)
    def post(self, request: Request, key: str) -> Response:
        asked = read_body(request, GridRequest)
        upload = upload_of(key)
        reading = asked.reading
        try:
            if reading is None:
                reading = first_reading(upload.path, upload.name)
            found = grid(upload.path, upload.name, reading, asked.header_chosen)
        except BundleError as error:
            refused = problem_shape(error.problems[0]).model_copy(update={"message": error.problems[0].sentence()})
            reading = reading or FileReading(format="csv")
            return answer(GridAnswer(reading=reading, sheets=[], rows=[], headers=[], proposed_header_row=1, problems=[], refused=refused))
        return answer(
            GridAnswer(
                reading=found.reading,
                sheets=found.sheets,
                rows=found.rows,
                headers=found.headers,
                proposed_header_row=found.proposed_header_row,
                problems=[problem_shape(problem) for problem in found.problems],
                refused=None,
            )
        )


class Proposals(APIView):
    """By duty: tables, types, keys, relationships and sensitive columns that files seem to hold."""

    needs = {"POST": within("models")}

    @extend_schema(request=ProposalRequest, responses=Proposal)
    def post(self, request: Request) -> Response:
        asked = read_body(request, ProposalRequest)
        sources = [source_of(choice) for choice in asked.sources]
        model = None
        if asked.model is not None:
            refuse_model(request, asked.model)
            stored = Model.objects.filter(name=asked.model).first()
            if stored is None:
                raise missing("model", asked.model)
            model = from_document(ModelShape, stored.document)
        return answer(propose(sources, model, _existing(model) if model and sees_all(request, model.name) else None))


def _existing(model: ModelShape) -> dict[str, dict[str, pa.ChunkedArray]]:
    """The first values of every column of a model that a relationship may end in."""
    found: dict[str, dict[str, pa.ChunkedArray]] = {}
    contents = {content.table: content for content in TableContent.objects.filter(model=model.name, state="current")}
    for table in model.tables:
        content = contents.get(table.name)
        if content is None or table.alias_of is not None:
            continue
        related = [column for column in table.columns if not column.derived and column.type in ("integer", "text", "date")]
        found[table.name] = {
            column.name: column_values(content, column.name, column.type) if column.name == table.key else first_values(content, column.name, column.type)
            for column in related
        }
    return found
