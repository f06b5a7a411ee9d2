"""A small workspace in a database, and somebody signed in to it."""

import copy
import json
from collections.abc import Callable, Hashable, Iterable, Iterator
from pathlib import Path
from typing import Any

import pytest
from django.db import connection, transaction
from django.test import Client

from moorland.server import evaluating, setup, unchanged
from moorland.server.access.models import OpenSession
from moorland.server.directory.service import holders_of, reached_of
from moorland.server.trail import floods, verifying
from moorland.server.viewing import looks, role_use

PASSWORD = "a long password"

BUNDLE = """
moorland: 1
name: Small place
organizations: [{name: root}, {name: leaf, parent: root}]
attributes:
  - {name: areas, type: text, multiple: true}
  - {name: code, type: integer, shown_to: nobody, default: 7}
users:
  - {login: boss, name: Boss, organization: root}
  - {login: ann, name: Ann, organization: leaf, attributes: {areas: [fell]}}
  - {login: bob, name: Bob}
  - {login: off, name: Off, enabled: false}
groups: [{name: stewards, users: [ann]}, {name: others}]
models:
  - name: m
    label: The model
    tables:
      - {name: site, key: id, data: site.csv, columns: [{name: id, type: integer}, {name: area, type: text}, {name: rent, type: number, tags: [money]}]}
      - {name: run, data: run.csv, columns: [{name: site_id, type: integer}, {name: kwh, type: number}]}
    relationships: [{from: run.site_id, to: site.id}]
    measures: [{name: energy, table: run, expression: SUM(kwh)}, {name: rent, table: site, expression: SUM(rent)}]
roles:
  - {name: all, kind: grant, model: m, sentences: [{pages: {actions: [open]}}], assigned: [{user: boss}]}
  - name: steward
    label: Steward
    kind: grant
    model: m
    sentences:
      - rows: {table: site, where: "area IN viewer.areas"}
      - objects: {hide: ["tag:money"]}
      - pages: {actions: [open], on: ["page:output"]}
    assigned: [{group: stewards}]
shelves: [{name: work, label: Work}, {name: hushed, label: Hushed}]
pages:
  - name: output
    label: Output
    shelf: work
    model: m
    exhibits:
      - {title: Energy, kind: figure, measures: [energy]}
      - {title: What the rent is, kind: figure, measures: [rent]}
      - {title: Both, kind: bar, by: [site.area], measures: [energy, rent], where: "site.area <> 'nowhere'"}
      - {title: Sites, kind: list, table: site, columns: [site.id, site.area], order: [site.id]}
  - {name: secret, label: Secret page, shelf: hushed, model: m, exhibits: []}
"""


@pytest.fixture(autouse=True)
def kept_as_when_served(monkeypatch: pytest.MonkeyPatch) -> None:
    """What was read is kept between requests as it is by a server: only what a request itself begins is a transaction, not the one a test is taken back by."""

    def state() -> Hashable:
        connection.ensure_connection()
        raw = connection.connection
        return id(raw), raw.execute("PRAGMA data_version").fetchone()[0], raw.total_changes

    unchanged.forget()
    monkeypatch.setattr(unchanged, "in_transaction", lambda: any(not block._from_testcase for block in connection.atomic_blocks))
    monkeypatch.setattr(unchanged, "database_state", state)


@pytest.fixture
def workspace(tmp_path: Path, db: None) -> Iterator[None]:
    """The small workspace, released once."""
    evaluating._evaluators.clear()
    evaluating._joined.clear()
    looks._recent.clear()
    role_use._noted.clear()
    floods._floods.clear()
    verifying._looked = verifying._Looked()
    holders_of.cache_clear()
    reached_of.cache_clear()
    if not _filled:
        (tmp_path / "bundle.yaml").write_text(BUNDLE)
        (tmp_path / "site.csv").write_text("id,area,rent\n1,fell,10\n2,marsh,20\n3,fell,30\n")
        (tmp_path / "run.csv").write_text("site_id,kwh\n1,100\n2,200\n3,400\n9,800\n")
        before = _rows()
        setup.fill_workspace(tmp_path, {"boss"}, PASSWORD, {"boss", "ann", "bob", "off"})
        _filled.update({table: rows for table, rows in _rows().items() if rows and not before[table]})
        _signed_in.update(_sessions(["boss", "ann", "bob"]))
    else:
        with transaction.atomic():
            for table, rows in _filled.items():
                _put(table, rows)
    _unused.update(_signed_in)
    _unused_until[0] = connection.connection.total_changes
    yield
    _unused.clear()


#: The rows of every table of the small workspace, once it was filled: the next test begins with the same.
_filled: dict[str, list[tuple[Any, ...]]] = {}


#: Sessions of the small workspace as it was filled, begun once by signing in: their rows and cookies. Those nobody used in this test yet.
_signed_in: dict[str, tuple[dict[str, list[tuple[Any, ...]]], Any]] = {}
_unused: dict[str, tuple[dict[str, list[tuple[Any, ...]]], Any]] = {}
#: As long as SQLite has counted no more changes than these, the workspace is as it was filled.
_unused_until = [0]
_OF_SESSIONS = ("django_session", OpenSession._meta.db_table)


def _sessions(logins: list[str]) -> dict[str, tuple[dict[str, list[tuple[Any, ...]]], Any]]:
    """People signed in; nothing of it is left in the database."""
    found: dict[str, tuple[dict[str, list[tuple[Any, ...]]], Any]] = {}
    with transaction.atomic():
        for login in logins:
            before = _rows(_OF_SESSIONS)
            client = Session(login).client
            found[login] = {table: [row for row in rows if row not in before[table]] for table, rows in _rows(_OF_SESSIONS).items()}, client.cookies
        transaction.set_rollback(True)
    return found


def _put(table: str, rows: list[tuple[Any, ...]]) -> None:
    connection.connection.executemany(f'INSERT INTO "{table}" VALUES ({", ".join("?" * len(rows[0]))})', rows)


def _rows(tables: Iterable[str] | None = None) -> dict[str, list[tuple[Any, ...]]]:
    connection.ensure_connection()
    names = connection.introspection.table_names() if tables is None else tables
    return {table: connection.connection.execute(f'SELECT * FROM "{table}"').fetchall() for table in names}


class Session:
    """Calls the API as one account; bodies and answers are JSON values. Signs in, unless `kept` lets it go on with a session begun before."""

    def __init__(self, login: str | None, kept: bool = True) -> None:
        self.client = Client()
        if login in _unused and kept and connection.connection.total_changes == _unused_until[0]:
            rows, cookies = _unused.pop(login)
            for table, several in rows.items():
                _put(table, several)
            _unused_until[0] = connection.connection.total_changes
            self.client.cookies = copy.deepcopy(cookies)
        elif login is not None:
            self.call("POST", "session", {"login": login, "password": PASSWORD})

    def call(self, method: str, path: str, body: Any = None) -> tuple[int, Any]:
        response = self.client.generic(method, f"/api/{path}", json.dumps(body) if body is not None else "", content_type="application/json")
        return response.status_code, json.loads(response.content) if response.content else None

    def call_status(self, method: str, path: str, body: Any = None) -> int:
        """The status alone, whatever the body is."""
        written = json.dumps(body) if body is not None else ""
        return self.client.generic(method, f"/api/{path}", written, content_type="application/json").status_code

    def ok(self, method: str, path: str, body: Any = None) -> Any:
        status, answer = self.call(method, path, body)
        assert status in (200, 201, 204), (status, answer)
        return answer

    def error(self, method: str, path: str, body: Any = None) -> tuple[int, str]:
        status, answer = self.call(method, path, body)
        return status, answer["error"]["code"]


@pytest.fixture
def as_user(workspace: None) -> Callable[[str | None], Session]:
    """Opens a session of an account; None is nobody."""
    return Session


@pytest.fixture
def boss(as_user: Callable[[str | None], Session]) -> Session:
    """The administrator's session."""
    return as_user("boss")


def each(viewers: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """What changes for people together, person by person."""
    changes = [({name: told for name, told in item.items() if name not in ("people", "named")}, item["named"]) for item in viewers]
    return [{**person, **told} for told, named in changes for person in named]


def steward(boss: Session, **changes: Any) -> tuple[dict[str, Any], int]:
    """The role `steward` of the draft with changes, and its version."""
    entry = next(item for item in boss.ok("GET", "roles")["roles"] if item["role"]["name"] == "steward")
    return {**entry["role"], "assigned": [], **changes}, entry["version"]


def with_where(role: dict[str, Any], where: str) -> dict[str, Any]:
    """The role with another condition in its rows sentence."""
    return {**role, "sentences": [{"rows": {"table": "site", "where": where}}, *role["sentences"][1:]]}
