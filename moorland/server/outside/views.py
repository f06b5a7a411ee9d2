"""Issuers over the API: kept by who has settings, and tried for somebody imagined (channels.md 15.1, 15.4)."""

import secrets
from typing import Any

import jwt
from django.conf import settings
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.engine.evaluator import Evaluator
from moorland.server.changes import expect_version, recorded
from moorland.server.duties.permission import at_a_screen, over_everything, within
from moorland.server.errors import Failure, answer, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.keys import sealing_keys
from moorland.server.outside.claims import NotVouched, proved, text_of, viewer_of
from moorland.server.outside.frames import opened_page
from moorland.server.outside.issuers import refuse_signing, refuse_taken, wrong
from moorland.server.outside.models import Issuer
from moorland.server.outside.shapes import IssuerEntry, IssuerList, IssuerText, IssuerWriting, OutsideTried, OutsideTry
from moorland.server.requests import VERSION, account_of, version_of
from moorland.server.viewing.looks import record_look
from moorland.server.viewing.page_looks import LookedAt, page_as_seen

MOST_ISSUERS = 50


class Issuers(APIView):
    """Who has settings: all issuers; keep one, new or changed."""

    needs = {"GET": within("settings"), "PUT": at_a_screen("settings")}

    @extend_schema(responses=IssuerList)
    def get(self, request: Request) -> Response:
        base = evaluator("live")
        return answer(IssuerList(issuers=[_entry(base, item) for item in Issuer.objects.all()]))

    @extend_schema(request=IssuerWriting, responses=IssuerEntry)
    def put(self, request: Request) -> Response:
        asked, base = read_body(request, IssuerWriting), evaluator("live")
        stored = Issuer.objects.filter(name=asked.text.name).first()
        if asked.version is None and stored is not None:
            raise wrong("name", f"There is an issuer {asked.text.name} already.")
        if asked.version is not None:
            if stored is None:
                raise missing("issuer", asked.text.name)
            expect_version(stored, asked.version, f"the issuer {asked.text.name}")
        _refuse(base, asked, stored)
        with recorded(account_of(request), "change issuer" if stored else "add issuer", asked.text.name) as change:
            if stored is None and Issuer.objects.count() >= MOST_ISSUERS:
                raise Failure(422, "invalid", f"A workspace has at most {MOST_ISSUERS} issuers.")
            change.details = {
                "text": asked.text.model_dump(mode="json", exclude={"keys", "public_key"}),
                "enabled": asked.enabled,
                "new secret": bool(asked.secret),
            }
            item = stored or Issuer(name=asked.text.name, version=0)
            item.document, item.enabled, item.version = asked.text.model_dump(mode="json"), asked.enabled, item.version + 1
            if asked.text.signing != "HS256":
                item.sealed = ""
            elif asked.secret is not None:
                item.sealed = sealing_keys(settings.SEALING_KEYS).encrypt(asked.secret.encode()).decode()
            item.save()
        return answer(_entry(base, item))


class OneIssuer(APIView):
    """Who has settings: forget an issuer; its tickets end at once."""

    needs = {"DELETE": at_a_screen("settings")}

    @extend_schema(request=None, responses={204: None}, parameters=[VERSION])
    def delete(self, request: Request, name: str) -> Response:
        item = Issuer.objects.filter(name=name).first()
        if item is None:
            raise missing("issuer", name)
        expect_version(item, version_of(request), f"the issuer {name}")
        with recorded(account_of(request), "remove issuer", name):
            item.delete()
        return Response(status=204)


class OutsideTries(APIView):
    """Who may look at everybody with values: a token of an issuer for somebody imagined, and the page as they would have it."""

    needs = {"POST": over_everything("look-values")}

    @extend_schema(request=OutsideTry, responses=OutsideTried)
    def post(self, request: Request, name: str) -> Response:
        asked, base = read_body(request, OutsideTry), evaluator("live")
        item = Issuer.objects.filter(name=name).first()
        if item is None:
            raise missing("issuer", name)
        text = text_of(item)
        token = test_token(text, asked)
        whole = next((page for page in base.bundle.pages if page.name == asked.page), None)
        record_look(account_of(request), [f"{text.name}:{asked.sub}"], f"page {asked.page}", "live")
        try:
            vouched, _ = proved(token, item, _workspace_key(), "HS256")
            viewer = viewer_of(base, text, vouched.claims)
            found = opened_page(base, text.pages, viewer, asked.page)
        except NotVouched as wrong:
            return answer(OutsideTried(token=token, refused=wrong.message, seen=None, whole=None, roles=[]))
        administrator = page_as_seen(base, base.all_data(), LookedAt(whole), []) if whole is not None else None
        titles = [base.roles[role].role.title for role in viewer.held]
        return answer(OutsideTried(token=token, refused=None, seen=page_as_seen(base, viewer, found, [], own=True), whole=administrator, roles=titles))


def _workspace_key() -> str:
    """What test tokens are signed with: accepted here, and nowhere else."""
    return f"tokens that are only tried {settings.SECRET_KEY}"


def test_token(text: IssuerText, asked: OutsideTry) -> str:
    """A token as the issuer would make it, but for its signature."""
    now = int(timezone.now().timestamp())
    claims: dict[str, Any] = {
        "iss": text.name,
        "aud": text.audience,
        "sub": asked.sub,
        "iat": now,
        "exp": now + text.longest_seconds,
        "jti": secrets.token_urlsafe(12),
    }
    if asked.groups:
        claims["groups"] = asked.groups
    if asked.attributes:
        claims["moorland"] = asked.attributes
    return jwt.encode(claims, _workspace_key(), algorithm="HS256", headers={"kid": "tried"})


def _refuse(base: Evaluator, asked: IssuerWriting, stored: Issuer | None) -> None:
    """Raises Failure (422) for what an issuer cannot be kept with."""
    text = asked.text
    refuse_signing(text, asked.secret is not None, stored is not None and bool(stored.sealed))
    for place, names, known in (
        ("pages", text.pages, {page.name for page in base.bundle.pages}),
        ("groups", text.groups, set(base.people.groups)),
        ("attributes", [item.attribute for item in text.attributes], set(base.people.definitions)),
        ("organization", [text.organization] if text.organization else [], set(base.people.organizations)),
    ):
        unknown = [name for name in names if name not in known]
        if unknown:
            raise wrong(place, f"There is no {place.removesuffix('s')} {unknown[0]} in the live release.")
    refuse_taken(text, base.people.users)


def _entry(base: Evaluator, item: Issuer) -> IssuerEntry:
    text = text_of(item)
    there = [(text.pages, {page.name for page in base.bundle.pages}), (text.groups, set(base.people.groups))]
    there += [([bound.attribute for bound in text.attributes], set(base.people.definitions))]
    there += [([text.organization] if text.organization else [], set(base.people.organizations))]
    return IssuerEntry(
        text=text,
        version=item.version,
        enabled=item.enabled,
        has_secret=bool(item.sealed),
        last_used_at=item.last_used_at.isoformat(timespec="seconds") if item.last_used_at else None,
        missing=[name for names, known in there for name in names if name not in known],
    )
