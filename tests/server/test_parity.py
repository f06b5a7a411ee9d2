"""Parity: every channel gives what the evaluator gives, and a channel that does not is found out (channels.md, parity)."""

import pytest

from moorland.server.door import parity
from moorland.server.trail.models import Entry
from tests.server.conftest import Session
from tests.server.test_outside import kept

WAYS = {"together", "sql", "pushed down", "api", "door, text", "door, binary", "door, cursor", "door, copy", "export", "embedding"}


def test_all_channels_give_the_same_and_the_look_is_in_the_trail(boss: Session) -> None:
    kept(boss)
    told = boss.ok("POST", "parity", {"logins": ["boss", "ann", "bob", "off"], "pushed_down": True})
    assert told["differences"] == []
    compared = {item["way"]: item["compared"] for item in told["ways"]}
    assert set(compared) == WAYS and all(count > 0 for way, count in compared.items() if way != "export")
    entry = Entry.objects.filter(action="look", subject="parity").first()
    assert entry is not None and entry.details["viewers"] == ["boss", "ann", "bob", "off"]
    assert not Entry.objects.filter(action="ask").exists()


@pytest.mark.parametrize("way", ["door, text", "door, copy", "door, cursor"])
def test_a_channel_that_answers_otherwise_is_found_out(boss: Session, monkeypatch: pytest.MonkeyPatch, way: str) -> None:
    name = {"door, text": "_fetched", "door, copy": "_copied", "door, cursor": "_cursor"}[way]
    plain = getattr(parity, name)
    monkeypatch.setattr(parity, name, lambda *given: plain(*given)[:-1])
    told = boss.ok("POST", "parity", {"logins": ["boss"]})
    assert way in {item["way"] for item in told["differences"]}
    assert next(item["differ"] for item in told["ways"] if item["way"] == way) > 0


def test_nobody_unknown_is_asked_as(boss: Session) -> None:
    assert boss.error("POST", "parity", {"logins": ["ann", "nobody"]}) == (404, "not_found")
