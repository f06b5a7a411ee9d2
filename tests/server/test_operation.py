"""What whoever runs the server looks at: health, readiness, figures, ids of requests, and a log without personal data (docs/operation.md)."""

import json
import logging
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from django.test import Client

from moorland.server.operation import views
from moorland.server.operation.logs import JsonLines
from moorland.server.releases.models import Workspace
from tests.server.conftest import Session


def test_it_says_that_it_lives_and_whether_it_is_ready(workspace: None, monkeypatch: pytest.MonkeyPatch) -> None:
    assert Client().get("/healthz").content == b"ok\n"
    assert Client().get("/readyz").json() == {"ready": True, "wrong": []}
    monkeypatch.setattr(views, "LEAST_FREE", 1 << 62)
    full = Client().get("/readyz")
    assert (full.status_code, full.json()["wrong"]) == (503, ["The disk of the workspace is full."])
    monkeypatch.setattr(views, "LEAST_FREE", 0)
    Workspace.objects.all().delete()
    assert Client().get("/readyz").status_code == 503
    assert Client().post("/healthz").status_code == 405


def test_figures_are_for_who_has_the_token_and_name_nobody(boss: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    boss.ok("GET", "people/ann")
    assert Client().get("/metrics").status_code == 404
    monkeypatch.setenv("MOORLAND_METRICS_TOKEN", "a token of the figures")
    for given in ("", "Bearer ", "Bearer a token", "Basic a token of the figures"):
        assert Client().get("/metrics", HTTP_AUTHORIZATION=given).status_code == 404
    told = Client().get("/metrics", HTTP_AUTHORIZATION="Bearer a token of the figures").content.decode()
    assert 'moorland_requests_total{address="/api/people/<name:login>",method="GET",status="200"}' in told
    assert "moorland_people 3.0" in told
    assert "ann" not in told


def test_a_request_has_an_id_its_own_or_that_of_a_proxy(workspace: None) -> None:
    assert Client().get("/api/session", HTTP_X_REQUEST_ID="abc-1").headers["X-Request-Id"] == "abc-1"
    for odd in ("a b", "x" * 65, "a\nb"):
        assert Client().get("/api/session", HTTP_X_REQUEST_ID=odd).headers["X-Request-Id"] != odd


def test_the_log_is_lines_of_json_that_name_nobody(as_user: Callable[[str | None], Session], caplog: pytest.LogCaptureFixture) -> None:
    caplog.set_level(logging.INFO, "moorland.requests")
    as_user("boss").ok("GET", "people/ann")
    record = [item for item in caplog.records if item.name == "moorland.requests"][-1]
    line = json.loads(JsonLines().format(record))
    assert (line["method"], line["address"], line["status"], line["level"]) == ("GET", "/api/people/<name:login>", 200, "info")
    assert "ann" not in json.dumps(line)


def test_an_error_in_the_log_tells_where_and_not_about_whom() -> None:
    try:
        raise ValueError("ann@example.org")
    except ValueError:
        record = logging.LogRecord("moorland", logging.ERROR, __file__, 1, "origin %s", ("ann",), __import__("sys").exc_info())
    line = json.loads(JsonLines().format(record))
    assert (line["error"], line["message"]) == ("ValueError", "origin %s")
    assert "ann" not in json.dumps(line)
    assert line["where"][-1].endswith("test_an_error_in_the_log_tells_where_and_not_about_whom")


def test_the_manual_is_for_everybody_where_it_was_built(workspace: None, settings: Any, tmp_path: Path) -> None:
    settings.MANUAL_ROOT = None
    assert (Client().get("/manual/screens.html").status_code, Client().get("/api/session").json()["manual"]) == (404, False)
    (tmp_path / "manual").mkdir()
    (tmp_path / "manual" / "index.html").write_text("Begin")
    (tmp_path / "beside").write_text("nobody's")
    settings.MANUAL_ROOT = tmp_path / "manual"
    assert b"".join(Client().get("/manual/").streaming_content) == b"Begin"
    assert Client().get("/api/session").json()["manual"] is True
    assert [Client().get(f"/manual/{path}").status_code for path in ("nothing.html", "../beside", "%2e%2e/beside")] == [404, 400, 400]


def test_a_demo_that_was_just_made_is_served_without_a_thread_of_its_making(tmp_path: Path) -> None:
    begun = (
        "import threading; from moorland.commands import serving; serving._serve = lambda *_: print(threading.active_count()); serving.demo(portal=0, door=0)"
    )
    surroundings = {**os.environ, "DATA": str(tmp_path / "made"), "DJANGO_SETTINGS_MODULE": "moorland.server.settings"}
    told = subprocess.run([sys.executable, "-c", begun], env=surroundings, capture_output=True, text=True, timeout=120, check=True)
    assert (told.stdout.strip(), "The demo workspace is made." in told.stderr) == ("1", True)
