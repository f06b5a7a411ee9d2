"""Every example of docs/sentences.md comes to what the page says."""

import re
import textwrap
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from moorland.core.bundle.reading import read_folder
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Question
from moorland.core.sources.files import folder_loader

PAGE = (Path(__file__).parents[2] / "docs" / "sentences.md").read_text("utf-8")
FILES = dict(re.findall(r"\*\*(\w+\.\w+)\*\*\n\n```\w+\n(.*?)```", PAGE, re.DOTALL))
#: The kind of role, its sentences, and what the page says comes of them.
EXAMPLES = re.findall(r"(As a limit:\n\n)?```yaml\n(- .*?)```\n\n((?:- [^\n]*\n)+)", PAGE, re.DOTALL)


def base_of(folder: Path, kind: str, sentences: str) -> Evaluator:
    """The page's place with one role of these sentences, and beside a limit a grant of everything."""
    for name, text in FILES.items():
        (folder / name).write_text(text)
    roles = f"roles:\n- name: example\n  kind: {kind}\n  model: place\n  assigned: [{{user: ann}}]\n  sentences:\n" + textwrap.indent(sentences, "  ")
    if kind == "limit":
        roles += "- {name: all, kind: grant, model: place, assigned: [{user: ann}]}\n"
    (folder / "bundle.yaml").write_text(FILES["bundle.yaml"] + roles)
    return Evaluator(read_folder(folder), folder_loader(folder))


def asked(base: Evaluator, **question: dict[str, Any]) -> dict[str, Any]:
    kind, body = next(iter(question.items()))
    return base.answer(base.viewer("ann"), Question.model_validate({kind: {"model": "place", **body}})).model_dump()


def shown(base: Evaluator, table: str, column: str) -> list[Any]:
    return [row[0] for row in asked(base, rows={"table": table, "columns": [f"{table}.{column}"], "order": ["site.id"]})["rows"]]


def may_set(base: Evaluator, column: str, row: str) -> bool:
    return bool(asked(base, change={"table": "site", "update": {"set": {column: "x"}, "where": f"id = {row}"}})["allowed"])


def exists(base: Evaluator, named: str) -> bool:
    kind, _, name = named.partition(":")
    objects = base.viewer_model(base.viewer("ann"), "place").objects
    known = {"table": objects.tables, "measure": objects.measures, "column": {f"{table}.{column}" for table, column in objects.columns}}
    return name in known[kind]


def lines(base: Evaluator, measure: str, by: str) -> str:
    found = asked(base, totals={"by": [by], "measures": [measure]})["lines"]
    return ", ".join(f"{line['key'][0]} {line['values'][0]:g}" for line in found)


#: How the page says things, and how that is looked at.
SAYINGS: list[tuple[str, Callable[..., bool]]] = [
    (r"sees rows ([\d, ]+) of `(\w+)`", lambda base, rows, table: shown(base, table, "id") == [int(row) for row in rows.split(", ")]),
    (r"(\w+) is (\d+)", lambda base, measure, number: asked(base, totals={"measures": [measure]})["total"] == [float(number)]),
    (r"(\w+) by `([\w.]+)` is (.+)", lambda base, measure, by, told: lines(base, measure, by) == told),
    (r"`(\w+:[\w.]+)` does not exist", lambda base, named: not exists(base, named)),
    (r"`(\w+)\.(\w+)` shows nothing", lambda base, table, column: set(shown(base, table, column)) == {None}),
    (r"`(\w+)\.(\w+)` shows (.+)", lambda base, table, column, told: list(dict.fromkeys(shown(base, table, column))) == told.split(", ")),
    (r"rows of `(\w+)` are not listed", lambda base, table: asked(base, rows={"table": table})["rows"] == []),
    (r"may set `(\w+)` of row (\d)", may_set),
    (r"may not set `(\w+)` of row (\d)", lambda base, column, row: not may_set(base, column, row)),
    (r"can open `(\w+)`", lambda base, page: base.may_open(base.viewer("ann"), page)),
    (r"cannot open `(\w+)`", lambda base, page: not base.may_open(base.viewer("ann"), page)),
]


@pytest.mark.parametrize("place", range(len(EXAMPLES)))
def test_an_example_comes_to_what_is_said(place: int, tmp_path: Path) -> None:
    limit, sentences, told = EXAMPLES[place]
    base = base_of(tmp_path, "limit" if limit else "grant", sentences)
    for line in told.strip().split("\n"):
        saying = line.removeprefix("- ")
        found = next(((match, look) for pattern, look in SAYINGS if (match := re.fullmatch(pattern, saying))), None)
        assert found is not None, f"nothing looks at: {saying}"
        assert found[1](base, *found[0].groups()), saying


def test_every_kind_of_sentence_has_an_example() -> None:
    named = {kind for _, sentences, _ in EXAMPLES for kind in re.findall(r"^- (\w+):", sentences, re.MULTILINE)}
    assert named == {"rows", "entitlement", "members", "objects", "mask", "beneath", "change", "pages"}
