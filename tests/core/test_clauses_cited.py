"""Every clause of semantics.md, channels.md and sources.md that code and tests cite stands there, and accounts.md is tested by its numbers."""

import ast
import io
import re
import tokenize
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parents[2]
CLAUSE = re.compile(r"(?<![\w.])([1-9]\d?\.[1-9]\d?)(?![\w.]*\d)")
SEMANTICS = (ROOT / "docs" / "semantics.md").read_text()
CHANNELS = (ROOT / "docs" / "channels.md").read_text()
SOURCES = (ROOT / "docs" / "sources.md").read_text()
STANDING = {*re.findall(r"^(\d+\.\d+) ", SEMANTICS + CHANNELS + SOURCES, re.MULTILINE)}


def comments(path: Path) -> Iterator[tuple[int, str]]:
    """The comments and docstrings of a Python file, with their lines."""
    text = path.read_text()
    for token in tokenize.generate_tokens(io.StringIO(text).readline):
        if token.type == tokenize.COMMENT:
            yield token.start[0], token.string
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef) and (docstring := ast.get_docstring(node)):
            yield getattr(node, "lineno", 1), docstring


def cited() -> Iterator[tuple[str, str]]:
    """Where a clause is cited, and which."""
    for folder in ("moorland", "tests", "demo", "benchmarks"):
        for path in sorted((ROOT / folder).rglob("*.py")):
            if "migrations" not in path.parts and CLAUSE.search(path.read_text()):
                for line, text in comments(path):
                    yield from ((f"{path.relative_to(ROOT)}:{line}", clause) for clause in CLAUSE.findall(text))
    for path in sorted((ROOT / "web" / "src").rglob("*.ts*")):
        for words in re.findall(r"semantics\.md ([\d., and]+)", path.read_text()):
            yield from ((str(path.relative_to(ROOT)), clause) for clause in CLAUSE.findall(words))


def test_every_cited_clause_stands_in_semantics() -> None:
    found = list(cited())
    assert len(found) > 100
    assert [(place, clause) for place, clause in found if clause not in STANDING] == []


def test_no_clause_stands_twice_and_what_clauses_refer_to_stands() -> None:
    numbers = re.findall(r"^(\d+\.\d+) ", SEMANTICS + CHANNELS, re.MULTILINE)
    assert sorted(numbers) == sorted(set(numbers))
    assert [clause for clause in CLAUSE.findall(SEMANTICS) if clause not in STANDING] == []


def test_every_number_of_the_page_on_accounts_is_named_by_a_test() -> None:
    page = (ROOT / "docs" / "accounts.md").read_text()
    standing = {int(number) for number in re.findall(r"^(\d+)\. ", page.partition("\n## Duties")[2], re.MULTILINE)}
    named: set[int] = set()
    for path in (ROOT / "tests").rglob("test_*.py"):
        for _, text in comments(path) if "accounts.md" in path.read_text() else ():
            for words in re.findall(r"accounts\.md ((?:\d+(?:, | to )?)+)", text):
                first, _, last = words.partition(" to ")
                named |= set(range(int(first), int(last) + 1)) if last else {int(number) for number in words.replace(",", " ").split()}
    assert standing - named == set()
