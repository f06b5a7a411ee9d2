"""What the manual names is there: commands, targets of make, pages and pictures."""

import json
import re
from pathlib import Path

import pytest
from typer.testing import CliRunner

from demo.bundle import generate
from moorland.cli import COMMANDS, app
from moorland.core.bundle.document import Bundle
from moorland.core.bundle.policy import Sentence
from moorland.core.bundle.reading import parse_text

ROOT = Path(__file__).parents[2]
PAGES = sorted([*ROOT.glob("docs/*.md"), ROOT / "README.md"])


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_commands_and_targets_that_are_named_are_there(page: Path) -> None:
    text = page.read_text("utf-8")
    named = set(re.findall(r"(?:`|^|bin/)moorland ([a-z][a-z-]*)", text, re.MULTILINE))
    assert named <= COMMANDS.keys()
    targets = set(re.findall(r"^([a-z]+):", (ROOT / "Makefile").read_text(), re.MULTILINE))
    assert set(re.findall(r"`make ([a-z]+)", text)) <= targets


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_links_lead_somewhere(page: Path) -> None:
    for target in re.findall(r"\]\(([^)#]+)", page.read_text("utf-8")):
        assert target.startswith("http") or (page.parent / target).exists(), target


def test_every_screen_has_its_part_of_the_manual() -> None:
    headings = {heading.lower() for heading in re.findall(r"^## (.+)$", (ROOT / "docs" / "screens.md").read_text(), re.MULTILINE)}
    screens = re.search(r"SCREENS: .*?= \[(.*?)\n\];", (ROOT / "web/src/state/rights.ts").read_text(), re.DOTALL)
    assert screens is not None
    assert set(re.findall(r'path: "([a-z]+)"', screens.group(1))) <= headings


def test_every_page_of_the_manual_stands_in_its_list() -> None:
    listed = set(re.findall(r"([a-z-]+\.md)", (ROOT / "mkdocs.yml").read_text()))
    assert listed == {page.name for page in PAGES if page.parent.name == "docs"}


def test_the_bundle_that_is_shown_has_the_shape_it_explains() -> None:
    shown = Bundle.model_validate(parse_text(block("docs/bundle.md", "yaml"), "bundle.md"))
    written = {part for role in shown.roles for sentence in role.sentences for part in sentence.model_fields_set}
    assert set(Sentence.model_fields) - written <= {"label", "about", "off", "reason"}


@pytest.mark.parametrize("page", ["README.md", "docs/bundle.md"])
def test_the_questions_that_are_shown_are_answered_on_the_demo(page: str, tmp_path: Path) -> None:
    generate(tmp_path / "demo")
    (tmp_path / "questions.json").write_text(block(page, "json"))
    ran = CliRunner().invoke(app, ["evaluate", str(tmp_path / "demo"), str(tmp_path / "questions.json"), "--json"])
    assert ran.exit_code == 0, ran.stderr
    codes = {answer["error"]["code"] for viewer in json.loads(ran.stdout)["viewers"] for answer in viewer["answers"] if "error" in answer}
    # What a viewer does not have is not found, and that is an answer.
    assert codes <= {"not_found"}


def block(page: str, kind: str) -> str:
    """The first example of a kind on a page."""
    found = re.search(rf"^```{kind}\n(.*?)^```", (ROOT / page).read_text("utf-8"), re.MULTILINE | re.DOTALL)
    assert found is not None
    return found.group(1)
