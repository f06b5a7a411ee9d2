"""A backup taken while the workspace is in use comes back by one command; without its keys, or from another file, nothing is changed (accounts.md 13)."""

import contextlib
import os
import shutil
import sqlite3
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from tests.demo_data import put_demo

MOORLAND = [sys.executable, "-m", "moorland.cli"]


def run(data: Path, *command: str) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "DATA": str(data), "DJANGO_SETTINGS_MODULE": "moorland.server.settings"}
    environment.pop("MOORLAND_DEMO", None)
    return subprocess.run([*MOORLAND, *command], env=environment, capture_output=True, text=True, timeout=240)


def duties(data: Path) -> list[tuple[object, ...]]:
    """Who holds which duty there, read from the database itself: a command takes seconds to begin."""
    with contextlib.closing(sqlite3.connect(data / "moorland.sqlite3")) as kept:
        return kept.execute("SELECT account_id, group_id, acts, within FROM duties_givenduty ORDER BY id").fetchall()


@pytest.fixture(scope="module")
def kept(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with the demo in it."""
    data = tmp_path_factory.mktemp("kept")
    put_demo(data)
    return data


def test_a_backup_is_taken_in_use_and_comes_back_by_one_command(kept: Path, tmp_path: Path) -> None:
    copy = tmp_path / "copy.sqlite3"
    writing = threading.Thread(target=lambda: [run(kept, "account", "h.warden", "--link") for _ in range(2)])
    writing.start()
    taken = run(kept, "backup", str(copy))
    writing.join()
    assert taken.returncode == 0, taken.stderr
    before = duties(kept)
    assert run(kept, "duties", "give", "v.birk", "--set", "auditor").returncode == 0
    assert duties(kept) != before
    back = run(kept, "restore", str(copy))
    assert back.returncode == 0, back.stderr
    assert duties(kept) == before
    assert run(kept, "trail", "verify").returncode == 0


def test_a_backup_does_not_come_back_under_other_keys(kept: Path, tmp_path: Path) -> None:
    copy, other = tmp_path / "copy.sqlite3", tmp_path / "other"
    assert run(kept, "backup", str(copy)).returncode == 0
    assert copy.stat().st_mode & 0o077 == 0
    other.mkdir(mode=0o700)
    refused = run(other, "restore", str(copy))
    assert (refused.returncode, "are not those of this backup" in refused.stderr.replace("\n", " ")) == (2, True)
    assert run(other, "duties", "list").stdout == ""
    for name in ("secret.key", "trail.key"):
        shutil.copy(kept / name, other)
    assert run(other, "restore", str(copy)).returncode == 0
    assert "h.warden" in run(other, "duties", "list").stdout


def test_what_is_no_backup_changes_nothing(kept: Path, tmp_path: Path) -> None:
    (tmp_path / "wrong").write_bytes(b"no database at all")
    before = duties(kept)
    for name in ("wrong", "missing"):
        assert run(kept, "restore", str(tmp_path / name)).returncode == 2
    assert run(kept, "backup", str(tmp_path / "wrong")).returncode == 2
    assert duties(kept) == before
