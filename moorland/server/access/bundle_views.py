"""The workspace as a bundle, out and in, for who may do everything: a folder in a ZIP file (bundle.md)."""

import io
import stat
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path, PurePosixPath
from typing import Literal

from django.conf import settings
from django.http import FileResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.shape import Shape
from moorland.core.insight.differences import ItemChange
from moorland.core.insight.impacts import SharedImpact, shared
from moorland.server.bundle_export import write_bundle
from moorland.server.bundle_import import import_into
from moorland.server.catalog.uploaded import upload_of
from moorland.server.duties.permission import KEEPER
from moorland.server.errors import Failure, answer, read_body
from moorland.server.releases.bundles import bundle_of
from moorland.server.requests import account_of
from moorland.server.trail.models import record

#: A bundle that is brought unpacks to at most so many bytes, in so many files.
MOST_BYTES, MOST_FILES = 4 * 1024**3, 10_000


class BundleOut(Shape):
    """The draft or what is live, with the rows of its tables or without."""

    state: Literal["draft", "live"]
    data: bool


class BundleIn(Shape):
    """A bundle that was brought as a ZIP file; without `apply` it is only told what it would change."""

    upload: str
    data: bool = True
    apply: bool = False


class BundlePlan(Shape):
    """What an import changes, or changed: items of the draft, people and places, assignments, tables; and who gains and loses."""

    applied: bool
    policy: list[ItemChange]
    people: list[str]
    assignments: list[str]
    workspace: list[str]
    tables: list[str]
    viewers: list[SharedImpact]


class BundleExport(APIView):
    """Who may do everything: the workspace as a bundle, without secrets and passwords."""

    needs = {"POST": KEEPER}

    @extend_schema(request=BundleOut, responses={(200, "application/zip"): OpenApiTypes.BINARY})
    def post(self, request: Request) -> FileResponse:
        asked = read_body(request, BundleOut)
        packed = tempfile.TemporaryFile(dir=settings.DATA)  # noqa: SIM115 - the response closes it
        with tempfile.TemporaryDirectory(dir=settings.DATA) as folder, zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as written:
            write_bundle(Path(folder), bundle_of(asked.state), asked.data)
            for path in sorted(Path(folder).rglob("*")):
                if path.is_file():
                    written.write(path, path.relative_to(folder))
        packed.seek(0, io.SEEK_SET)
        record(account_of(request).login, "export bundle", asked.state, data=asked.data)
        return FileResponse(packed, as_attachment=True, filename="bundle.zip", content_type="application/zip")


class BundleImport(APIView):
    """Who may do everything: what a bundle would change here, and doing it, all of it or nothing."""

    needs = {"POST": KEEPER}

    @extend_schema(request=BundleIn, responses=BundlePlan)
    def post(self, request: Request) -> Response:
        asked = read_body(request, BundleIn)
        with _unpacked(upload_of(asked.upload).path) as folder:
            try:
                plan = import_into(folder, account_of(request), asked.apply, asked.data)
            except BundleError as error:
                raise Failure(422, "invalid", f"The bundle is wrong: {error.problems[0].sentence()}", error.problems[:200]) from None
        return answer(
            BundlePlan(
                applied=asked.apply,
                viewers=shared(plan.viewers),
                **{name: getattr(plan, name) for name in ("policy", "people", "assignments", "workspace", "tables")},
            )
        )


@contextmanager
def _unpacked(path: Path) -> Iterator[Path]:
    """The folder in a ZIP file that holds bundle.yaml. Raises Failure for anything else, and for what is too large or leads out of the folder."""
    with tempfile.TemporaryDirectory(dir=settings.DATA) as folder:
        try:
            with zipfile.ZipFile(path) as packed:
                entries = packed.infolist()
                if len(entries) > MOST_FILES or sum(entry.file_size for entry in entries) > MOST_BYTES:
                    raise Failure(413, "too_large", f"The file unpacks to more than {MOST_FILES:,} files or {MOST_BYTES // 1024**3} GB.")
                for entry in entries:
                    parts = PurePosixPath(entry.filename.replace("\\", "/")).parts
                    if ".." in parts or entry.filename.startswith(("/", "\\")) or stat.S_ISLNK(entry.external_attr >> 16):
                        raise Failure(422, "invalid", "The file has a name in it that leads out of its folder.")
                packed.extractall(folder)
        except (zipfile.BadZipFile, NotImplementedError, RuntimeError, OSError, EOFError):
            raise Failure(422, "invalid", "This is no ZIP file of a bundle. Pack the folder that holds bundle.yaml.") from None
        found = [Path(folder), *(item for item in Path(folder).iterdir() if item.is_dir())]
        holding = next((item for item in found if (item / "bundle.yaml").is_file() or (item / "bundle.json").is_file()), None)
        if holding is None:
            raise Failure(422, "invalid", "There is no bundle.yaml in this file. Pack the folder that holds it.")
        yield holding
