"""The query door over the API: keys of one's own, and for who has settings every key, and who is connected."""

import time
from collections import Counter

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.problems import Problem
from moorland.server.access.rules import rules_of
from moorland.server.changes import recorded
from moorland.server.directory.accounts import account_named
from moorland.server.directory.models import Account
from moorland.server.door.keys import MOST_KEYS, made_key
from moorland.server.door.models import DoorKey
from moorland.server.door.parity import served_parity
from moorland.server.door.serving import the_door
from moorland.server.door.shapes import (
    DoorKeyEntry,
    DoorSession,
    DoorState,
    MadeDoorKey,
    NewDoorKey,
    NewDoorKeyOf,
    OwnDoor,
    ParityAnswer,
    ParityRequest,
    ParityWay,
)
from moorland.server.duties.judging import may_take_over
from moorland.server.duties.permission import OWN_SESSION, over_everything, request_rights, within
from moorland.server.duties.rights import outside
from moorland.server.errors import Failure, answer, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.requests import account_of
from moorland.server.trail.models import record
from moorland.server.viewing.looks import record_look


class OwnDoors(APIView):
    """Anybody signed in: the door as it is for them, and their keys; make one, which is shown this one time."""

    needs = {"GET": OWN_SESSION, "POST": OWN_SESSION}

    @extend_schema(responses=OwnDoor)
    def get(self, request: Request) -> Response:
        account, door = account_of(request), the_door()
        keys = [_entry(item) for item in DoorKey.objects.filter(account=account).select_related("account")]
        told = OwnDoor(
            open=door is not None, port=door.port if door else None, encrypted=door.encrypted if door else False, allowed=rules_of(account).door, keys=keys
        )
        return answer(told)

    @extend_schema(request=NewDoorKey, responses={201: MadeDoorKey})
    def post(self, request: Request) -> Response:
        account = account_of(request)
        if not rules_of(account).door:
            raise Failure(403, "way_closed", "Your organization does not come in by the query door.")
        return answer(_made(account, account, read_body(request, NewDoorKey)), 201)


class OneOwnDoorKey(APIView):
    """Anybody signed in: end one of their door keys at once, with the sessions it opened."""

    needs = {"DELETE": OWN_SESSION}

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, key: int) -> Response:
        account = account_of(request)
        _end(account, DoorKey.objects.filter(pk=key, account=account).first(), key)
        return Response(status=204)


class Doors(APIView):
    """Who has settings: the door, who is connected, and every key; make one for a service."""

    needs = {"GET": within("settings"), "POST": within("settings")}

    @extend_schema(responses=DoorState)
    def get(self, request: Request) -> Response:
        door = the_door()
        sessions = [
            DoorSession(
                number=item.number, account=item.account, login=item.login, key=item.key, since=item.since.isoformat(timespec="seconds"),
                address=item.address, program=item.program, asked=item.asked, busy=item.busy, encrypted=item.encrypted,
            )
            for item in (door.connected() if door else [])
        ]  # fmt: skip
        keys = [_entry(item) for item in DoorKey.objects.select_related("account")]
        told = DoorState(open=door is not None, port=door.port if door else None, encrypted=door.encrypted if door else False, sessions=sessions, keys=keys)
        return answer(told)

    @extend_schema(request=NewDoorKeyOf, responses={201: MadeDoorKey})
    def post(self, request: Request) -> Response:
        asked = read_body(request, NewDoorKeyOf)
        account = account_named(asked.login)
        if account.kind != "service":
            raise Failure(422, "invalid", f"{account.name} is a person: people make door keys of their own.")
        if not may_take_over(request_rights(request), account, [evaluator("live"), evaluator("draft")]):
            raise outside(f"{account.name} holds more than you could give. Somebody who could give all of it has to make this key.")
        return answer(_made(account_of(request), account, asked), 201)


class OneDoorKey(APIView):
    """Who has settings: end a door key at once, with the sessions it opened."""

    needs = {"DELETE": within("settings")}

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, key: int) -> Response:
        _end(account_of(request), DoorKey.objects.filter(pk=key).select_related("account").first(), key)
        return Response(status=204)


class OneDoorSession(APIView):
    """Who has settings: end a session of the door at once."""

    needs = {"DELETE": within("settings")}

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        door = the_door()
        found = next((item for item in door.connected() if item.number == number), None) if door else None
        if door is None or found is None or not door.end(number):
            raise missing("session", str(number))
        record(account_of(request).login, "end session", "query door", account=found.account, key=found.key)
        return Response(status=204)


class Parity(APIView):
    """Who may look at everybody with values: the same questions through every channel, for some people, and where two ways differ."""

    needs = {"POST": over_everything("look-values")}

    @extend_schema(request=ParityRequest, responses=ParityAnswer)
    def post(self, request: Request) -> Response:
        asked, base, began = read_body(request, ParityRequest), evaluator("live"), time.monotonic()
        logins = list(dict.fromkeys(asked.logins))
        unknown = next((login for login in logins if login not in base.people.users), None)
        if unknown is not None:
            raise missing("user", unknown)
        record_look(account_of(request), logins, "parity", "live")
        found = served_parity(base, logins, asked.pushed_down)
        differ = Counter(item.way for item in found.differences)
        ways = [ParityWay(way=way, compared=count, differ=differ[way]) for way, count in found.questions.items()]
        return answer(ParityAnswer(ways=ways, differences=found.differences[:200], seconds=round(time.monotonic() - began, 2)))


def _entry(key: DoorKey) -> DoorKeyEntry:
    return DoorKeyEntry(
        id=key.pk,
        login=key.account.login,
        name=key.name,
        created_at=key.created_at.isoformat(timespec="seconds"),
        expires_at=key.expires_at.isoformat(timespec="seconds") if key.expires_at else None,
        last_used_at=key.last_used_at.isoformat(timespec="seconds") if key.last_used_at else None,
    )


def _made(by: Account, account: Account, asked: NewDoorKey) -> MadeDoorKey:
    with recorded(by, "make door key", account.login) as change:
        if DoorKey.objects.filter(account=account).count() >= MOST_KEYS:
            raise Failure(422, "invalid", f"An account has at most {MOST_KEYS} door keys. End one first.")
        if DoorKey.objects.filter(account=account, name=asked.name).exists():
            message = f"There is a door key {asked.name} already."
            raise Failure(422, "invalid", message, [Problem("duplicate", message, path="name")])
        stored, key = made_key(account, asked.name, asked.days)
        change.details = {"key": asked.name}
    return MadeDoorKey(key=key, user=f"{account.login}/{asked.name}", entry=_entry(stored))


def _end(by: Account, key: DoorKey | None, number: int) -> None:
    if key is None:
        raise missing("door key", str(number))
    with recorded(by, "end door key", key.account.login) as change:
        change.details["key"] = key.name
        key.delete()
