"""The commands `check` and `evaluate`: what they print and how they exit (bundle.md)."""

import json
from pathlib import Path
from typing import Any

import pytest
from typer.testing import CliRunner

from moorland.cli import app

BUNDLE = """
moorland: 1
name: Small
users: [{login: ann, name: Ann}, {login: bob, name: Bob, enabled: false}]
groups: [{name: g}]
models:
  - name: m
    tables:
      - {name: site, key: id, data: site.csv, columns: [{name: id, type: integer}, {name: area, type: text}]}
    measures: [{name: sites, table: site, expression: COUNT(*)}]
roles:
  - {name: r, kind: grant, model: m, sentences: [{rows: {table: site, where: "area = 'fell'"}}], assigned: [{everyone: true}]}
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "bundle.yaml").write_text(BUNDLE)
    (tmp_path / "site.csv").write_text("id,area\n1,fell\n2,marsh\n3,fell\n")
    return tmp_path


def run(*arguments: Any, **more: Any) -> Any:
    return CliRunner().invoke(app, [str(argument) for argument in arguments], **more)


def questions(**more: Any) -> str:
    return json.dumps({"viewers": ["ann"], "ask": [{"rows": {"model": "m", "table": "site", "columns": ["id"]}}], **more})


def test_check_says_that_a_good_bundle_checks_out(folder: Path) -> None:
    result = run("check", folder)
    assert (result.exit_code, "checks out" in result.stdout) == (0, True)


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("area = 'fell'", "aera = 'fell'", ["bundle.yaml", "roles[0].sentences[0].rows.where", "character 1", "area"]),
        ("site.csv", "gone.csv", ["gone.csv"]),
        ("kind: grant", "kind: gift", ["roles[0].kind"]),
        ("type: text", "type: integer", ["site.csv, column area", "row 1", "sentences[0].rows.where"]),
    ],
)
def test_a_wrong_bundle_is_told_by_place_and_exits_with_2(folder: Path, old: str, new: str, words: list[str]) -> None:
    (folder / "bundle.yaml").write_text(BUNDLE.replace(old, new))
    result = run("check", folder)
    told = result.stderr.replace("\n", " ")
    assert result.exit_code == 2
    assert [word for word in words if word not in told] == []


def test_check_prints_json_when_asked(folder: Path) -> None:
    (folder / "bundle.yaml").write_text(BUNDLE.replace("area = 'fell'", "aera = 'fell'"))
    result = run("check", folder, "--json")
    found = json.loads(result.stdout)
    assert (result.exit_code, found["valid"], found["problems"][0]["nearest"]) == (2, False, "area")


def test_evaluate_answers_in_the_shape_of_the_format(folder: Path) -> None:
    asked = {
        "viewers": ["ann", "bob", {"imagine": {"groups": ["g"]}}, {"login": "ann", "only_roles": []}],
        "ask": [{"totals": {"model": "m", "by": ["site.area"], "measures": ["sites"]}}, {"objects": {"model": "m"}}, {"pages": {}}],
    }
    (folder / "q.json").write_text(questions(**asked))
    result = run("evaluate", folder, folder / "q.json", "--json")
    viewers = json.loads(result.stdout)["viewers"]
    assert [entry["viewer"] for entry in viewers] == ["ann", "bob", None, "ann"]
    assert viewers[0]["answers"] == [
        {"by": ["site.area"], "measures": ["sites"], "lines": [{"key": ["fell"], "values": [2]}], "total": [2], "basis": [2], "not_found": [], "withheld": []},
        {"tables": {"site": ["area", "id"]}, "measures": ["sites"], "hierarchies": [], "cubes": []},
        {"open": [], "edit": [], "publish": [], "export": []},
    ]
    assert {answer["error"]["code"] for answer in viewers[1]["answers"]} == {"no_access"}
    assert viewers[3]["answers"][0]["error"]["code"] == "not_found"


def test_evaluate_asks_for_everyone_in_login_order(folder: Path) -> None:
    result = run("evaluate", folder, "-", "--json", input=questions(viewers="everyone"))
    assert [entry["viewer"] for entry in json.loads(result.stdout)["viewers"]] == ["ann", "bob"]


def test_evaluate_prints_readable_tables(folder: Path) -> None:
    result = run("evaluate", folder, "-", input=questions())
    assert (result.exit_code, "2 of 2 visible rows" in result.stdout) == (0, True)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        (questions(viewers=["anne"]), ["anne", "Nearest name: ann"]),
        (questions(viewers=[{"imagine": {"groups": ["h"]}}]), ["group h"]),
        (questions(ask=[{"rows": {"model": "m"}}]), ["ask.0.rows.table"]),
        (questions(as_of="someday"), ["as_of"]),
        ("not json", ["Invalid JSON"]),
    ],
)
def test_wrong_questions_exit_with_2(folder: Path, text: str, words: list[str]) -> None:
    result = run("evaluate", folder, "-", "--json", input=text)
    assert (result.exit_code, result.stdout) == (2, "")
    assert [word for word in words if word not in result.stderr.replace("\n", " ")] == []


def test_one_answers_error_does_not_stop_the_others(folder: Path) -> None:
    ask = [{"rows": {"model": "m", "table": "nowhere"}}, {"rows": {"model": "m", "table": "site", "columns": ["id"], "order": ["id"]}}]
    result = run("evaluate", folder, "-", "--json", input=questions(ask=ask))
    answers = json.loads(result.stdout)["viewers"][0]["answers"]
    assert answers[0]["error"]["code"] == "not_found"
    assert answers[1]["rows"] == [[1], [3]]


def test_a_bundle_in_one_document_is_read_too(folder: Path, tmp_path: Path) -> None:
    path = tmp_path / "one.json"
    path.write_text(json.dumps({"moorland": 1, "name": "One", "users": [{"login": "ann", "name": "Ann"}]}))
    assert run("check", path).exit_code == 0
