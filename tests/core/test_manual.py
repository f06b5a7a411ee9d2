"""What the manual names is there: commands, targets of make, pages and pictures."""

import re
from pathlib import Path

import pytest

from moorland.cli import COMMANDS

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
