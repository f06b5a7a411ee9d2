"""People and groups from files: every row is told about, and a broken file changes nothing."""

from typing import Any

from moorland.server.directory.models import Account
from tests.server.conftest import Session, each
from tests.server.test_bringing_data import bring

COLUMNS = {"login": 0, "name": 1, "email": 2, "groups": 3, "attribute:areas": 4}


def asked(session: Session, content: str, **more: Any) -> dict[str, Any]:
    key = bring(session, "people.csv", content.encode())
    return {"upload": key, "reading": {"format": "csv"}, "kind": "people", "columns": COLUMNS, **more}


def test_a_dry_run_reports_every_row_and_changes_nothing(boss: Session) -> None:
    content = (
        "login,name,email,groups,areas\n"
        "ann,Ann,,,\n"
        "bob,Robert,bob@x.example,stewards,fell; marsh\n"
        "cy,Cy,BOB@x.example,,\n"
        "Ann,Ann again,,,\n"
        "dee,,,,\n"
        "eve,Eve,,steward,\n"
        "fay,Fay,fay@x.example,others,fell\n"
    )
    report = boss.ok("POST", "directory/import?try=true", asked(boss, content))
    assert [(row["row"], row["name"], row["outcome"]) for row in report["rows"]] == [
        (2, "ann", "unchanged"),
        (3, "bob", "changed"),
        (4, "cy", "refused"),
        (5, "Ann", "refused"),
        (6, "dee", "refused"),
        (7, "eve", "refused"),
        (8, "fay", "created"),
    ]
    whys = [row["why"] for row in report["rows"] if row["why"]]
    assert whys == [
        "The e-mail BOB@x.example belongs to bob already.",
        "Ann stands in an earlier row already, as ann.",
        "The name is blank, and nobody of this login is here yet.",
        "There is no group steward; nearest: stewards.",
    ]
    assert [viewer["login"] for viewer in each(report["viewers"])] == ["bob"]
    assert not Account.objects.filter(login="fay").exists()


def test_a_file_with_refused_rows_is_applied_only_without_them(boss: Session) -> None:
    content = "login,name,email,groups,areas\nbob,Robert,,,\neve,Eve,,steward,\n"
    assert boss.error("POST", "directory/import", asked(boss, content)) == (422, "refused")
    assert Account.objects.get(login="bob").name == "Bob"
    boss.ok("POST", "directory/import", asked(boss, content, leave_out_refused=True))
    assert Account.objects.get(login="bob").name == "Robert"
    assert not Account.objects.filter(login="eve").exists()


def test_a_name_that_is_too_long_refuses_its_row(boss: Session) -> None:
    report = boss.ok("POST", "directory/import?try=true", asked(boss, f"login,name,email,groups,areas\nbob,{'x' * 201},,,\n"))
    assert [(row["outcome"], row["why"]) for row in report["rows"]] == [("refused", "The name is longer than 200 letters.")]


def test_a_row_of_another_width_stops_everything(boss: Session) -> None:
    status, answer = boss.call("POST", "directory/import", asked(boss, "login,name,email,groups,areas\nbob,Robert\n"))
    assert (status, "Row 2 has 2 cells" in answer["error"]["message"]) == (422, True)


def test_an_export_comes_in_again_unchanged(boss: Session) -> None:
    Account.objects.filter(login="bob").update(name="=cmd()")
    text = boss.client.get("/api/directory/export?kind=people").content.decode()
    assert "'=cmd()" in text and "code" not in text
    header = text.splitlines()[0].split(",")
    report = boss.ok("POST", "directory/import?try=true", asked(boss, text, columns={name: place for place, name in enumerate(header)}))
    assert {row["outcome"] for row in report["rows"]} == {"unchanged"}


def test_groups_come_in_with_members_and_groups(boss: Session) -> None:
    key = bring(boss, "groups.csv", b"name,users,groups,areas\nnew,bob,stewards,\nbroken,,nowhere,\n")
    body = {
        "upload": key,
        "reading": {"format": "csv"},
        "kind": "groups",
        "columns": {"name": 0, "users": 1, "groups": 2, "attribute:areas": 3},
        "leave_out_refused": True,
    }
    report = boss.ok("POST", "directory/import?try=true", body)
    assert [(row["name"], row["outcome"], row["changes"]) for row in report["rows"]] == [
        ("new", "created", ["+ bob", "+ group stewards"]),
        ("broken", "refused", []),
    ]


def test_everything_wrong_in_a_row_is_told_at_once(boss: Session) -> None:
    content = "login,name,email,groups,areas\ncy,Cy,no mail,nowhere,\n"
    why = boss.ok("POST", "directory/import?try=true", asked(boss, content))["rows"][0]["why"]
    assert why == "'no mail' is no e-mail address; there is no group nowhere; nearest: others."


def test_words_of_a_status_column_are_read(boss: Session) -> None:
    words = ["enabled", "disabled", "Active", "inactive", "yes", "no", "1", "0"]
    content = "login,enabled\n" + "".join(f"p{place},{word}\n" for place, word in enumerate(words))
    columns = {"login": 0, "name": 0, "enabled": 1}
    boss.ok("POST", "directory/import", asked(boss, content, columns=columns))
    found = dict(Account.objects.filter(login__startswith="p").values_list("login", "enabled"))
    assert [found[f"p{place}"] for place in range(len(words))] == [True, False] * 4


def test_groups_that_are_missing_are_named_and_added_with_the_file(boss: Session) -> None:
    content = "login,name,email,groups,areas\ncy,Cy,,stewards; newcomers,\ndee,Dee,,newcomers,\n"
    tried = boss.ok("POST", "directory/import?try=true", asked(boss, content))
    assert (tried["refused"], tried["unknown_groups"]) == (2, ["newcomers"])
    assert boss.ok("POST", "directory/import", asked(boss, content, add_groups=True))["created"] == 2
    assert boss.ok("GET", "groups/newcomers")["users"] == ["cy", "dee"]
