"""What was read is kept until anything is committed, by whomever, and no longer."""

import sqlite3
import subprocess
import sys
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from django.db import transaction

from moorland.server import unchanged
from moorland.server.unchanged import Watch, unless_changed

WRITES = "import sqlite3, sys; made = sqlite3.connect(sys.argv[1]); made.execute('INSERT INTO t VALUES (1)'); made.commit()"


@pytest.fixture
def database(tmp_path: Path) -> Iterator[sqlite3.Connection]:
    made = sqlite3.connect(tmp_path / "kept.sqlite3")
    made.execute("PRAGMA journal_mode=WAL")
    made.execute("CREATE TABLE t (x)")
    made.commit()
    yield made
    made.close()


@pytest.fixture
def watched(database: sqlite3.Connection, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> sqlite3.Connection:
    """A database that is watched as a server watches its own."""
    watch = Watch(tmp_path / "kept.sqlite3")
    monkeypatch.setattr(unchanged, "database_state", watch.state)
    monkeypatch.setattr(unchanged, "in_transaction", lambda: False)
    return database


def counted(database: sqlite3.Connection) -> int:
    return unless_changed("count", lambda: int(database.execute("SELECT count(*) FROM t").fetchone()[0]))


def test_another_process_that_commits_is_noticed(watched: sqlite3.Connection, tmp_path: Path) -> None:
    assert counted(watched) == 0
    subprocess.run([sys.executable, "-c", WRITES, str(tmp_path / "kept.sqlite3")], check=True)
    assert counted(watched) == 1


def test_what_this_process_commits_is_noticed_and_what_it_takes_back_is_not(watched: sqlite3.Connection, tmp_path: Path) -> None:
    state = Watch(tmp_path / "kept.sqlite3").state
    before = state()
    watched.execute("INSERT INTO t VALUES (1)")
    watched.rollback()
    assert state() == before
    watched.execute("INSERT INTO t VALUES (1)")
    watched.commit()
    assert state() != before


def test_nothing_is_read_twice_by_any_thread_while_nothing_changes(watched: sqlite3.Connection) -> None:
    read: list[int] = []
    assert unless_changed("one", lambda: read.append(1) or len(read)) == 1
    asked = [threading.Thread(target=lambda: unless_changed("one", lambda: read.append(1) or len(read))) for _ in range(4)]
    for thread in asked:
        thread.start()
    for thread in asked:
        thread.join()
    assert len(read) == 1


def test_what_was_read_while_somebody_committed_is_kept_for_nobody(watched: sqlite3.Connection) -> None:
    def read() -> int:
        found = int(watched.execute("SELECT count(*) FROM t").fetchone()[0])
        watched.execute("INSERT INTO t VALUES (1)")
        watched.commit()
        return found

    assert unless_changed("count", read) == 0
    assert counted(watched) == 1


def test_what_is_given_can_be_changed_by_nobody_for_others(watched: sqlite3.Connection) -> None:
    first: list[str] = unless_changed("list", lambda: ["as read"])
    first.append("mine")
    second: list[str] = unless_changed("list", list)
    second.append("mine too")
    assert unless_changed("list", list) == ["as read"]


@pytest.mark.django_db
def test_inside_a_transaction_everything_is_read_as_it_is() -> None:
    assert unless_changed("inside", lambda: 1) == 1
    with transaction.atomic():
        assert unless_changed("inside", lambda: 2) == 2
    assert unless_changed("inside", lambda: 3) == 1
