"""Files brought here: received in bounded pieces, kept beside the database, forgotten after a while."""

import shutil
from datetime import timedelta
from typing import BinaryIO, Protocol

from django.conf import settings
from django.utils import timezone

from moorland.core.sources.proposals import SourceFile
from moorland.server.catalog.models import Upload
from moorland.server.catalog.shapes import SourceChoice
from moorland.server.directory.models import Account
from moorland.server.errors import Failure, missing

MAX_UPLOAD_BYTES = 8 * 1024**3
#: So much of the disk stays free whatever is brought.
FREE_BYTES = 1024**3
KEPT_FOR = timedelta(days=2)
PIECE_BYTES = 1 << 20


class Body(Protocol):
    """Where the bytes come from."""

    def read(self, size: int = ..., /) -> bytes: ...


def received(name: str, length: str, body: Body, by: Account) -> Upload:
    """A file of a declared length, written in pieces as they come. Raises Failure where it is empty, too large, or breaks off."""
    if not length.isdigit() or int(length) == 0:
        raise Failure(422, "empty", f"{name} is empty.")
    if int(length) > MAX_UPLOAD_BYTES:
        raise Failure(413, "too_large", f"{name} is larger than {MAX_UPLOAD_BYTES // 1024**3} GB. Bring it in pieces, or as Parquet.")
    folder = settings.DATA / "uploads"
    folder.mkdir(exist_ok=True)
    if shutil.disk_usage(folder).free < 3 * int(length) + FREE_BYTES:
        raise Failure(507, "no_room", f"There is not enough room on the server's disk for {name}.")
    upload = Upload(name=name, size=int(length), created_by=by)
    try:
        with upload.path.open("wb") as opened:
            written = _copied(body, opened, upload.size)
        if written != upload.size:
            raise Failure(400, "broken_off", f"{name} broke off after {written:,} of {upload.size:,} bytes. Bring it again.")
    except BaseException:
        upload.path.unlink(missing_ok=True)
        raise
    upload.save()
    return upload


def _copied(body: Body, opened: BinaryIO, size: int) -> int:
    written = 0
    while written < size and (piece := body.read(min(PIECE_BYTES, size - written))):
        opened.write(piece)
        written += len(piece)
    return written


def upload_of(key: str) -> Upload:
    """An upload whose bytes are still here. Raises Failure (404)."""
    try:
        upload = Upload.objects.filter(pk=key).first()
    except (ValueError, TypeError):
        upload = None
    except Exception as error:  # Django's ValidationError for what is no identity at all
        raise missing("upload", key) from error
    if upload is None or not upload.path.is_file():
        raise Failure(404, "not_found", "This file is not here any more; bring it again.")
    return upload


def source_of(choice: SourceChoice) -> SourceFile:
    """An uploaded file with the chosen reading."""
    upload = upload_of(choice.upload)
    return SourceFile(upload.path, upload.name, choice.reading)


def forget_old_uploads() -> None:
    """Removes files that were brought and never imported."""
    for upload in Upload.objects.filter(created_at__lt=timezone.now() - KEPT_FOR):
        forget(upload)


def forget(upload: Upload) -> None:
    """Removes an uploaded file."""
    upload.path.unlink(missing_ok=True)
    upload.delete()
