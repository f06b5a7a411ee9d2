"""Addresses of looks, and named sets of pinned viewers."""

import hashlib
import json
from typing import Any

from django.conf import settings
from drf_spectacular.utils import extend_schema
from pydantic import Field
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.shape import Shape
from moorland.server.duties.permission import at_a_screen, within
from moorland.server.errors import Failure, answer, missing, read_body
from moorland.server.requests import account_of
from moorland.server.viewing.models import KeptLook, PinnedSet
from moorland.server.viewing.shapes import PinnedViewer

#: A look is at most so many bytes as JSON; so many are kept, and so many sets of one account.
MOST_BYTES, MOST_LOOKS, MOST_SETS = 20_000, 5_000, 50


class Look(Shape):
    """What is on a screen: which one, and whatever it needs to be shown again."""

    screen: str = Field(max_length=40)
    shown: dict[str, Any]


class LookKey(Shape):
    """The key of a kept look."""

    key: str


class Pinned(Shape):
    """One chip of the tray."""

    title: str = Field(max_length=400)
    detail: str = Field(max_length=400)
    viewer: PinnedViewer


class PinnedSetBody(Shape):
    """The chips of a set."""

    pins: list[Pinned] = Field(min_length=1, max_length=4)


class NamedPins(Shape):
    """A set with its name."""

    name: str
    pins: list[Pinned]


class PinnedSetList(Shape):
    """Every set of the account, by name."""

    sets: list[NamedPins]


class KeptLooks(APIView):
    """By duty: keeps a look; the same look has the same key."""

    needs = {"POST": at_a_screen("look-shapes")}

    @extend_schema(request=Look, responses=LookKey)
    def post(self, request: Request) -> Response:
        look = read_body(request, Look).model_dump(mode="json")
        written = json.dumps(look, sort_keys=True, ensure_ascii=False).encode()
        if len(written) > MOST_BYTES:
            raise Failure(422, "too_large", "This look is too large for an address. Choose fewer columns or a shorter filter.")
        key = hashlib.blake2b(written, key=str(settings.SECRET_KEY).encode()[:64], digest_size=12).hexdigest()
        if not KeptLook.objects.filter(key=key).exists():
            KeptLook.objects.create(key=key, document=look)
            KeptLook.objects.filter(pk__in=list(KeptLook.objects.values_list("pk", flat=True)[MOST_LOOKS:])).delete()
        return answer(LookKey(key=key))


class OneLook(APIView):
    """By duty: a kept look. What it shows is asked anew, with the rights of whoever opens it."""

    needs = {"GET": within("look-shapes")}

    @extend_schema(responses=Look)
    def get(self, request: Request, key: str) -> Response:
        found = KeptLook.objects.filter(key=key).first()
        if found is None:
            raise missing("look", key)
        return answer(Look.model_validate(found.document))


class PinnedSets(APIView):
    """By duty: their own sets of pinned viewers."""

    needs = {"GET": within("look-shapes")}

    @extend_schema(responses=PinnedSetList)
    def get(self, request: Request) -> Response:
        sets = PinnedSet.objects.filter(account=account_of(request))
        return answer(PinnedSetList(sets=[NamedPins.model_validate({"name": item.name, "pins": item.pins}) for item in sets]))


class OnePinnedSet(APIView):
    """By duty: keeps or takes away one of their own sets."""

    needs = {"PUT": at_a_screen("look-shapes"), "DELETE": at_a_screen("look-shapes")}

    @extend_schema(request=PinnedSetBody, responses=PinnedSetList)
    def put(self, request: Request, name: str) -> Response:
        account, body = account_of(request), read_body(request, PinnedSetBody)
        if len(name) > 100:
            raise Failure(422, "invalid", "A name has at most 100 signs.")
        if PinnedSet.objects.filter(account=account).exclude(name=name).count() >= MOST_SETS:
            raise Failure(422, "invalid", f"An account keeps at most {MOST_SETS} sets. Take one away first.")
        PinnedSet.objects.update_or_create(account=account, name=name, defaults={"pins": body.model_dump(mode="json")["pins"]})
        return PinnedSets().get(request)

    @extend_schema(responses=PinnedSetList)
    def delete(self, request: Request, name: str) -> Response:
        gone, _ = PinnedSet.objects.filter(account=account_of(request), name=name).delete()
        if not gone:
            raise missing("set of viewers", name)
        return PinnedSets().get(request)
