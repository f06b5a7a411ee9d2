"""What somebody held when, over the API."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.server.directory.knowing import knows_person
from moorland.server.directory.person_history import PersonHistory, history_of
from moorland.server.duties.permission import LOOKERS, request_rights
from moorland.server.errors import answer, missing
from moorland.server.evaluating import evaluator
from moorland.server.requests import account_of
from moorland.server.viewing.looks import record_look


class PersonHistories(APIView):
    """By duty: what somebody held when; values of attributes as far as the account may look at them, who did it for who reads the trail."""

    needs = {"GET": LOOKERS}

    @extend_schema(responses=PersonHistory)
    def get(self, request: Request, login: str) -> Response:
        base, rights = evaluator("draft"), request_rights(request)
        if login not in base.people.users or not knows_person(rights, viewer := base.viewer(login)):
            raise missing("user", login)
        values = rights.reaches("look-values", person=viewer)
        shown = {name for name, item in base.people.definitions.items() if item.shown_to != "nobody"}
        found = history_of(login, {name for name in shown if values or rights.reaches("people", person=viewer, attribute=name)})
        if not rights.reaches("trail", person=viewer):
            found = found.model_copy(update={"held": [item.model_copy(update={"by": None, "act": None}) for item in found.held]})
        record_look(account_of(request), [login], "person history", "live")
        return answer(found)
