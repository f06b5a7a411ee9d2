"""People provisioned over SCIM 2.0: by a test client nobody here wrote, and by hand (accounts.md 20)."""

import json
import os
from collections.abc import Callable
from typing import Any

import httpx2
import pytest
from django.test import Client
from scim2_client.engines.httpx2 import SyncSCIMClient
from scim2_tester import Status, check_server

from moorland.server.directory.models import Account, Group
from moorland.server.origins.models import Entry, OriginRun
from tests.server.conftest import Session

LOOSE = {"gain": 10_000, "lose": 10_000, "gone_percent": 100}
ENTERPRISE = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"


def user(login: str, **more: Any) -> dict[str, Any]:
    return {"schemas": ["urn:ietf:params:scim:schemas:core:2.0:User"], "userName": login, "displayName": login.title(), **more}


def patch(*operations: dict[str, Any]) -> dict[str, Any]:
    return {"schemas": ["urn:ietf:params:scim:api:messages:2.0:PatchOp"], "Operations": list(operations)}


class Provisioner:
    """A client of SCIM with a token."""

    def __init__(self, token: str) -> None:
        self.token, self.client = token, Client()

    def call(self, method: str, path: str, body: Any = None, **headers: str) -> tuple[int, Any]:
        written = body if isinstance(body, str) else json.dumps(body) if body is not None else ""
        given = {"HTTP_AUTHORIZATION": f"Bearer {self.token}", **{f"HTTP_{name.upper()}": value for name, value in headers.items()}}
        self.last = self.client.generic(method, f"/scim/v2/{path}", written, content_type="application/scim+json", **given)
        return self.last.status_code, json.loads(self.last.content) if self.last.content else None

    def ok(self, method: str, path: str, body: Any = None, **headers: str) -> Any:
        status, answer = self.call(method, path, body, **headers)
        assert status in (200, 201, 204), (status, answer)
        return answer


def provisioner(boss: Session, name: str = "office", **changes: Any) -> Provisioner:
    """A client of a new origin."""
    origin = {"kind": "scim", "name": name, "organization": f"{ENTERPRISE}:organization", "attributes": {"areas": "roles"}, "bounds": LOOSE, **changes}
    stored = next((item for item in boss.ok("GET", "settings/origins")["origins"] if item["origin"]["name"] == name), None)
    boss.ok("PUT", "settings/origins", {"origin": origin, "version": stored["version"] if stored else None})
    return Provisioner(boss.ok("POST", f"settings/origins/of/{name}/tokens", {"name": "client"})["token"])


@pytest.fixture
def office(boss: Session) -> Provisioner:
    return provisioner(boss)


#: What the tester looks at each time; each attribute added, replaced and removed by PATCH in a long run (EXAMPLES set).
OFTEN = {"discovery", "service-provider-config", "resource-types", "schemas", "crud", "misc"}


class Through(httpx2.BaseTransport):
    """Sends what a client of HTTP sends to the application here."""

    def handle_request(self, request: httpx2.Request) -> httpx2.Response:
        headers = {f"HTTP_{name.upper().replace('-', '_')}": value for name, value in request.headers.items() if name not in ("content-type", "content-length")}
        path = request.url.raw_path.decode()
        found = Client().generic(request.method, path, request.read(), content_type=request.headers.get("content-type", ""), **headers)
        return httpx2.Response(found.status_code, headers=dict(found.headers), content=found.content)


def test_the_tester_of_the_protocol_finds_nothing_wrong(boss: Session) -> None:
    client = provisioner(boss, organization=None, attributes={})
    http = httpx2.Client(base_url="http://testserver/scim/v2", transport=Through(), headers={"Authorization": f"Bearer {client.token}"})
    results = check_server(SyncSCIMClient(http), include_tags=None if "EXAMPLES" in os.environ else OFTEN)
    wrong = [f"{item.title}: {item.reason}" for item in results if item.status not in (Status.SUCCESS, Status.SKIPPED, Status.COMPLIANT)]
    assert not wrong, "\n".join(wrong)
    assert sum(item.status is Status.SUCCESS for item in results) > 25


def test_users_come_with_what_is_said_of_them(office: Provisioner) -> None:
    more = {"emails": [{"value": "old@example.org"}, {"value": "rae@example.org", "primary": True}], "roles": [{"value": "fell"}, {"value": "marsh"}]}
    made = office.ok("POST", "Users", user("rae", password="not kept", **more, **{ENTERPRISE: {"organization": "leaf"}}))
    rae = Account.objects.get(login="rae")
    assert (rae.name, rae.email, rae.organization.name, rae.attributes, rae.enabled) == ("Rae", "rae@example.org", "leaf", {"areas": ["fell", "marsh"]}, True)
    assert not rae.has_usable_password()
    assert "password" not in made
    assert "not kept" not in json.dumps(Entry.objects.get().document)
    assert office.last["ETag"] == 'W/"1"'
    office.ok("PATCH", f"Users/{made['id']}", patch({"op": "replace", "path": "active", "value": False}))
    assert not Account.objects.get(login="rae").enabled


def test_deleted_is_disabled_here_and_absent_there(office: Provisioner) -> None:
    made = office.ok("POST", "Users", user("rae"))
    office.ok("DELETE", f"Users/{made['id']}")
    assert office.call("GET", f"Users/{made['id']}")[0] == 404
    assert not Account.objects.get(login="rae").enabled
    # Made again, it is another entry for a login that is taken: a keeper joins them.
    assert office.call("POST", "Users", user("rae"))[0] == 409


def test_groups_fill_what_is_listed_for_them(boss: Session, office: Provisioner) -> None:
    rae, sam = (office.ok("POST", "Users", user(login))["id"] for login in ("rae", "sam"))
    inner = office.ok("POST", "Groups", {"displayName": "Inner", "members": [{"value": sam}]})["id"]
    outer = office.ok("POST", "Groups", {"displayName": "Outer", "members": [{"value": rae}, {"value": inner}]})["id"]
    assert not Group.objects.filter(name="Outer").exists()
    client = provisioner(boss, listed=[{"entry": outer, "name": "Outer", "group": "stewards"}])
    client.ok("PATCH", f"Groups/{inner}", patch({"op": "add", "path": "members", "value": [{"value": rae}]}))

    def stewards() -> list[str]:
        return sorted(Group.objects.get(name="stewards").users.values_list("login", flat=True))

    assert stewards() == ["ann", "rae", "sam"]
    client.ok("PATCH", f"Groups/{inner}", patch({"op": "remove", "path": f'members[value eq "{sam}"]'}))
    assert stewards() == ["ann", "rae"]
    assert client.ok("GET", f"Users/{rae}")["groups"] == [
        {"value": inner, "display": "Inner", "$ref": f"http://testserver/scim/v2/Groups/{inner}"},
        {"value": outer, "display": "Outer", "$ref": f"http://testserver/scim/v2/Groups/{outer}"},
    ]
    client.ok("DELETE", f"Groups/{outer}")
    assert stewards() == ["ann"]


def test_a_token_reaches_nothing_of_another_origin(boss: Session, office: Provisioner) -> None:
    made = office.ok("POST", "Users", user("rae"))["id"]
    other = provisioner(boss, "other")
    assert other.ok("GET", "Users")["totalResults"] == 0
    assert [other.call(method, f"Users/{made}", user("x"))[0] for method in ("GET", "PUT", "DELETE")] == [404, 404, 404]
    assert other.call("POST", "Groups", {"displayName": "G", "members": [{"value": made}]})[0] == 400
    assert other.call("POST", "Users", user("rae"))[0] == 409
    for token in ("", "moorland_scim_wrong", other.token[:-1]):
        assert Provisioner(token).call("GET", "Users")[0] == 401
    for key in [item["id"] for item in boss.ok("GET", "settings/origins")["origins"][0]["tokens"]]:
        boss.ok("DELETE", f"settings/origins/of/office/tokens/{key}")
    assert office.call("GET", "Users")[0] == 401


def test_a_patch_that_is_half_valid_changes_nothing(office: Provisioner) -> None:
    made = office.ok("POST", "Users", user("rae"))["id"]
    right, wrong = {"op": "replace", "path": "displayName", "value": "Other"}, {"op": "replace", "path": "active", "value": "perhaps"}
    assert office.call("PATCH", f"Users/{made}", patch(right, wrong))[0] == 400
    assert Account.objects.get(login="rae").name == "Rae"
    # Valid as SCIM, and not to be taken here.
    place = {"op": "add", "path": f"{ENTERPRISE}:organization", "value": "nowhere"}
    status, answer = office.call("PATCH", f"Users/{made}", patch(right, place))
    assert (status, "There is no organization nowhere" in answer["detail"]) == (400, True)
    assert office.ok("GET", f"Users/{made}")["displayName"] == "Rae"


def test_versions_are_held_to(office: Provisioner) -> None:
    made = office.ok("POST", "Users", user("rae"))["id"]
    assert office.call("GET", f"Users/{made}", IF_NONE_MATCH='W/"1"')[0] == 304
    rename = patch({"op": "replace", "path": "displayName", "value": "Other"})
    office.ok("PATCH", f"Users/{made}", rename, IF_MATCH='W/"1"')
    assert office.call("PUT", f"Users/{made}", user("rae"), IF_MATCH='W/"1"')[0] == 412
    assert office.call("DELETE", f"Users/{made}", IF_MATCH='W/"1"')[0] == 412


def test_filters_pages_and_unknown_attributes(office: Provisioner) -> None:
    for number in range(7):
        office.ok("POST", "Users", user(f"p{number}", externalId=f"E{number}", title="chief" if number % 2 else None))
    assert office.ok("GET", 'Users?filter=userName eq "P3"')["Resources"][0]["userName"] == "p3"
    assert office.ok("GET", 'Users?filter=externalId eq "e3"')["totalResults"] == 0
    found = office.ok("GET", 'Users?filter=title eq "chief" and not (userName sw "p1")&sortBy=userName&sortOrder=descending&count=1&attributes=userName')
    assert (found["totalResults"], [item["userName"] for item in found["Resources"]]) == (2, ["p5"])
    assert "displayName" not in found["Resources"][0]
    page = office.ok("GET", "Users?startIndex=6&count=5")
    assert (page["totalResults"], page["startIndex"], page["itemsPerPage"]) == (7, 6, 2)
    assert office.ok("POST", "Users/.search", {"schemas": ["urn:ietf:params:scim:api:messages:2.0:SearchRequest"], "count": 2})["itemsPerPage"] == 2
    for wrong in ("userName eq", "nothing eq 1", 'userName ~ "x"', 'userName eq "x" or 1=1'):
        assert office.call("GET", f"Users?filter={wrong}")[1]["scimType"] in ("invalidFilter", "invalidPath")
    assert office.call("POST", "Users", user("rae", favouriteColour="blue"))[0] == 201
    assert "favouriteColour" not in json.dumps(office.ok("GET", "Users?filter=userName pr&count=500")["Resources"])
    assert office.call("POST", "Users", "{not json")[1]["scimType"] == "invalidSyntax"
    assert office.call("GET", "Cars")[0] == 404
    assert office.call("DELETE", "Users")[0] == 405


def test_bulk_operations_name_what_was_made_before_them(office: Provisioner) -> None:
    operations = [
        {"method": "POST", "path": "/Users", "bulkId": "one", "data": user("rae")},
        {"method": "POST", "path": "/Groups", "bulkId": "g", "data": {"displayName": "G", "members": [{"value": "bulkId:one"}]}},
        {"method": "POST", "path": "/Users", "bulkId": "two", "data": user("boss")},
        {"method": "PATCH", "path": "/Users/bulkId:one", "data": patch({"op": "replace", "path": "displayName", "value": "R"})},
    ]
    answer = office.ok("POST", "Bulk", {"schemas": ["urn:ietf:params:scim:api:messages:2.0:BulkRequest"], "Operations": operations})
    assert [item["status"] for item in answer["Operations"]] == ["201", "201", "409", "200"]
    assert Account.objects.get(login="rae").name == "R"
    stopped = office.ok("POST", "Bulk", {"Operations": [operations[2], operations[0]], "failOnErrors": 1})
    assert len(stopped["Operations"]) == 1


def test_what_comes_within_an_hour_is_held_beyond_the_bounds(boss: Session, office: Provisioner) -> None:
    group = office.ok("POST", "Groups", {"displayName": "G"})["id"]
    client = provisioner(boss, listed=[{"entry": group, "name": "G", "group": "stewards"}], bounds={"gain": 2, "lose": 20, "gone_percent": 20})
    people = [client.ok("POST", "Users", user(f"p{number}"))["id"] for number in range(3)]

    def joins(key: str) -> int:
        return client.call("PATCH", f"Groups/{group}", patch({"op": "add", "path": "members", "value": [{"value": key}]}))[0]

    assert [joins(key) for key in people] == [200, 200, 503]
    assert joins(people[2]) == 503
    assert OriginRun.objects.filter(state="held").count() == 1
    assert sorted(Group.objects.get(name="stewards").users.values_list("login", flat=True)) == ["ann", "p0", "p1"]
    assert boss.ok("GET", "overview")["origins"][0]["label"] == "office"
    boss.ok("PUT", "settings/origins/of/office/runs")
    assert joins(people[2]) == 200


def test_nothing_else_takes_such_a_token(as_user: Callable[[str | None], Session], office: Provisioner) -> None:
    for path in ("people", "settings/origins", "session"):
        answer = office.client.get(f"/api/{path}", HTTP_AUTHORIZATION=f"Bearer {office.token}")
        assert answer.status_code in (401, 403)
