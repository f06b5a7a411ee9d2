"""Which pages a viewer may open, edit, publish and export (semantics.md 5.9, 10.2)."""

import datetime
from collections.abc import Iterable

from moorland.core.bundle.pages import Page
from moorland.core.engine.questions import PagesAnswer
from moorland.core.engine.roles import CompiledRole
from moorland.core.engine.rules import PagesRule
from moorland.core.people import Viewer, truth_for

ACTIONS = ("open", "edit", "publish", "export")


def page_values(page: Page) -> dict[str, tuple[str, ...] | None]:
    """What `page.` reads: the many-valued tags are always known, a missing owner is null."""
    return {"name": (page.name,), "shelf": (page.shelf,), "tags": tuple(page.tags), "owner": (page.owner,) if page.owner is not None else None}


def rule_truth(rule: PagesRule, action: str, page: Page, viewer: Viewer, as_of: datetime.date) -> bool | None:
    """Whether a pages sentence is true, false or unknown (None) for an action on a page."""
    if action not in rule.actions:
        return False
    if rule.on is not None and not rule.on & {f"page:{page.name}", f"shelf:{page.shelf}"}:
        return False
    return True if rule.condition is None else truth_for(rule.condition, viewer, as_of, page_values(page))


def allowed(action: str, page: Page, roles: Iterable[CompiledRole], viewer: Viewer, as_of: datetime.date) -> bool:
    """Whether the action is allowed: a grant's sentence is true and no limit's is true or unknown; any other action needs `open` too (12.6)."""
    held = list(roles)
    granted = any(rule_truth(rule, action, page, viewer, as_of) for role in held if role.role.kind == "grant" for rule in role.pages)
    if not granted:
        return False
    denied = any(rule_truth(rule, action, page, viewer, as_of) is not False for role in held if role.role.kind == "limit" for rule in role.pages)
    return not denied and (action == "open" or allowed("open", page, held, viewer, as_of))


def answer_pages(pages: Iterable[Page], roles: Iterable[CompiledRole], viewer: Viewer, as_of: datetime.date) -> PagesAnswer:
    """The pages of each action, sorted by name."""
    held, all_pages = list(roles), list(pages)
    names = {action: sorted(page.name for page in all_pages if allowed(action, page, held, viewer, as_of)) for action in ACTIONS}
    return PagesAnswer(open=names["open"], edit=names["edit"], publish=names["publish"], export=names["export"])
