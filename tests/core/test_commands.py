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


PROMISE = """
promises:
  - {name: two sites, viewer: ann, must: {rows: {model: m, table: site, count: 2}}}
  - {name: no marsh, viewer: ann, must: {values: {model: m, column: site.area, excludes: [marsh]}}}
"""


def test_check_runs_the_promises_and_exits_with_1_where_one_is_broken(folder: Path) -> None:
    (folder / "bundle.yaml").write_text(BUNDLE + PROMISE)
    assert run("check", folder).exit_code == 0
    (folder / "bundle.yaml").write_text(BUNDLE + PROMISE.replace("count: 2", "count: 3"))
    result = run("check", folder, "--json")
    document = json.loads(result.stdout)
    assert (result.exit_code, [promise["kept"] for promise in document["promises"]]) == (1, [False, True])


def test_check_fails_on_findings_only_when_asked_to(folder: Path) -> None:
    (folder / "bundle.yaml").write_text(BUNDLE.replace("assigned: [{everyone: true}]", "assigned: []"))
    document = json.loads(run("check", folder, "--json").stdout)
    assert {finding["kind"] for finding in document["findings"]} == {"group_unused", "role_held_by_nobody", "table_reached_by_nobody"}
    assert (run("check", folder).exit_code, run("check", folder, "--fail-on", "low").exit_code) == (0, 1)
    assert run("check", folder, "--fail-on", "everything").exit_code == 2


def test_check_tells_how_much_is_guarded_and_fails_where_it_is_too_little(folder: Path) -> None:
    document = json.loads(run("check", folder, "--guard", "--json").stdout)["guard"]
    assert (document["of"] > 0, document["share"]) == (True, 100 * document["guarded"] / document["of"])
    assert (run("check", folder, "--guard-at-least", "0").exit_code, run("check", folder, "--guard-at-least", "100").exit_code) == (0, 1)


def test_probe_prints_a_document_with_what_was_asked_and_found(folder: Path) -> None:
    document = json.loads(run("probe", folder, "--viewer", "ann", "--json").stdout)
    (viewer,) = document["viewers"]
    assert {"viewer", "questions", "equations", "unknowns", "found"} <= viewer.keys()
    assert (viewer["viewer"], viewer["found"], run("probe", folder, "--viewer", "nobody").exit_code) == ("ann", [], 2)


def test_a_promise_that_names_what_is_not_there_is_wrong_input_with_its_place(folder: Path) -> None:
    (folder / "bundle.yaml").write_text(BUNDLE + PROMISE.replace("table: site,", "table: sight,"))
    result = run("check", folder)
    assert result.exit_code == 2
    assert "promises[0].must.rows.table" in result.stderr


def test_trace_explains_and_says_what_would_have_to_change(folder: Path) -> None:
    result = run("trace", folder, "--viewer", "ann", "--table", "site", "--row", "2", "--json")
    document = json.loads(result.stdout)
    helping = [remedy["message"] for remedy in document["what_would_have_to_change"]]
    assert (result.exit_code, document["trace"]["outcome"], helping) == (0, "cannot", ["Switch sentence 1 of r off, for everybody who holds it."])
    told = run("trace", folder, "--viewer", "ann", "--table", "site", "--row", "2", "--other", "bob").stdout
    assert "site.area = marsh from the row" in told
    assert "They part at the layer account." in told


@pytest.mark.parametrize(
    "arguments",
    [("--table", "site", "--row", "9"), ("--table", "sight", "--row", "1"), ("--table", "site"), (), ("--table", "site", "--row", "x"), ("--page", "none")],
)
def test_a_trace_of_nothing_is_wrong_input(folder: Path, arguments: tuple[str, ...]) -> None:
    assert run("trace", folder, "--viewer", "ann", *arguments).exit_code == 2


def test_diff_tells_who_loses_what(folder: Path, tmp_path_factory: pytest.TempPathFactory) -> None:
    other = tmp_path_factory.mktemp("other")
    (other / "bundle.yaml").write_text(BUNDLE.replace("area = 'fell'", "id = 1"))
    (other / "site.csv").write_text((folder / "site.csv").read_text())
    document = json.loads(run("diff", folder, other, "--total", "sites", "--json").stdout)
    (group,) = document["groups"]
    assert (document["viewers"], group["named"]) == (2, [{"login": "ann", "name": "Ann"}])
    assert group["tables"][0]["lost"] == 1
    assert group["totals"] == [{"model": "m", "measure": "sites", "before": 2.0, "after": 1.0}]
    assert run("diff", folder, other, "--total", "nothing").exit_code == 2
    assert "Of 2 viewers, 0 see something else." in run("diff", folder, folder).stdout


def test_sql_binds_values_and_says_what_it_cannot_answer(folder: Path) -> None:
    (folder / "questions.json").write_text(
        questions(ask=[{"rows": {"model": "m", "table": "site"}}, {"objects": {"model": "m"}}, {"rows": {"model": "m", "table": "x"}}])
    )
    document = json.loads(run("sql", folder, folder / "questions.json", "--dialect", "sqlite", "--json").stdout)
    first, second, third = document["viewers"][0]["answers"]
    assert [statement["gives"] for statement in first["statements"]] == ["count", "rows"]
    assert (second["error"]["code"], third["error"]["code"]) == ("not_in_sql", "not_found")
    assert run("sql", folder, folder / "questions.json", "--dialect", "other").exit_code == 2


def test_evaluate_tries_changes(folder: Path) -> None:
    text = BUNDLE.replace("sentences: [", "sentences: [{change: {table: site, update: 'id < 3'}}, ")
    (folder / "bundle.yaml").write_text(text)
    (folder / "questions.json").write_text(questions(ask=[{"change": {"model": "m", "table": "site", "update": {"set": {"area": "fell"}}}}]))
    document = json.loads(run("evaluate", folder, folder / "questions.json", "--json").stdout)
    assert document["viewers"][0]["answers"] == [{"meant": 2, "allowed": 1, "refused": 1}]


PAGE = """
shelves: [{name: s}]
pages:
  - name: p
    shelf: s
    model: m
    filters: [site.aera]
    exhibits:
      - {title: One, kind: bar, by: [site.are], measures: [sitess]}
      - {title: Two, kind: list, table: site, columns: [area], where: "viewer.secret = area"}
"""


def test_check_refuses_exhibits_whose_columns_measures_or_filters_do_not_exist(folder: Path) -> None:
    (folder / "bundle.yaml").write_text(BUNDLE + PAGE)
    result = run("check", folder, "--json")
    told = {problem["path"]: problem["nearest"] for problem in json.loads(result.stdout)["problems"]}
    assert result.exit_code == 2
    assert told == {
        "pages[0].filters[0]": "site.area",
        "pages[0].exhibits[0].by[0]": "site.area",
        "pages[0].exhibits[0].measures[0]": "sites",
        "pages[0].exhibits[1].where": "viewer.roles",
    }


def test_a_data_file_that_is_missing_is_told_at_its_table(folder: Path) -> None:
    (folder / "bundle.yaml").write_text(BUNDLE.replace("site.csv", "gone.csv"))
    for command in (["check", folder], ["evaluate", folder, "-"]):
        result = run(*command, input=questions())
        assert result.exit_code == 2
        assert "models[0].tables[0].data: there is no file gone.csv" in result.stderr.replace("\n", " ")


def test_every_kind_of_answer_is_printed(folder: Path) -> None:
    ask = [
        {"rows": {"model": "m", "table": "site"}},
        {"totals": {"model": "m", "by": ["site.area"], "measures": ["sites"]}},
        {"objects": {"model": "m"}},
        {"members": {"model": "m", "hierarchy": "none"}},
        {"pages": {}},
        {"change": {"model": "m", "table": "site", "update": {"set": {"area": "x"}}}},
    ]
    result = run("evaluate", folder, "-", input=questions(ask=ask))
    assert result.exit_code == 0, result.exception
    assert "no grant role allows this update" in result.stdout


def test_sql_keeps_the_types_of_values_and_names_what_wants_an_index(folder: Path) -> None:
    text = BUNDLE.replace("area = 'fell'", "area IN viewer.areas AND id > viewer.least").replace(
        "groups:", "attributes: [{name: areas, type: text, multiple: true}, {name: least, type: integer}]\ngroups:"
    )
    (folder / "bundle.yaml").write_text(text.replace("{login: ann, name: Ann}", "{login: ann, name: Ann, attributes: {areas: [fell], least: 0}}"))
    result = run("sql", folder, "-", "--json", "--dialect", "sqlite", input=questions())
    statement = json.loads(result.stdout)["viewers"][0]["answers"][0]["statements"][0]
    assert (statement["parameters"], statement["types"]) == ({"p1": "fell", "p2": 0}, {"p1": "text", "p2": "integer"})
    assert statement["looks_up"] == []


def test_trace_tells_the_bridge_of_a_figure(folder: Path) -> None:
    told = json.loads(run("trace", folder, "--viewer", "ann", "--model", "m", "--measure", "sites", "--bridge", "--json").stdout)
    assert [told["first"]["figure"], [step["amount"] for step in told["steps"]], told["last"]["figure"]] == [3, [-1], 2]
    shown = run("trace", folder, "--viewer", "ann", "--measure", "sites", "--bridge").stdout
    assert "-1 rows  Not opened by r: it keeps site where area = 'fell'." in shown


def test_trace_tells_who_reaches_a_row(folder: Path) -> None:
    told = json.loads(run("trace", folder, "--table", "site", "--row", "1", "--who", "--json").stdout)
    assert [(person["login"], person["state"]) for person in told["people"]] == [("ann", "listed")]
    assert "1 of 1 people" in run("trace", folder, "--table", "site", "--row", "1", "--who").stdout
    assert run("trace", folder, "--table", "site", "--row", "9", "--who").exit_code == 2


def test_reach_tells_everybody_at_once(folder: Path) -> None:
    told = json.loads(run("reach", folder, "--json").stdout)
    assert told["classes"] == [
        {
            "logins": ["ann"],
            "roles": ["r"],
            "tables": {"m.site": {"rows": 2, "of": 3}},
            "columns": {"m.site.id": "clear", "m.site.area": "clear"},
            "measures": {"m.sites": 2},
            "pages": [],
            "export": [],
        }
    ]
    assert "m.site 2 of 3" in run("reach", folder).stdout
    assert run("reach", folder, "--model", "x").exit_code == 2


def test_a_statement_of_access_is_printed_and_as_csv(folder: Path) -> None:
    assert "by r (assigned to everyone): keeps site where area = 'fell'" in run("statement", folder, "--person", "ann").stdout
    assert run("statement", folder, "--table", "site", "--csv").stdout.splitlines()[1].startswith("ann,Ann,")
    assert run("statement", folder, "--table", "x").exit_code == 2
    assert run("statement", folder).exit_code == 2


def test_query_asks_sql_as_somebody(folder: Path) -> None:
    result = run("query", folder, "select id, area from site order by id", "--as", "ann", "--json")
    assert json.loads(result.stdout) == {
        "columns": [{"name": "id", "type": "integer"}, {"name": "area", "type": "text"}],
        "rows": [[1, "fell"], [3, "fell"]],
        "notices": [],
    }
    wrong = run("query", folder, "-", "--as", "ann", input="select nothing from site")
    assert (wrong.exit_code, 'column "nothing" does not exist' in wrong.stderr) == (2, True)
