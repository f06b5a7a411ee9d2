"""Every change and its entry in the trail are stored together, or not at all; and no address asks the database more the more roles there are."""

from typing import Any

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from moorland.server import changes, unchanged
from moorland.server.changes import outdate
from moorland.server.directory.act_shapes import Act
from moorland.server.directory.acts import APPLIED
from moorland.server.directory.models import Account, Group
from moorland.server.pages.models import Page, Shelf
from moorland.server.policies.models import Assignment, Role
from moorland.server.releases.models import Release
from moorland.server.trail.models import Entry
from tests.server.conftest import Session, steward, with_where

DISABLED = {"change_people": {"logins": ["ann"], "enabled": False}}


def stored() -> list[Any]:
    """What changes can touch, as it is stored."""
    tables = (Account.objects.order_by("pk"), Group.objects.all(), Role.objects.all(), Assignment.objects.all(), Page.objects.all(), Shelf.objects.all())
    rows: list[Any] = [list(table.values()) for table in tables]
    return [*rows, list(Release.objects.values("number")), list(Group.users.through.objects.values())]


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("POST", "acts", DISABLED),
        ("POST", "acts", {"save_group": {"name": "new"}}),
        ("PATCH", "people/ann", {"version": 1, "name": "Anne"}),
        ("POST", "roles/steward/assignments", {"add": [{"user": "bob"}]}),
        ("POST", "roles", {"role": {"name": "fresh", "kind": "grant", "model": "m"}, "version": 0}),
        ("DELETE", "roles/steward?version=1", None),
        ("PUT", "pages/fresh", {"page": {"name": "fresh", "shelf": "work"}}),
        ("PUT", "shelves/work", {"shelf": {"name": "work", "label": "Other"}, "version": 1}),
        ("DELETE", "shelves/hushed?version=1", None),
        ("POST", "people/ann/invitation", None),
    ],
)
def test_nothing_is_changed_where_the_trail_cannot_tell_it(boss: Session, monkeypatch: pytest.MonkeyPatch, method: str, path: str, body: Any) -> None:
    def fail(*_: Any, **__: Any) -> None:
        raise RuntimeError("no room for the trail")

    before = stored()
    boss.client.raise_request_exception = False
    monkeypatch.setattr(changes, "record", fail)
    if boss.call_status(method, path, body) not in (409, 422):
        assert boss.call_status(method, path, body) == 500
    assert stored() == before


def entry() -> Entry:
    found = Entry.objects.first()
    assert found is not None
    return found


def test_the_trail_tells_both_sides_of_a_change_of_people(boss: Session) -> None:
    boss.ok("POST", "acts", {"change_people": {"logins": ["ann"], "enabled": False, "attributes": {"areas": ["marsh"], "code": 9}, "join": ["others"]}})
    told = entry().details
    assert told["before"] == {"ann": {"enabled": True, "attributes": {"areas": ["fell"]}, "groups": ["stewards"]}}
    assert told["after"] == {"ann": {"enabled": False, "attributes": {"areas": ["marsh"], "code": "set"}, "groups": ["others", "stewards"]}}


def test_the_trail_tells_both_sides_of_a_change_of_a_role_and_of_a_model(boss: Session) -> None:
    role, version = steward(boss)
    boss.ok("PUT", "roles/steward", {"role": with_where(role, "TRUE"), "version": version})
    sides = entry().details
    assert [sides[side]["sentences"][0]["rows"]["where"] for side in ("before", "after")] == ["area IN viewer.areas", "TRUE"]
    model = boss.ok("GET", "models/m")
    boss.ok("PUT", "models/m/draft", {"document": {**model["document"], "label": "Renamed"}, "version": model["version"]})
    assert entry().details["changed"] == [{"path": "label", "before": "The model", "after": "Renamed"}]


def test_what_comes_to_nothing_is_not_told(boss: Session) -> None:
    role, version = steward(boss)
    count = Entry.objects.filter(action="change role").count()
    boss.ok("PUT", "roles/steward", {"role": role, "version": version})
    assert Entry.objects.filter(action="change role").count() == count


def test_every_kind_of_act_is_carried_out_somewhere() -> None:
    assert set(APPLIED) == set(Act.model_fields)


@pytest.mark.parametrize(
    "path", ["roles", "state", "people", "directory/held", "people/boss", "pages", "models/m", "releases/pending", "similar", "roles/steward/uses"]
)
def test_queries_do_not_grow_with_the_number_of_roles(workspace: None, path: str) -> None:
    boss = Session("boss", kept=False)
    account = Account.objects.get(login="boss")

    def asked_after(numbers: range) -> int:
        for number in numbers:
            document = {"name": f"r{number}", "kind": "grant", "model": "m", "sentences": [{"rows": {"table": "site", "where": f"id > {number}"}}]}
            Assignment.objects.create(role=Role.appended(f"r{number}", document), account=account)
        outdate("policy")
        outdate("people")
        boss.ok("GET", path)
        unchanged.forget()
        with CaptureQueriesContext(connection) as queries:
            boss.ok("GET", path)
        return len(queries)

    assert asked_after(range(1)) == asked_after(range(1, 200))
