"""Makes the demo workspace in an empty database."""

import json
import shutil
import tempfile
from pathlib import Path

from django.conf import settings
from django.utils import timezone

from demo import portal
from demo.books import generate_books
from demo.bundle import generate
from demo.pages import READERS_PAGE
from demo.people import SIGN_INS
from moorland.server.directory.demo import DEMO_PASSWORD
from moorland.server.directory.models import Account
from moorland.server.errors import from_document
from moorland.server.outside.models import Issuer
from moorland.server.outside.shapes import AttributeBound, IssuerText
from moorland.server.pages.models import ReaderPage
from moorland.server.pages.readers import document_of, generated_name, keep_version
from moorland.server.pages.shapes import ReaderPageText
from moorland.server.releases.models import Workspace
from moorland.server.reviews.answering import answer
from moorland.server.reviews.closing import open_review, today
from moorland.server.reviews.models import Review
from moorland.server.reviews.shapes import AnswerRequest, ReviewScope, ReviewText
from moorland.server.setup import fill_workspace

ADMINISTRATORS = {"h.warden"}


def make_demo() -> bool:
    """Fills the database with the demo, whole or not at all. False where a workspace is there already."""
    if Workspace.objects.exists():
        return False
    folder = Path(tempfile.mkdtemp(prefix="moorland-demo-"))
    try:
        generate(folder)
        generate_books(sources_folder())
        fill_workspace(folder, ADMINISTRATORS, DEMO_PASSWORD, {login for login, _ in SIGN_INS})
        _make_readers_page()
        _open_review()
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    (settings.DATA / "demo-sign-ins.json").write_text(json.dumps(SIGN_INS), "utf-8")
    return True


def sources_folder() -> Path:
    """Where the databases of the demo's source lie: a folder of their own beside the workspace."""
    return Path(settings.DATA) / "demo-sources"


def _make_readers_page() -> None:
    """The page a reader made, published."""
    login, shelf, text = READERS_PAGE
    maker, document = Account.objects.get(login=login), document_of(from_document(ReaderPageText, text))
    page = ReaderPage.objects.create(name=generated_name(), maker=maker, shelf=shelf, document=document, published=document, published_at=timezone.now())
    keep_version(page, maker)


def _open_review() -> None:
    """A review of who is a steward, half answered: some kept, one asked about, the rest waits."""
    text = ReviewText(
        title="Who still needs to be a steward?", scope=ReviewScope(roles=["area-steward"]), answered_by="named", named="f.hurst", repeat="quarter"
    )
    review = Review.objects.create(document=text.model_dump(mode="json"), opener=Account.objects.get(login="h.warden"), opens_on=today(), version=0)
    open_review(review)
    keeper = Account.objects.get(login="f.hurst")
    lines = list(review.lines.filter(asked=keeper.login))
    kept, questioned = lines[: len(lines) // 2], lines[len(lines) // 2]
    answer(review, kept, AnswerRequest(lines=[line.pk for line in kept], answer="keep"), keeper, only_try=False)
    note = "Does she still look after two areas, or has one of them gone over to somebody else?"
    answer(review, [questioned], AnswerRequest(lines=[questioned.pk], answer="ask", note=note), keeper, only_try=False)


def vouch_for_portal(port: int) -> None:
    """Lets the land portal of the demo vouch for landholders, from where it is served this time."""
    issuer = Issuer.objects.filter(name=portal.NAME).first()
    if issuer is None:
        issuer = Issuer(name=portal.NAME, document={})
    elif not issuer.enabled:
        return
    text = IssuerText(
        name=portal.NAME,
        label="Land portal",
        audience=portal.AUDIENCE,
        signing="ES256",
        public_key=portal.public_key(settings.DATA),
        origins=[f"http://localhost:{port}", f"http://127.0.0.1:{port}"],
        pages=[portal.PAGE],
        groups=["landholders"],
        attributes=[AttributeBound(attribute="landholder_id")],
        organization="whinfell",
        longest_seconds=portal.SECONDS,
    )
    if issuer.document != text.model_dump(mode="json"):
        issuer.document = text.model_dump(mode="json")
        issuer.save()
