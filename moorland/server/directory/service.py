"""Changes to people: applied, or tried and taken back to show what they would do."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import zip_longest

from django.db import transaction

from moorland.core.bundle.duties import ActName
from moorland.core.bundle.policy import Assignment
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.holders import Holder, holders, page_openers, reached
from moorland.core.insight.impact import impact
from moorland.core.insight.impacts import Impacts, ViewerImpact, impacts_of
from moorland.core.people import People, Viewer
from moorland.server.changes import in_charge, nobody_in_charge
from moorland.server.checks.running import outcome as outcome_of
from moorland.server.checks.running import results
from moorland.server.directory.models import Account
from moorland.server.duties.judging import Outcome, gains_by_name, holdings, judge, roles_gained, roles_lost
from moorland.server.duties.rights import Rights, outside, rights_of
from moorland.server.errors import Failure
from moorland.server.evaluating import evaluator, evaluator_about
from moorland.server.origins.locks import locked, refuse_locked
from moorland.server.releases.bundles import State, bundle_about, bundle_of, live_number, workspace


@lru_cache(maxsize=4)
def holders_of(base: Evaluator) -> dict[str, list[Holder]]:
    """Who holds which role; an evaluator never changes, so neither does the answer."""
    return holders(base)


@lru_cache(maxsize=4)
def reached_of(base: Evaluator) -> dict[str, list[tuple[Assignment | None, int]]]:
    """For each role the ways it is held, with how many people each reaches; kept as `holders_of` is."""
    return {role: reached(held) for role, held in holders_of(base).items()}


@lru_cache(maxsize=4)
def openers_of(base: Evaluator) -> dict[str, list[str]]:
    """Who may open which page; kept as `holders_of` is."""
    return page_openers(base)


def signature(viewer: Viewer) -> tuple[object, ...]:
    """Everything about a viewer that an answer can depend on."""
    attributes = tuple((name, resolution.values) for name, resolution in viewer.attributes.items())
    return (viewer.enabled, viewer.name, viewer.email, viewer.organizations, viewer.branch, tuple(sorted(viewer.groups)), attributes, tuple(viewer.held))


@dataclass(frozen=True)
class Tried:
    """A change that was tried and judged: who gains and loses what, as whoever makes it may be told.

    `gained` and `lost` are the logins of who gains or loses a role, where losing a limit is a gain. `state` is what it was judged on, None for who may do everything. `broken` are the promises of what is live that it would break, by label,
    as far as whoever makes it is told of promises.
    """

    viewers: Impacts
    state: tuple[int, ...] | None
    broken: list[str]
    gained: list[str]
    lost: list[str]
    #: Whether it was judged by who it is about alone.
    alone: bool = False


def tried(change: Callable[[], object], by: Account, origin: int | None = None) -> Tried:
    """Who gains and loses what, in the live release, if the change is made; it is made and taken back.

    `origin` is the one that says it, where it does not come from somebody here.

    Raises Failure where the change cannot be made, or reaches beyond the duties of whoever makes it (accounts.md 2), or changes what another
    origin says (accounts.md 17).
    """
    rights, state = rights_of(by), _state()
    states: tuple[State, ...] = ("live",) if rights.keeps_all else ("live", "draft")
    befores = {name: evaluator(name) for name in states}
    held, before_in_charge, locks = holdings(befores["live"]), in_charge(), locked(but=origin)
    with transaction.atomic():
        try:
            change()
            kept = in_charge() or not before_in_charge
            afters = {name: old.on(bundle_of(name)) for name, old in befores.items()}
            holds = holdings(afters["live"])
        except BundleError as error:
            raise Failure(422, "invalid", _said(error), error.problems) from None
        except Failure as failure:
            raise (failure if rights.whole("people") else unnamed(failure)) from None
        finally:
            transaction.set_rollback(True)
    for_whom = {name: concerned(old, afters[name]) for name, old in befores.items()}
    for name, old in befores.items():
        judge(by, rights, Outcome(old, afters[name], for_whom[name], held, holds))
    refuse_locked(locks, befores["live"].people, afters["live"].people)
    if not kept:
        raise nobody_in_charge()
    before, after = befores["live"], afters["live"]
    logins = [login for login in for_whom["live"] if _differs(before, after, login)]
    found = impact(before, after, logins)
    broken = newly_broken(before, after) if logins and (rights.whole("checks") or rights.whole("release")) else []
    gained, lost = moved(Outcome(before, after, logins, held, holds))
    if rights.whole("look-values"):
        return Tried(found, None if rights.keeps_all else state, broken, gained, lost)
    people = [after.viewer(login) if login in after.people.users else before.viewer(login) for login in logins]
    return Tried(told_to(rights, found, people), state, broken, gained, lost)


def tried_alone(change: Callable[[], object], by: Account, origin: int, about: Callable[[], set[int]]) -> Tried | None:
    """The same for what an origin says of a few people, by them alone, where nobody gains or loses a role by it; None where that is not so.

    `about` are the ids of their accounts, asked before and after.
    """
    known = about()
    state, locks = _state(), locked(but=origin, only=known)
    before = evaluator_about("live", known)
    with transaction.atomic():
        try:
            change()
            only = about()
            after = before.on(bundle_about("live", only))
        except BundleError as error:
            raise Failure(422, "invalid", _said(error), error.problems) from None
        finally:
            transaction.set_rollback(True)
    if by.pk in only:
        return None
    refuse_locked(locks, before.people, after.people)
    gained, lost = moved(Outcome(before, after, sorted(before.people.users.keys() | after.people.users.keys()), {}, {}))
    return None if gained or lost else Tried(impacts_of([]), state, [], [], [], alone=True)


def moved(outcome: Outcome) -> tuple[list[str], list[str]]:
    """Who gains and who loses a role, of those concerned. What is open to everyone is no gain of whoever is new."""
    users, open_to_all = outcome.after.people.users, {role.name for role in outcome.after.people.roles.values() if any(item.everyone for item in role.assigned)}
    gained = [
        login
        for login in outcome.concerned
        if login in users and outcome.after.viewer(login).enabled and any(role not in open_to_all for role in roles_gained(outcome, login))
    ]
    return gained, [login for login in outcome.concerned if roles_lost(outcome, login)]


def newly_broken(before: Evaluator, after: Evaluator) -> list[str]:
    """The promises of what is live that are kept and would not be, by label."""
    kept = [promise for promise, result in zip(before.bundle.promises, results("live", before.bundle.promises), strict=True) if result.kept]
    return [promise.title for promise in kept if not outcome_of(after, promise).kept]


def told_to(rights: Rights, found: Impacts, people: list[Viewer]) -> Impacts:
    """Who is concerned by a change, as somebody may be told who may not look with values at everybody.

    Of whom they may not look at with values they are told that something changes, whether it does or not: trying one value after another would
    else tell which of them the data holds. Of whom they have no duty they are told nothing.
    """
    by_login = {item.login: item for item in found}
    told = []
    for viewer in people:
        login = viewer.login or ""
        if rights.reaches("look-values", person=viewer, every_model=True):
            told += [by_login[login]] if login in by_login else []
        elif any(rights.reaches(act, person=viewer) for act in _CONCERNED):
            told.append(ViewerImpact(login=login, name=viewer.name or login))
    return impacts_of(told)


#: The acts by which somebody learns that a person is concerned by a change.
_CONCERNED: tuple[ActName, ...] = ("people", "map", "look-shapes")


def unnamed(failure: Failure) -> Failure:
    """The same for who may not know of everybody: that a login, mail or name is taken, and not by whom; and nothing that is near to what was written."""
    if not any(problem.code == "duplicate" for problem in failure.problems):
        problems = [replace(problem, nearest=None) for problem in failure.problems]
        return Failure(failure.status, failure.code, failure.message.partition(" Nearest: ")[0], problems, failure.current)
    what = {"login": "This login", "email": "This e-mail"}.get(failure.problems[0].path, "This name")
    message = f"{what} is taken here already."
    return Failure(failure.status, failure.code, message, [Problem("duplicate", message, path=failure.problems[0].path)])


def tried_by_oneself(change: Callable[[], None], account: Account) -> list[ViewerImpact]:
    """What changes for somebody by a change of their own name, mail and attributes they may edit; it is made and taken back.

    Raises Failure where they would gain by how they are called. How many rows there are beside their own is not told.
    """
    before = evaluator("live")
    with transaction.atomic():
        try:
            change()
            after = before.on(bundle_of("live"))
        except BundleError as error:
            raise Failure(422, "invalid", _said(error), error.problems) from None
        except Failure as failure:
            raise unnamed(failure) from None
        finally:
            transaction.set_rollback(True)
    if gains_by_name(Outcome(before, after, [account.login], {}, {}), account.login):
        raise outside("Sentences read your name or mail, so somebody who keeps people has to change it.")
    found = impact(before, after, [account.login])
    return [
        item.model_copy(update={"tables": [table.model_copy(update={"rows": max(table.before or 0, table.after or 0)}) for table in item.tables]})
        for item in found
    ]


def _state() -> tuple[int, ...]:
    """What changes whenever anything that a judgement rests on does."""
    space = workspace()
    return (space.people_version, space.policy_version, live_number())


def still_as_judged(found: Tried) -> None:
    """Inside the transaction of a change: nothing that it was judged on has changed since, and the workspace can be evaluated with it.

    Raises Failure; the change is then taken back.
    """
    if found.state is not None and found.state != _state():
        raise Failure(409, "stale", "Somebody changed people, roles or duties at the same moment. Nothing was changed; try again.")
    if not found.alone:
        still_evaluates()


def concerned(before: Evaluator, after: Evaluator) -> list[str]:
    """Everybody for whom a change of people or assignments can make a difference: those it names, those in groups it names, or all."""
    old, new = before.bundle, after.bundle
    were, are = before.people.users, after.people.users
    if old.organizations != new.organizations or old.attributes != new.attributes:
        return list({**were, **are})
    # Who was not read anew is the same object, and stands in the same place where nobody came or went.
    moved = {user.login for pair in zip_longest(old.users, new.users) if pair[0] is not pair[1] for user in pair if user is not None}
    found = {login for login in moved if (was := were.get(login)) is not (is_now := are.get(login)) and was != is_now}
    for people, others in ((before.people, after.people), (after.people, before.people)):
        for name, group in people.groups.items():
            other = others.groups.get(name)
            if other is None or group.model_copy(update={"users": []}) != other.model_copy(update={"users": []}):
                found |= _members(people, name)
            elif group.users != other.users:
                found |= set(group.users) ^ set(other.users)
    for evaluated, other_evaluator in ((before, after), (after, before)):
        for name, role in evaluated.roles.items():
            there = other_evaluator.roles[name].role.assigned if name in other_evaluator.roles else []
            for assignment in role.role.assigned:
                if assignment in there:
                    continue
                if assignment.user is not None:
                    found.add(assignment.user)
                elif assignment.group is not None:
                    found |= _members(evaluated.people, assignment.group)
                else:
                    return list({**were, **are})
    return sorted(login for login in found if login in were or login in are)


def _members(people: People, group: str) -> set[str]:
    """Everybody in a group and in the groups inside it."""
    found: set[str] = set()
    done: set[str] = set()
    waiting = [group]
    while waiting:
        name = waiting.pop()
        if name not in done and name in people.groups:
            done.add(name)
            found.update(people.groups[name].users)
            waiting += people.groups[name].groups
    return found


def _said(error: BundleError) -> str:
    """The first problem as a sentence, without the place in a bundle that nobody sees here."""
    message = error.problems[0].message
    more = len(error.problems) - 1
    return message[0].upper() + message[1:] + (f" And {more} more." if more else "")


def _differs(before: Evaluator, after: Evaluator, login: str) -> bool:
    if login not in before.people.users or login not in after.people.users:
        return True
    return signature(before.viewer(login)) != signature(after.viewer(login))


def still_evaluates() -> None:
    """Raises Failure where the workspace cannot be evaluated with what was changed; the change is then taken back."""
    states: tuple[State, ...] = ("draft", "live")
    for state in states:
        try:
            Evaluator(bundle_of(state))
        except BundleError as error:
            raise Failure(422, "invalid", _said(error), error.problems) from None
