"""Values of attributes shown to nobody are sealed at rest and come back by no path."""

import json
from typing import Any

import pytest
from django.conf import settings
from django.db import connection

from moorland.server.directory.models import Account, AttributeDefinition
from moorland.server.directory.secret_values import opened, rotated
from moorland.server.evaluating import evaluator
from moorland.server.origins.binding import secret_of as secret_of_origin
from moorland.server.origins.models import Origin
from moorland.server.sources.engines import secret_of
from moorland.server.sources.models import StoredSource
from moorland.server.trail.models import Entry
from tests.server.conftest import Session

SECRET = 918273645


def set_secret(boss: Session) -> None:
    boss.ok("POST", "acts", {"change_people": {"logins": ["ann"], "attributes": {"code": SECRET}}})


def everything_stored() -> str:
    with connection.cursor() as cursor:
        tables = connection.introspection.table_names(cursor)
        rows: list[Any] = []
        for table in tables:
            cursor.execute(f'SELECT * FROM "{table}"')
            rows += cursor.fetchall()
    return repr(rows)


def test_a_secret_value_is_nowhere_in_the_database_and_still_decides(boss: Session) -> None:
    set_secret(boss)
    assert str(SECRET) not in everything_stored()
    assert evaluator("draft").viewer("ann").attributes["code"].values == (SECRET,)


@pytest.mark.parametrize("path", ["people", "people/ann", "people/ann/copying", "directory/export", "trail", "directory/attributes"])
def test_no_address_gives_a_secret_value_back(boss: Session, path: str) -> None:
    set_secret(boss)
    assert str(SECRET) not in boss.client.get(f"/api/{path}").content.decode()


def definition(shown_to: str) -> dict[str, Any]:
    version = AttributeDefinition.objects.get(name="code").version
    return {"save_attribute": {"definition": {"name": "code", "type": "integer", "shown_to": shown_to}, "version": version}}


def test_opening_a_secret_attribute_clears_its_values(boss: Session) -> None:
    set_secret(boss)
    boss.ok("POST", "acts", definition("administrator"))
    ann = Account.objects.get(login="ann")
    assert ("code" in ann.attributes, opened(ann.sealed)) == (False, {})
    assert evaluator("draft").viewer("ann").attributes["code"].values is None


def test_an_attribute_that_becomes_secret_has_its_values_sealed(boss: Session) -> None:
    boss.ok("POST", "acts", definition("administrator"))
    set_secret(boss)
    Entry.objects.all().delete()
    boss.ok("POST", "acts", definition("nobody"))
    assert str(SECRET) not in everything_stored()
    assert evaluator("draft").viewer("ann").attributes["code"].values == (SECRET,)


def test_an_import_does_not_tell_whether_a_secret_value_was_guessed(boss: Session) -> None:
    set_secret(boss)
    told = []
    for guess in (SECRET, 5):
        body = f"login,code\nann,{guess}\n".encode()
        upload = json.loads(boss.client.post("/api/uploads?name=a.csv", body, content_type="application/octet-stream").content)["id"]
        asked = {"upload": upload, "reading": {"format": "csv"}, "kind": "people", "columns": {"login": 0, "attribute:code": 1}}
        told.append(boss.ok("POST", "directory/import?try=true", asked)["rows"])
    assert told[0] == told[1]


def test_keys_are_rotated_and_a_lost_key_opens_nothing(boss: Session) -> None:
    set_secret(boss)
    before = (settings.SEALING_KEYS.read_text(), Account.objects.get(login="ann").sealed)
    assert rotated() == 1
    after = (settings.SEALING_KEYS.read_text(), Account.objects.get(login="ann").sealed)
    assert before[0] != after[0]
    assert opened(after[1]) == {"code": SECRET}
    assert opened(before[1]) == {}


def test_whatever_is_sealed_is_sealed_anew(boss: Session) -> None:
    boss.ok("PUT", "sources", {"source": {"name": "w", "kind": "postgres", "host": "localhost", "database": "d", "tls": "required"}, "secret": "of a source"})
    provider = {"kind": "oidc", "name": "company", "issuer": "https://login.example.org", "client_id": "moorland"}
    boss.ok("PUT", "settings/origins", {"origin": provider, "secret": "of a client"})
    rotated()
    assert secret_of(StoredSource.objects.get(name="w")) == "of a source"
    assert secret_of_origin(Origin.objects.get()) == "of a client"
