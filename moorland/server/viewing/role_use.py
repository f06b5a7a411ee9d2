"""When a role was last used: the last day on which an answer to who holds it had a row that it opened (accounts.md 15)."""

import contextlib
import datetime
import threading
from collections.abc import Iterable

from moorland.core.bundle.pages import Page
from moorland.core.engine.asked import counted_tables
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.in_place import standing
from moorland.core.engine.opening import facts_of
from moorland.core.engine.questions import Question, Refused, RowsQuestion, TotalsQuestion
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.insight.exhibits import exhibit_tables
from moorland.core.people import Viewer
from moorland.server.directory.models import Account
from moorland.server.viewing.models import RoleUse

#: Noted by this process: somebody, a model and its tables, on a day. Forgotten when there are many.
MOST_NOTED = 50_000

_noted: set[tuple[str, str, frozenset[str], datetime.date]] = set()
_lock = threading.Lock()


def note_page(base: Evaluator, viewer: Viewer, page: Page) -> None:
    """Notes that somebody was answered a page."""
    tables = {table for exhibit in page.exhibits for table in exhibit_tables(base, page.model or "", exhibit)}
    opened = base.opening(viewer).granted_by("open", facts_of(page))
    note(base, viewer, page.model or "", tables, opened)


def note_questions(base: Evaluator, viewer: Viewer, questions: Iterable[Question]) -> None:
    """Notes that somebody was answered questions about rows or totals; others show no row."""
    for question in questions:
        asked = question.asked
        if isinstance(asked, RowsQuestion):
            note(base, viewer, asked.model, {asked.table})
        elif isinstance(asked, TotalsQuestion) and asked.model in base.models:
            measures = base.models[asked.model].measures
            note(base, viewer, asked.model, {table for name in asked.measures if name in measures for table in counted_tables(measures[name])})


def note(base: Evaluator, viewer: Viewer, model: str, tables: set[str], opened: Iterable[str] = ()) -> None:
    """Notes the roles that open a row of some tables of a model, and those that opened a page, once a day for each."""
    used = set(opened)
    key = (viewer.login or "", model, frozenset({*tables, *used}), base.as_of)
    # Nearly always it is noted already: looked at without waiting for whoever notes something else.
    if key in _noted:
        return
    with _lock:
        if len(_noted) >= MOST_NOTED:
            _noted.clear()
        _noted.add(key)
    try:
        seen = base.viewer_model(viewer, model)
    except (Refused, SourceFailed):
        seen = None
    if seen is not None:
        there = [table for table in tables if table in seen.objects.tables]
        # A source that does not answer opens nothing, whatever roles say.
        with contextlib.suppress(SourceFailed, Refused):
            used |= standing(seen, lambda on: {role for table in there for role in on.opened_by(table)})
    account = Account.objects.filter(login=viewer.login).first()
    if account is None:
        return
    known = dict(RoleUse.objects.filter(account=account, role__in=used).values_list("role", "last_day"))
    for role in used:
        if known.get(role) != base.as_of:
            RoleUse.objects.update_or_create(account=account, role=role, defaults={"last_day": base.as_of})


def last_used(account: Account) -> dict[str, datetime.date]:
    """The last day each role was used by somebody, of those that were."""
    return dict(RoleUse.objects.filter(account=account).values_list("role", "last_day"))


def last_used_of(logins: set[str]) -> dict[str, dict[str, datetime.date]]:
    """The same for many people, by login."""
    found: dict[str, dict[str, datetime.date]] = {}
    for login, role, day in RoleUse.objects.values_list("account__login", "role", "last_day"):
        if login in logins:
            found.setdefault(login, {})[role] = day
    return found
