"""The trail is sealed with a key: what is changed, taken out, added or cut off is noticed."""

from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.conf import settings
from django.utils import timezone
from typer.testing import CliRunner

from moorland.cli import app
from moorland.server.releases.models import Workspace
from moorland.server.trail import floods, models, verifying
from moorland.server.trail.keeping import remove_old
from moorland.server.trail.models import Entry, Summary, head_file, record, sealed
from moorland.server.trail.verifying import verified
from moorland.server.trail.views import _lines
from tests.server.conftest import Session

pytestmark = pytest.mark.django_db


@pytest.fixture(autouse=True)
def _own_folder(tmp_path: Path, settings: Any) -> None:
    settings.DATA = tmp_path


def three() -> list[Entry]:
    return [record("boss", "change", f"number {number}") for number in range(3)]


def test_a_trail_nobody_touched_is_whole() -> None:
    three()
    assert verified()[::2] == (3, None)


def test_a_changed_entry_is_noticed() -> None:
    entry = three()[1]
    Entry.objects.filter(pk=entry.pk).update(actor="ann")
    broken = verified()[2]
    assert broken is not None
    assert (broken.number, "not as it was written" in broken.message) == (2, True)


def test_a_changed_entry_with_seals_made_without_the_key_is_noticed(settings: Any) -> None:
    entries = three()
    settings.TRAIL_KEY, kept = "another key", settings.TRAIL_KEY
    before = ""
    for entry in entries:
        entry.actor = "ann"
        entry.seal = before = sealed(before, entry.number, entry.content())
        entry.save()
    settings.TRAIL_KEY = kept
    assert verified()[2] is not None


@pytest.mark.parametrize("place", [0, 1])
def test_an_entry_taken_out_is_noticed(place: int) -> None:
    three()[place].delete()
    broken = verified()[2]
    assert broken is not None
    assert broken.message == f"entry {place + 1} is missing"


def test_entries_cut_off_at_the_end_are_missed_by_the_head_kept_beside(django_capture_on_commit_callbacks: Any) -> None:
    with django_capture_on_commit_callbacks(execute=True):
        entries = three()
    assert head_file().read_text() == f"3 {entries[2].seal}"
    entries[2].delete()
    broken = verified()[2]
    assert broken is not None
    assert broken.message == "entries 3 to 3 were cut off"


def test_a_head_that_comes_late_does_not_replace_a_newer_one() -> None:
    first, *_, last = three()
    models._keep_head(last)
    models._keep_head(first)
    assert head_file().read_text().startswith("3 ")


def test_a_broken_trail_is_told_with_the_state_and_by_the_command(boss: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(verifying, "_looked", verifying._Looked())
    assert boss.ok("GET", "state")["trail_broken"] is None
    Entry.objects.filter(number=1).update(actor="ann")
    assert verifying.look_through() is not None
    assert "entry 1" in boss.ok("GET", "state")["trail_broken"]
    monkeypatch.setattr("moorland.commands.workspace.set_up_django", lambda: None)
    found = CliRunner().invoke(app, ["trail", "verify"])
    assert (found.exit_code, "The trail is broken: entry 1" in found.output) == (1, True)


def test_refusals_in_floods_are_summed_up(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(floods, "_floods", {})
    for _ in range(150):
        floods.record_refusal("ann", "sign-in refused", "session", "10.0.0.1")
    floods.record_refusal("ann", "sign-in refused", "session", "10.0.0.2")
    entries = [(entry.details.get("address"), entry.details.get("times")) for entry in Entry.objects.order_by("number")]
    assert entries == [("10.0.0.1", None), ("10.0.0.1", 10), ("10.0.0.1", 100), ("10.0.0.2", None)]
    assert settings.TRAIL_KEY


def command(*arguments: str) -> tuple[int, str]:
    done = CliRunner().invoke(app, ["trail", *arguments])
    return done.exit_code, " ".join(done.output.split())


def test_a_seal_kept_elsewhere_proves_the_end(tmp_path: Path) -> None:
    entries = three()
    code, kept = command("seal")
    assert (code, kept) == (0, f"3 {entries[-1].seal}")
    assert "Its end is unproved" in command("verify")[1]
    assert command("verify", "--seal", kept) == (0, "The trail is whole: 3 entries.")
    entries[-1].delete()
    head_file().write_text(f"2 {entries[1].seal}")
    assert command("verify")[0] == 0
    assert "whose seal was kept, is not there" in command("verify", "--seal", kept)[1]
    assert command("verify", "--seal", "nonsense")[0] == 2


def exported() -> list[str]:
    three()
    return list(_lines(Entry.objects.order_by("number")))


@pytest.mark.parametrize(
    ("harm", "told"),
    [
        (lambda lines: lines, None),
        (lambda lines: [lines[0], lines[1].replace("number 1", "number 7"), lines[2]], "entry 2 of"),
        (lambda lines: [lines[0], lines[2]], "entry 2 is missing"),
        (lambda lines: [lines[0], lines[0], lines[1], lines[2]], "entry 1 was put in"),
        (lambda lines: [lines[0], "{}\n"], "line 2 is no entry"),
        (lambda lines: lines[:2], "ends with entry 2, before entry 3"),
    ],
)
def test_a_file_of_the_trail_is_verified_line_by_line(tmp_path: Path, harm: Any, told: str | None) -> None:
    lines = exported()
    (tmp_path / "trail.jsonl").write_text("".join(harm(lines)))
    newest = Entry.objects.latest("number")
    code, text = command("verify", "--file", str(tmp_path / "trail.jsonl"), "--seal", f"{newest.number} {newest.seal}")
    assert (code, told is None or told in text) == (0 if told is None else 1, True)


def test_old_entries_go_and_a_sealed_summary_stays() -> None:
    Workspace.objects.create(name="w", trail_days=30)
    for entry in three()[:2]:
        old = timezone.now() - timedelta(days=40)
        Entry.objects.filter(pk=entry.pk).update(at=old)
    seal = ""
    for entry in Entry.objects.order_by("number"):
        entry.seal = seal = sealed(seal, entry.number, entry.content())
        entry.save()
    head_file().write_text(f"3 {seal}")
    assert remove_old() == 2
    assert [entry.number for entry in Entry.objects.order_by("number")] == [3, 4]
    assert verified()[::2] == (4, None)
    summary = Summary.objects.get()
    assert (summary.number, summary.counts) == (2, {"boss: change": 2})
    summary.counts = {}
    summary.save()
    assert "the summary of the entries up to 2" in str(verified()[2])
