"""Which pages a viewer may open, edit, publish and export, and where pages of one's own are made (semantics.md 5.9, 10.2, 10.4)."""

import datetime
from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

from moorland.core.bundle.pages import Page, Shelf
from moorland.core.bundle.policy import PageAction
from moorland.core.engine.questions import PagesAnswer
from moorland.core.engine.roles import CompiledRole
from moorland.core.engine.rules import PagesRule
from moorland.core.people import Viewer, truth_for

#: What is done on a page that is there.
OnPage = Literal["open", "edit", "publish", "export"]
ACTIONS: tuple[OnPage, ...] = ("open", "edit", "publish", "export")


@dataclass(frozen=True)
class PageFacts:
    """What pages sentences read of a page. One that is still to be made has no name, no tags and no owner (10.4)."""

    name: str | None
    shelf: str
    tags: tuple[str, ...] = ()
    owner: str | None = None

    @cached_property
    def named(self) -> frozenset[str]:
        """How sentences name it: as a page, and by its shelf."""
        return frozenset({f"page:{self.name}", f"shelf:{self.shelf}"})

    def values(self) -> dict[str, tuple[str, ...] | None]:
        """What `page.` reads: the many-valued tags are always known, a missing name or owner is null."""
        single = {"name": self.name, "shelf": self.shelf, "owner": self.owner}
        return {"tags": self.tags, **{name: None if value is None else (value,) for name, value in single.items()}}


def facts_of(page: Page) -> PageFacts:
    """What pages sentences read of a page."""
    return PageFacts(page.name, page.shelf, tuple(page.tags), page.owner)


@dataclass(frozen=True)
class Opening:
    """The pages sentences of the roles somebody holds, on one day."""

    roles: tuple[CompiledRole, ...]
    viewer: Viewer
    as_of: datetime.date
    _of_kind: dict[str, list[PagesRule]] = field(default_factory=dict, compare=False, repr=False)
    _known: dict[tuple[int, PageFacts], bool | None] = field(default_factory=dict, compare=False, repr=False)

    def allowed(self, action: PageAction, page: PageFacts) -> bool:
        """Whether a grant's sentence is true and no limit's is true or unknown; any other action needs `open` too (10.2, 12.6)."""
        return self.granted(action, page) and not self.denied(action, page) and (action == "open" or self.allowed("open", page))

    def allowed_own(self, action: PageAction, page: PageFacts) -> bool:
        """The same of a page of one's own, or one still to be made: it opens by itself, where no limit denies it (10.4)."""
        if self.denied("open", page):
            return False
        return action == "open" or (self.granted(action, page) and not self.denied(action, page))

    def granted(self, action: PageAction, page: PageFacts) -> bool:
        """Whether a sentence of a grant role is true for the action."""
        return any(self._truth(rule, action, page) for rule in self._rules("grant"))

    def granted_by(self, action: PageAction, page: PageFacts) -> list[str]:
        """The grant roles of which a sentence is true for the action."""
        grants = (role for role in self.roles if role.role.kind == "grant")
        return [role.role.name for role in grants if any(self._truth(rule, action, page) for rule in role.pages)]

    def denied(self, action: PageAction, page: PageFacts) -> bool:
        """Whether a sentence of a limit role is true or unknown for the action."""
        return any(self._truth(rule, action, page) is not False for rule in self._rules("limit"))

    def _rules(self, kind: Literal["grant", "limit"]) -> list[PagesRule]:
        if kind not in self._of_kind:
            self._of_kind[kind] = [rule for role in self.roles if role.role.kind == kind for rule in role.pages]
        return self._of_kind[kind]

    def _truth(self, rule: PagesRule, action: PageAction, page: PageFacts) -> bool | None:
        """The truth of a sentence; its condition is the same for every action, and is evaluated once for a page."""
        if not about(rule, action, page):
            return False
        key = (id(rule), page)
        if key not in self._known:
            self._known[key] = rule_truth(rule, action, page, self.viewer, self.as_of)
        return self._known[key]


def about(rule: PagesRule, action: PageAction, page: PageFacts) -> bool:
    """Whether a pages sentence says anything of an action on a page."""
    return action in rule.actions and (rule.on is None or not rule.on.isdisjoint(page.named))


def rule_truth(rule: PagesRule, action: PageAction, page: PageFacts, viewer: Viewer, as_of: datetime.date) -> bool | None:
    """Whether a pages sentence is true, false or unknown (None) for an action on a page."""
    if not about(rule, action, page):
        return False
    return True if rule.condition is None else truth_for(rule.condition, viewer, as_of, page.values())


def answer_pages(pages: Iterable[Page], shelves: Iterable[Shelf], opening: Opening) -> PagesAnswer:
    """The pages of each action, and the shelves on which pages may be made, sorted by name."""
    facts = [facts_of(page) for page in pages]
    names = {action: sorted(str(page.name) for page in facts if opening.allowed(action, page)) for action in ACTIONS}
    create = sorted(shelf.name for shelf in shelves if opening.allowed_own("create", PageFacts(None, shelf.name)))
    return PagesAnswer(open=names["open"], edit=names["edit"], publish=names["publish"], export=names["export"], create=create or None)
