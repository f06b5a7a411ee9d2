"""Workspaces of earlier versions are moved to this one and give the answers they gave."""

import json
import os
import sqlite3
import subprocess
import sys
import tarfile
from pathlib import Path

import pytest

HERE = Path(__file__).parent
KEPT = sorted(path.name.removesuffix(".tar.gz") for path in HERE.glob("*.tar.gz"))
OPENED = """
import json, sys
import django
django.setup()
from django.core.management import call_command
call_command("migrate", verbosity=0)
from moorland.server.directory.document import people_document
from moorland.server.trail.models import record
from moorland.server.trail.verifying import verified
from tests.upgrades.make import answers
record("test", "opened", "")
secret = next(user["attributes"].get("code") for user in people_document()["users"] if user["login"] == "ann")
told = {"answers": answers(), "trail": verified()[2] is None, "secret": secret}
json.dump(told, sys.stdout, sort_keys=True)
"""


@pytest.mark.parametrize("version", KEPT)
def test_a_workspace_of_an_earlier_version_answers_as_it_did(tmp_path: Path, version: str) -> None:
    with tarfile.open(HERE / f"{version}.tar.gz") as packed:
        packed.extractall(tmp_path, filter="data")
    environment = {**os.environ, "DATA": str(tmp_path), "DJANGO_SETTINGS_MODULE": "moorland.server.settings", "PYTHONPATH": str(HERE.parents[1])}
    done = subprocess.run([sys.executable, "-c", OPENED], env=environment, capture_output=True, text=True, timeout=120)
    assert done.returncode == 0, done.stderr[-3000:]
    told = json.loads(done.stdout)
    assert told["answers"] == json.loads((tmp_path / "answers.json").read_text())
    assert told["secret"] == 9
    assert told["trail"]


def test_a_workspace_of_a_newer_version_is_left_alone(tmp_path: Path) -> None:
    with tarfile.open(HERE / f"{KEPT[0]}.tar.gz") as packed:
        packed.extractall(tmp_path, filter="data")
    with sqlite3.connect(tmp_path / "moorland.sqlite3") as made:
        made.execute("INSERT INTO django_migrations (app, name, applied) VALUES ('directory', '9999_from_the_future', '2099-01-01')")
    environment = {**os.environ, "DATA": str(tmp_path), "DJANGO_SETTINGS_MODULE": "moorland.server.settings", "PYTHONPATH": str(HERE.parents[1])}
    done = subprocess.run([sys.executable, "-m", "moorland.cli", "trail", "verify"], env=environment, capture_output=True, text=True, timeout=120)
    assert done.returncode == 2
    assert "was made by a newer version of Moorland (directory 9999_from_the_future)" in " ".join(done.stderr.split())
