"""Reading a bundle: located errors, all at once, and nothing hostile (bundle.md)."""

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from demo.bundle import document as demo_document
from moorland.core.bundle.json_schema import bundle_schema
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.reading import parse_text, read_document, read_folder
from moorland.core.bundle.writing import content_hash, to_plain, write_folder
from moorland.core.engine.evaluator import Evaluator

ROOT = Path(__file__).parents[2]


def problems_of(document: dict[str, Any]) -> list[Problem]:
    with pytest.raises(BundleError) as raised:
        Evaluator(read_document({"moorland": 1, "name": "test", **document}))
    return raised.value.problems


def problem_of(document: dict[str, Any]) -> tuple[str, str, str | None]:
    (problem,) = problems_of(document)
    return problem.code, problem.path, problem.nearest


SITE = {"name": "site", "key": "id", "columns": [{"name": "id", "type": "integer"}, {"name": "area", "type": "text"}]}
MILL = {"name": "mill", "key": "id", "columns": [{"name": "id", "type": "integer"}, {"name": "site_id", "type": "integer"}, {"name": "name", "type": "text"}]}


def model(**more: Any) -> dict[str, Any]:
    return {"models": [{"name": "m", "tables": [SITE, MILL], "relationships": [{"from": "mill.site_id", "to": "site.id"}], **more}]}


def role(*sentences: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {**model(), "roles": [{"name": "r", "kind": "grant", "model": "m", "sentences": list(sentences), **more}]}


@pytest.mark.parametrize(
    ("document", "expected"),
    [
        ({"users": [{"login": "a", "name": "A"}, {"login": " A ", "name": "B"}]}, ("shape", "users[1].login", None)),
        ({"users": [{"login": "a", "name": "A"}, {"login": "A", "name": "B"}]}, ("duplicate", "users[1]", None)),
        ({"users": [{"login": "a", "name": "A", "email": "x@y"}, {"login": "b", "name": "B", "email": "X@Y"}]}, ("duplicate", "users[1]", None)),
        ({"users": [{"login": "a", "nam": "A", "name": "A"}]}, ("shape", "users[0].nam", "name")),
        ({"users": [{"login": "a"}]}, ("shape", "users[0].name", None)),
        ({"users": [{"login": "a", "name": "A", "enabled": "yes"}]}, ("shape", "users[0].enabled", None)),
        ({"groups": [{"name": "g", "users": ["an"]}], "users": [{"login": "ann", "name": "A"}]}, ("unknown_name", "groups[0].users[0]", "ann")),
        ({"groups": [{"name": "a", "groups": ["b"]}, {"name": "b", "groups": ["a"]}]}, ("cycle", "groups", None)),
        ({"organizations": [{"name": "a"}, {"name": "b"}]}, ("two_roots", "organizations", None)),
        ({"attributes": [{"name": "roles", "type": "text"}]}, ("reserved", "attributes[0].name", None)),
        (
            {"attributes": [{"name": "x", "type": "integer"}], "users": [{"login": "a", "name": "A", "attributes": {"x": "1"}}]},
            ("type", "users[0].attributes.x", None),
        ),
        (
            {"attributes": [{"name": "x", "type": "text", "allowed": ["fell"]}], "users": [{"login": "a", "name": "A", "attributes": {"x": "Fell"}}]},
            ("not_allowed", "users[0].attributes.x", "fell"),
        ),
        (model(relationships=[{"from": "mill.site_i", "to": "site.id"}]), ("unknown_name", "models[0].relationships[0]", None)),
        (model(relationships=[{"from": "mill.site_id", "to": "site.area"}]), ("not_a_key", "models[0].relationships[0]", None)),
        (model(relationships=[{"from": "mill.name", "to": "site.id"}]), ("type", "models[0].relationships[0]", None)),
        (
            model(relationships=[{"from": "mill.site_id", "to": "site.id"}, {"from": "mill.id", "to": "site.id"}]),
            ("ambiguous_path", "models[0].relationships", None),
        ),
        (model(relationships=[{"from": "mill.site_id", "to": "site.id"}, {"from": "site.id", "to": "mill.id"}]), ("cycle", "models[0].relationships", None)),
        (model(measures=[{"name": "x", "table": "mil", "expression": "COUNT(*)"}]), ("unknown_name", "models[0].measures[0].table", "mill")),
        (model(measures=[{"name": "x", "table": "mill", "expression": "name"}]), ("aggregate", "models[0].measures[0].expression", None)),
        (model(measures=[{"name": "x", "table": "mill", "expression": "measure.y"}, {"name": "y", "table": "mill", "expression": "measure.x + 1"}]), None),
        (role({"rows": {"table": "sit", "where": "TRUE"}}), ("unknown_name", "roles[0].sentences[0].rows.table", "site")),
        (role({"rows": {"table": "site", "where": "aera = 'x'"}}), ("unknown_name", "roles[0].sentences[0].rows.where", "area")),
        (role({"objects": {"hide": ["column:site.aera"]}}), ("unknown_name", "roles[0].sentences[0].objects.hide[0]", "site.area")),
        (role({"objects": {"hide": ["site.area"]}}), ("shape", "roles[0].sentences[0].objects.hide[0]", None)),
        (role({"rows": {"table": "site", "where": "TRUE"}, "pages": {"actions": ["open"]}}), ("shape", "roles[0].sentences[0]", None)),
        (role({"mask": {"column": "site.area", "with": {"round": {"to": 5}}}}), ("type", "roles[0].sentences[0].mask.with", None)),
        (role({"mask": {"column": "site.aera", "with": "withhold"}}), ("unknown_name", "roles[0].sentences[0].mask.column", "area")),
        (role({"mask": {"column": "site.area", "with": "withhold", "in_totals": "shown"}}), ("in_totals", "roles[0].sentences[0].mask.in_totals", None)),
        (role({"beneath": {"tables": ["sight"]}}), ("unknown_name", "roles[0].sentences[0].beneath.tables[0]", "site")),
        (role({"change": {"table": "site", "update": "aera = 'x'"}}), ("unknown_name", "roles[0].sentences[0].change.update", "area")),
        (role({"members": {"hierarchy": "geography"}}), ("unknown_name", "roles[0].sentences[0].members.hierarchy", None)),
        (role(assigned=[{"when": "viewer.roles = 'x'"}]), ("unknown_name", "roles[0].assigned[0].when", "viewer.groups")),
        (role(assigned=[{"user": "ann"}]), ("unknown_name", "roles[0].assigned[0].user", None)),
        (role(assigned=[{"everyone": True, "from": "2026-02-01", "until": "2026-01-01"}]), ("shape", "roles[0].assigned[0]", None)),
        ({"pages": [{"name": "p", "shelf": "s"}]}, ("unknown_name", "pages[0].shelf", None)),
    ],
)
def test_error_is_located(document: dict[str, Any], expected: tuple[str, str, str | None] | None) -> None:
    if expected is None:
        assert {problem.code for problem in problems_of(document)} == {"cycle"}
    else:
        assert problem_of(document) == expected


def test_an_entitlement_compares_like_with_like() -> None:
    sentence = {"table": "site", "through": "mill", "person": "id", "person_is": "login", "match": {"area": "id"}}
    assert [(problem.code, problem.path) for problem in problems_of(role({"entitlement": sentence}))] == [
        ("type", "roles[0].sentences[0].entitlement.person"),
        ("type", "roles[0].sentences[0].entitlement.match.area"),
    ]


def test_all_errors_are_reported_at_once() -> None:
    found = problems_of(
        role({"rows": {"table": "site", "where": "aera = 'x'"}}, {"rows": {"table": "mill", "where": "nam = 'x'"}}, assigned=[{"when": "viewer.nothing"}])
    )
    assert [problem.path for problem in found] == ["roles[0].sentences[0].rows.where", "roles[0].sentences[1].rows.where", "roles[0].assigned[0].when"]


def write(folder: Path, **files: str) -> Path:
    for name, text in files.items():
        (folder / f"{name}.yaml").write_text(text, "utf-8")
    return folder


def test_a_list_may_stand_in_files_of_its_own(tmp_path: Path) -> None:
    folder = write(tmp_path, bundle="moorland: 1\nname: t\nusers: [a.yaml, b.yaml]\n", a="- {login: a, name: A}\n", b="- {login: b, name: B}\n")
    assert [user.login for user in read_folder(folder).users] == ["a", "b"]


def test_an_error_names_the_file_it_stands_in(tmp_path: Path) -> None:
    folder = write(
        tmp_path, bundle="moorland: 1\nname: t\nusers: [a.yaml, b.yaml]\n", a="- {login: a, name: A}\n", b="- {login: b, name: B}\n- {login: c, nmae: C}\n"
    )
    with pytest.raises(BundleError) as raised:
        read_folder(folder)
    assert {(problem.file, problem.path) for problem in raised.value.problems} == {("b.yaml", "[1].nmae")}


@pytest.mark.parametrize("name", ["../outside.yaml", "/etc/passwd", "missing.yaml", "."])
def test_paths_stay_inside_the_folder(tmp_path: Path, name: str) -> None:
    (tmp_path / "outside.yaml").write_text("[]")
    inner = tmp_path / "inner"
    inner.mkdir()
    write(inner, bundle=f"moorland: 1\nname: t\nusers: {name}\n")
    with pytest.raises(BundleError) as raised:
        read_folder(inner)
    assert raised.value.problems[0].code == "path"


def test_a_link_out_of_the_folder_is_refused(tmp_path: Path) -> None:
    inner = tmp_path / "inner"
    inner.mkdir()
    (tmp_path / "users.yaml").write_text("[]")
    (inner / "users.yaml").symlink_to(tmp_path / "users.yaml")
    write(inner, bundle="moorland: 1\nname: t\nusers: users.yaml\n")
    with pytest.raises(BundleError):
        read_folder(inner)


@pytest.mark.parametrize(
    "text",
    [
        "a: 1\na: 2\n",
        "a: [1\n",
        "[" * 100 + "]" * 100,
        "!!python/object/apply:os.system ['true']",
        "a: \t- b",
    ],
)
def test_hostile_or_broken_yaml_is_a_sentence(text: str) -> None:
    with pytest.raises(BundleError) as raised:
        parse_text(text, "bundle.yaml")
    assert raised.value.problems[0].file == "bundle.yaml"


def test_yaml_words_and_days_stay_text() -> None:
    assert parse_text("on: [no, 2026-01-01, 1:30, 010, 1.5, true, ~]", "x.yaml") == {"on": ["no", "2026-01-01", "1:30", 10, 1.5, True, None]}


@pytest.mark.parametrize("text", ['{"a": 1, "a": 2}', '{"a": NaN}', '{"a": ', ""])
def test_broken_json_is_a_sentence(text: str) -> None:
    with pytest.raises(BundleError):
        parse_text(text, "bundle.json")


@settings(deadline=None)
@given(st.recursive(st.none() | st.booleans() | st.integers() | st.text(), lambda inner: st.lists(inner) | st.dictionaries(st.text(), inner), max_leaves=12))
def test_any_document_reads_or_is_refused_in_sentences(value: Any) -> None:
    document = {**value, "moorland": 1, "name": "x"} if isinstance(value, dict) else {"moorland": 1, "name": "x", "roles": value}
    try:
        read_document(document)
    except BundleError as error:
        assert all(problem.message for problem in error.problems)


def test_writing_and_reading_gives_the_same_bundle(tmp_path: Path) -> None:
    bundle = read_document(demo_document())
    write_folder(bundle, tmp_path)
    again = read_folder(tmp_path)
    assert again == bundle
    before = {path.name: path.read_text() for path in tmp_path.glob("*.yaml")}
    write_folder(again, tmp_path)
    assert {path.name: path.read_text() for path in tmp_path.glob("*.yaml")} == before
    assert content_hash(to_plain(again)) == content_hash(to_plain(bundle))


def test_the_published_json_schema_is_that_of_the_shapes() -> None:
    assert (ROOT / "docs" / "bundle.schema.json").read_text("utf-8") == bundle_schema()
    assert json.loads(bundle_schema())["title"] == "Bundle"


@pytest.mark.parametrize(
    ("part", "place", "nearest"),
    [
        ({"roles": [{"name": "r", "kind": "grant", "model": "m", "statements": []}]}, "roles[0].statements", "sentences"),
        ({"roles": [{"name": "r", "kind": "grant", "sentences": [{"mask": {"colum": "a.b", "with": "hash"}}]}]}, "roles[0].sentences[0].mask.colum", "column"),
        ({"users": [{"login": "a", "naem": "A"}]}, "users[0].naem", "name"),
        ({"roles": [{"name": "r", "kind": "grant", "sentences": [{"mask": {"column": "a.b", "with": {"keep": {"frist": 1}}}}]}]}, None, "first"),
    ],
)
def test_an_unknown_key_is_answered_with_the_nearest_of_its_place_and_told_once(part: dict[str, Any], place: str | None, nearest: str) -> None:
    with pytest.raises(BundleError) as caught:
        read_document({"moorland": 1, "name": "n", **part})
    told = [(problem.path, problem.nearest) for problem in caught.value.problems if problem.nearest]
    assert told[0][1] == nearest
    if place is not None:
        assert (told, len(caught.value.problems)) == ([(place, nearest)], 1)


def test_yaml_aliases_are_written_out() -> None:
    assert parse_text("a: &x [1, 2]\nb: *x\nc: {d: *x}\n", "b.yaml") == {"a": [1, 2], "b": [1, 2], "c": {"d": [1, 2]}}


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("a: &a [1]\n" + "".join(f"{chr(98 + n)}: &{chr(98 + n)} [{', '.join(['*' + chr(97 + n)] * 20)}]\n" for n in range(8)), "values"),
        ("a: &a [*a]\n", "inside what it names"),
        ("a: &a " + "[" * 40 + "]" * 40 + "\nb: " + "[" * 30 + "*a" + "]" * 30 + "\n", "nested deeper"),
        ("a: 'x\x07y'\n", "line 1, column 6: the character U.0007"),
    ],
)
def test_yaml_that_grows_circles_or_cannot_be_read_is_refused_in_one_line(text: str, words: str) -> None:
    with pytest.raises(BundleError, match=words) as caught:
        parse_text(text, "b.yaml")
    assert "\n" not in caught.value.problems[0].message
