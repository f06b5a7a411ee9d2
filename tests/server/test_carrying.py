"""A workspace as a bundle folder, and back: nothing of it lost but what is secret (bundle.md)."""

import io
import zipfile
from pathlib import Path

import pytest
from django.core.management import call_command

from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.reading import read_folder
from moorland.core.bundle.writing import write_folder
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.promises import run_promises
from moorland.core.sources.files import folder_loader
from moorland.server import evaluating, setup
from moorland.server.bundle_export import exported_bundle
from moorland.server.bundle_import import import_into
from moorland.server.directory.models import Account
from moorland.server.errors import Failure
from moorland.server.outside.models import Issuer
from moorland.server.pages.models import ReaderPage
from moorland.server.releases.models import Workspace
from tests.server.conftest import Session
from tests.server.duties import Sessions
from tests.server.test_outside import ISSUER
from tests.server.test_pages import steward_says
from tests.server.test_promises import kept
from tests.server.test_readers_who_build import ENERGY, made


def contents(folder: Path) -> dict[str, bytes]:
    return {str(path.relative_to(folder)): path.read_bytes() for path in sorted(folder.rglob("*")) if path.is_file()}


def test_what_is_exported_imported_and_exported_again_is_the_same_byte_for_byte(boss: Session, tmp_path: Path) -> None:
    kept(boss)
    boss.ok("POST", "acts", {"change_people": {"logins": ["ann"], "about": "keeps the fell"}})
    exported_bundle(tmp_path / "first", "draft", True)
    first = contents(tmp_path / "first")
    bundle = read_folder(tmp_path / "first")
    assert [result.kept for result in run_promises(Evaluator(bundle, folder_loader(tmp_path / "first")))] == [True]
    call_command("flush", verbosity=0, interactive=False)
    evaluating._evaluators.clear()
    assert setup.import_into_empty(tmp_path / "first", set()) == "boss"
    exported_bundle(tmp_path / "second", "draft", True)
    assert contents(tmp_path / "second") == first
    assert not Account.objects.get(login="boss").has_usable_password()


def test_no_secret_value_and_no_password_is_in_an_export(boss: Session, tmp_path: Path) -> None:
    boss.ok("POST", "acts", {"change_people": {"logins": ["ann"], "attributes": {"code": 424242}}})
    exported_bundle(tmp_path / "out", "live", True)
    written = b"".join(contents(tmp_path / "out").values())
    assert b"424242" not in written and b"argon2" not in written and b"fell" in written


def test_without_data_the_tables_name_no_files(boss: Session, tmp_path: Path) -> None:
    exported_bundle(tmp_path / "out", "draft", False)
    assert not (tmp_path / "out" / "data").exists()
    assert all(table.data is None for model in read_folder(tmp_path / "out").models for table in model.tables)


def test_an_export_takes_the_place_of_an_earlier_one_and_of_nothing_else(boss: Session, tmp_path: Path) -> None:
    exported_bundle(tmp_path / "out", "draft", True)
    exported_bundle(tmp_path / "out", "draft", True)
    (tmp_path / "other").mkdir()
    (tmp_path / "other" / "letter.txt").write_text("dear")
    with pytest.raises(Failure, match="no bundle"):
        exported_bundle(tmp_path / "other", "draft", True)
    assert (tmp_path / "other" / "letter.txt").read_text() == "dear"


def test_an_import_goes_into_an_empty_workspace_whole_or_not_at_all(boss: Session, tmp_path: Path) -> None:
    exported_bundle(tmp_path / "out", "draft", True)
    with pytest.raises(Failure, match="already"):
        setup.import_into_empty(tmp_path / "out", set())
    call_command("flush", verbosity=0, interactive=False)
    with pytest.raises(Failure, match="no stranger"):
        setup.import_into_empty(tmp_path / "out", {"stranger"})
    (tmp_path / "out" / "duties.yaml").unlink()
    main = tmp_path / "out" / "bundle.yaml"
    main.write_text("\n".join(line for line in main.read_text().splitlines() if not line.startswith("duties")))
    with pytest.raises(Failure, match="--keeper"):
        setup.import_into_empty(tmp_path / "out", set())
    assert not Workspace.objects.exists() and not Account.objects.exists()
    assert setup.import_into_empty(tmp_path / "out", {"ann"}) == "ann"


def written(boss: Session, folder: Path) -> Path:
    exported_bundle(folder, "draft", True)
    return folder


def changed(folder: Path, name: str, old: str, new: str) -> None:
    path = folder / name
    text = path.read_text()
    assert old in text
    path.write_text(text.replace(old, new))


def test_what_was_just_exported_changes_nothing(boss: Session, tmp_path: Path) -> None:
    plan = import_into(written(boss, tmp_path / "b"), "test", apply=True)
    assert not plan.changes


def test_an_import_into_a_workspace_tells_what_changes_and_for_whom_before_it_is_done(boss: Session, tmp_path: Path) -> None:
    folder = written(boss, tmp_path / "b")
    changed(folder, "roles.yaml", "area IN viewer.areas", "area = 'marsh'")
    changed(folder, "users.yaml", "name: Ann", "name: Anna")
    told = import_into(folder, "test", apply=False)
    assert [(item.kind, item.name, item.change) for item in told.policy] == [("roles", "steward", "changed")]
    assert told.people == ["person ann: name"]
    assert [(viewer.login, viewer.tables[0].gained, viewer.tables[0].lost) for viewer in told.viewers] == [("ann", 1, 2)]
    assert boss.ok("GET", "state")["changes"] == 0
    assert Account.objects.get(login="ann").name == "Ann"
    import_into(folder, "test", apply=True)
    assert [item["name"] for item in boss.ok("GET", "releases/pending")["changes"]] == ["steward"]
    assert Account.objects.get(login="ann").name == "Anna"
    exported_bundle(tmp_path / "again", "draft", True)
    assert contents(tmp_path / "again") == contents(folder)


def test_whoever_is_not_in_the_bundle_is_disabled_and_the_last_keeper_stays(boss: Session, tmp_path: Path) -> None:
    folder = written(boss, tmp_path / "b")
    bundle = read_folder(folder)
    kept_users = [user for user in bundle.users if user.login != "bob"]
    write_folder(bundle.model_copy(update={"users": kept_users}), folder)
    for name in ("groups.yaml", "roles.yaml"):
        assert "bob" not in (folder / name).read_text()
    assert import_into(folder, "test", apply=True).people == ["person bob disabled: enabled"]
    write_folder(bundle.model_copy(update={"users": [user for user in bundle.users if user.login != "boss"], "duties": []}), folder)
    with pytest.raises((Failure, BundleError)):
        import_into(folder, "test", apply=True)
    assert Account.objects.get(login="boss").enabled


def test_a_bundle_that_fits_half_changes_nothing(boss: Session, tmp_path: Path) -> None:
    folder = written(boss, tmp_path / "b")
    changed(folder, "users.yaml", "name: Ann", "name: Anna")
    changed(folder, "roles.yaml", "area IN viewer.areas", "nowhere = 1")
    with pytest.raises((Failure, BundleError)):
        import_into(folder, "test", apply=True)
    assert Account.objects.get(login="ann").name == "Ann"


def brought(boss: Session, content: bytes) -> str:
    made = boss.client.post("/api/uploads?name=bundle.zip", content, content_type="application/octet-stream")
    key: str = made.json()["id"]
    return key


def packed(folder: Path, prefix: str = "") -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as opened:
        for path in sorted(folder.rglob("*")):
            if path.is_file():
                opened.write(path, prefix + str(path.relative_to(folder)))
    return made.getvalue()


def test_a_bundle_goes_out_and_in_over_the_settings(boss: Session, tmp_path: Path) -> None:
    out = boss.client.post("/api/settings/bundle", {"state": "draft", "data": True}, content_type="application/json")
    with zipfile.ZipFile(io.BytesIO(b"".join(out.streaming_content))) as opened:
        opened.extractall(tmp_path / "b")
    changed(tmp_path / "b", "roles.yaml", "area IN viewer.areas", "area = 'marsh'")
    key = brought(boss, packed(tmp_path / "b", "bundle/"))
    told = boss.ok("POST", "settings/bundle/import", {"upload": key})
    assert ([item["name"] for item in told["policy"]], told["applied"], boss.ok("GET", "state")["changes"]) == (["steward"], False, 0)
    boss.ok("POST", "settings/bundle/import", {"upload": key, "apply": True})
    assert boss.ok("GET", "state")["changes"] == 1


@pytest.mark.parametrize("names", [["../out.yaml"], ["/etc/out.yaml"], ["readme.txt"], []])
def test_a_file_that_is_no_bundle_or_leads_out_of_its_folder_is_refused(boss: Session, names: list[str]) -> None:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as opened:
        for name in names:
            opened.writestr(name, "x")
    content = made.getvalue() if names else b"no zip at all"
    assert boss.error("POST", "settings/bundle/import", {"upload": brought(boss, content)}) == (422, "invalid")


def set_up(boss: Session) -> None:
    """Rules, an issuer with public keys, one with a secret, and a page of a reader."""
    stored = boss.ok("GET", "settings/sign-in")
    rules = stored["rules"] | {"least_length": 14, "organizations": [{"organization": "leaf", "expiry_days": 60}]}
    boss.ok("PUT", "settings/sign-in", {"rules": rules, "version": stored["version"]})
    boss.ok("PUT", "settings/issuers", {"text": ISSUER, "version": None})
    boss.ok("PUT", "settings/issuers", {"text": {**ISSUER, "name": "old", "signing": "HS256", "public_key": None}, "secret": "s" * 40, "version": None})
    steward_says(boss, {"pages": {"actions": ["open", "create", "edit", "publish"], "on": ["shelf:work"]}})


def test_what_is_beside_the_bundle_comes_back_the_same_but_for_secrets(boss: Session, as_user: Sessions, tmp_path: Path) -> None:
    set_up(boss)
    name = made(as_user("ann"), ENERGY, publish=True)
    exported_bundle(tmp_path / "first", "draft", False)
    first = (tmp_path / "first" / "workspace.yaml").read_text()
    assert "least_length: 14" in first and name in first and "s" * 40 not in first
    call_command("flush", verbosity=0, interactive=False)
    evaluating._evaluators.clear()
    setup.import_into_empty(tmp_path / "first", set())
    # An issuer whose secret is not known vouches for nobody.
    assert dict(Issuer.objects.values_list("name", "enabled")) == {"portal": True, "old": False}
    Issuer.objects.update(enabled=True)
    exported_bundle(tmp_path / "second", "draft", False)
    assert (tmp_path / "second" / "workspace.yaml").read_text() == first


def test_what_changes_beside_the_bundle_is_told_before_it_is_done(boss: Session, as_user: Sessions, tmp_path: Path) -> None:
    set_up(boss)
    name = made(as_user("ann"), ENERGY)
    folder = written(boss, tmp_path / "b")
    changed(folder, "workspace.yaml", "least_length: 14", "least_length: 12")
    changed(folder, "workspace.yaml", "label: Mine", "label: Ours")
    told = import_into(folder, "test", apply=False)
    assert told.workspace == ["sign-in rules: least_length", "page Ours of ann changed"]
    assert ReaderPage.objects.get(name=name).document["label"] == "Mine"
    import_into(folder, "test", apply=True)
    assert boss.ok("GET", "settings/sign-in")["rules"]["least_length"] == 12
    assert ReaderPage.objects.get(name=name).document["label"] == "Ours"


@pytest.mark.parametrize(("old", "new"), [("organization: leaf", "organization: nowhere"), ("maker: ann", "maker: nobody"), ("least_length", "least_lenght")])
def test_what_does_not_fit_beside_the_bundle_changes_nothing(boss: Session, as_user: Sessions, tmp_path: Path, old: str, new: str) -> None:
    set_up(boss)
    made(as_user("ann"), ENERGY)
    folder = written(boss, tmp_path / "b")
    changed(folder, "users.yaml", "name: Ann", "name: Anna")
    changed(folder, "workspace.yaml", old, new)
    with pytest.raises((Failure, BundleError)):
        import_into(folder, "test", apply=True)
    assert Account.objects.get(login="ann").name == "Ann"
