"""Findings about who reaches what: roles nobody would miss, tables and pages nobody reaches, people who see more than their peers, what ends."""

import datetime
from collections.abc import Iterator
from dataclasses import replace

from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.findings.finding import Finding, shown
from moorland.core.insight.reach import Reach, fingerprints, reach
from moorland.core.insight.standing_out import standing_out
from moorland.core.people import Viewer
from moorland.core.price import step


def reaching_findings(evaluator: Evaluator, viewers: list[Viewer]) -> Iterator[Finding]:
    """What everybody's reach tells: this looks at everyone, model by model."""
    found = reach(evaluator)
    yield from _not_missed(evaluator, viewers)
    yield from _reached_by_nobody(evaluator, found)
    yield from _more_than_peers(evaluator, found)
    yield from _groups_unused(evaluator)
    yield from _ends(evaluator)
    yield from _disabled_with_roles(evaluator, viewers)


def _not_missed(evaluator: Evaluator, viewers: list[Viewer]) -> Iterator[Finding]:
    """Roles without which nobody's view would change."""
    for index, role in enumerate(evaluator.bundle.roles):
        step()
        holders = [viewer for viewer in viewers if viewer.enabled and role.name in viewer.held]
        if not holders or not all(_holds_another(evaluator, viewer, role.name) for viewer in holders):
            continue
        firsts = list({evaluator.view_of(viewer): viewer for viewer in holders}.values())
        without = [replace(viewer, held={name: how for name, how in viewer.held.items() if name != role.name}) for viewer in firsts]
        names = [role.model] if role.model is not None else []
        hashes = fingerprints([(evaluator, viewer) for viewer in (*firsts, *without)], names)
        if hashes[: len(firsts)] == hashes[len(firsts) :]:
            yield Finding(
                kind="role_not_missed",
                weight="low",
                path=f"roles[{index}]",
                message=f"Nobody's view would change without {role.title}: whoever holds it sees the same by other roles.",
                remedy="Take it away from them, or delete it.",
                evidence=shown([viewer.login or "" for viewer in holders]),
            )


def _holds_another(evaluator: Evaluator, viewer: Viewer, name: str) -> bool:
    """Whether somebody holds another role that could open the same; a limit role nobody would miss can stand alone."""
    role = evaluator.roles[name].role
    return role.kind == "limit" or any(other != name and evaluator.roles[other].role.kind == "grant" for other in viewer.held)


def _reached_by_nobody(evaluator: Evaluator, found: Reach) -> Iterator[Finding]:
    reached = {table.name for place, table in enumerate(found.tables) if any(item.rows[place] for item in found.classes)}
    for number, model in enumerate(evaluator.bundle.models):
        nobody = [table.name for table in model.tables if not table.quarantine and f"{model.name}.{table.name}" not in reached]
        entitling = evaluator.models[model.name].entitling
        for name in (name for name in nobody if name not in entitling):
            yield Finding(
                kind="table_reached_by_nobody",
                weight="low",
                path=f"models[{number}].tables[{[table.name for table in model.tables].index(name)}]",
                message=f"Nobody sees a row of {name}.",
                remedy="Open it in a role, or leave it out of the model.",
            )
    opened = {page for item in found.classes for page in item.pages}
    for number, page in enumerate(evaluator.bundle.pages):
        if page.name not in opened:
            yield Finding(
                kind="page_opened_by_nobody",
                weight="low",
                path=f"pages[{number}]",
                message=f"Nobody can open the page {page.title}.",
                remedy="Let a role open it, or delete it.",
            )


def _more_than_peers(evaluator: Evaluator, found: Reach) -> Iterator[Finding]:
    places = {user.login: number for number, user in enumerate(evaluator.bundle.users)}
    for item in standing_out(evaluator, found):
        yield Finding(
            kind="stands_out",
            weight="middle" if " more " in f" {item.message} " else "low",
            path=f"users[{places[item.login]}]",
            message=f"{item.name} {item.message}.",
            remedy="Look whether that is meant; take the role away, or give the assignment a last day.",
        )


def _groups_unused(evaluator: Evaluator) -> Iterator[Finding]:
    """Groups no role is assigned to, no other group contains, and whose values and names nothing reads."""
    used = {assignment.group for role in evaluator.bundle.roles for assignment in role.assigned if assignment.group}
    used |= {name for group in evaluator.bundle.groups for name in group.groups}
    texts = " ".join(_conditions(evaluator))
    for index, group in enumerate(evaluator.bundle.groups):
        above = any(group.name in other.groups for other in evaluator.bundle.groups)
        if group.name not in used and not above and not group.attributes and f"'{group.name}'" not in texts and not _looked_up(evaluator):
            yield Finding(
                kind="group_unused",
                weight="low",
                path=f"groups[{index}]",
                message=f"Nothing uses the group {group.title}: no role is assigned to it, and it gives nobody a value.",
                remedy="Assign a role to it, or delete it.",
            )


def _looked_up(evaluator: Evaluator) -> bool:
    """Whether some role looks people up by the groups they are in."""
    sentences = (sentence for role in evaluator.roles.values() for _, sentence in role.role.acting)
    return any(sentence.entitlement is not None and sentence.entitlement.person_is == "group" for sentence in sentences)


def _conditions(evaluator: Evaluator) -> Iterator[str]:
    for role in evaluator.bundle.roles:
        yield role.model_dump_json()


def _ends(evaluator: Evaluator) -> Iterator[Finding]:
    """Assignments of grant roles that end within the month: whoever holds them loses what they open."""
    month = datetime.timedelta(days=31)
    for index, role in enumerate(evaluator.bundle.roles):
        for place, item in enumerate(role.assigned if role.kind == "grant" else ()):
            if item.until is None or not evaluator.as_of <= item.until <= evaluator.as_of + month:
                continue
            days = (item.until - evaluator.as_of).days
            whom = item.user or item.group or ("everyone" if item.everyone else "whom its condition fits")
            yield Finding(
                kind="assignment_ends_soon",
                weight="low",
                path=f"roles[{index}].assigned[{place}]",
                message=f"{role.title} ends for {whom} in {days} days, on {item.until}.",
                remedy="Extend the assignment, or confirm that it may end.",
            )


def _disabled_with_roles(evaluator: Evaluator, viewers: list[Viewer]) -> Iterator[Finding]:
    """Accounts that are off and still named in assignments: switched on, they see at once what they saw."""
    named = {item.user for role in evaluator.bundle.roles for item in role.assigned if item.user}
    for index, user in enumerate(evaluator.bundle.users):
        viewer = next((item for item in viewers if item.login == user.login), None)
        if viewer is not None and not viewer.enabled and user.login in named:
            held = [role.title for role in evaluator.bundle.roles if any(item.user == user.login for item in role.assigned)]
            yield Finding(
                kind="disabled_with_roles",
                weight="low",
                path=f"users[{index}]",
                message=f"{user.name} is disabled and still has {', '.join(held)} by name.",
                remedy="Take the roles away, or delete the account.",
            )
