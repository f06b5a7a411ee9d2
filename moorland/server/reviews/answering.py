"""Answers to lines of a review, and what they do (accounts.md 23).

What is taken away goes by the duties of whoever opened the review: it is tried and judged like any other change. What cannot be taken away from here,
because it comes by everyone, by a condition or from elsewhere, becomes a task, and the line stays open.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

from django.utils import timezone

from moorland.core.bundle.policy import Assignment as AssignmentShape
from moorland.core.engine.evaluator import Evaluator
from moorland.server.changes import recorded
from moorland.server.directory.models import Account, Group
from moorland.server.directory.service import Tried, still_as_judged, tried
from moorland.server.duties.models import GivenDuty
from moorland.server.duties.rights import rights_of
from moorland.server.errors import Failure
from moorland.server.evaluating import evaluator
from moorland.server.origins.locks import locked
from moorland.server.policies.models import Assignment
from moorland.server.releases.bundles import policy
from moorland.server.reviews.models import Review, ReviewLine
from moorland.server.reviews.shapes import AnswerRequest


@dataclass
class Taking:
    """What is done to take something away, and what is left to others."""

    changes: list[Callable[[], object]] = field(default_factory=list)
    tasks: list[str] = field(default_factory=list)


def answer(review: Review, lines: list[ReviewLine], asked: AnswerRequest, by: Account, only_try: bool) -> tuple[Tried | None, list[str]]:
    """Answers some lines, all or nothing; what is taken away, and what is left to others. Raises Failure where it cannot be done."""
    if review.state != "open":
        raise Failure(409, "closed", "This review is closed. Nothing of it changes any more.")
    over = [line for line in lines if line.answer in ("take", "until") and not line.task]
    if over:
        raise Failure(409, "answered", f"{over[0].login} and {over[0].document['label']} were decided on already. Give it back under People, if it was wrong.")
    takings = {line.pk: taking_of(line, asked) for line in lines} if asked.answer in ("take", "until") else {}
    changes = [change for taking in takings.values() for change in taking.changes]
    tasks = list(dict.fromkeys(task for taking in takings.values() for task in taking.tasks))

    def make() -> None:
        for change in changes:
            change()

    found = tried(make, opener_of(review)) if changes else None
    if not only_try:
        with recorded(by, "answer review", str(review.document["title"])[:200], *(("people",) if changes else ())) as change:
            make()
            if found is not None:
                still_as_judged(found)
            for line in lines:
                left = takings[line.pk].tasks if line.pk in takings else []
                line.answer, line.until, line.note, line.task = asked.answer, asked.until, asked.note, " ".join(left)[:1000]
                line.answered_by, line.answered_at = by.login, timezone.now()
                line.save()
            change.details = {
                "answer": asked.answer,
                "until": str(asked.until) if asked.until else None,
                "lines": [f"{line.login} · {line.document['label']}" for line in lines][:200],
                "by the duties of": review.opener.login if changes and review.opener is not None else None,
                "left to others": tasks,
            }
    return found, tasks


def opener_of(review: Review) -> Account:
    """Whoever opened a review, by whose duties things are taken away. Raises Failure where they have no account any more."""
    if review.opener is None or not review.opener.good_today():
        raise Failure(
            403, "not_allowed", "Whoever opened this review has no account that is enabled, so nothing can be taken away by it. Close it, and open another."
        )
    return review.opener


def taking_of(line: ReviewLine, asked: AnswerRequest) -> Taking:
    """How what a line is about is taken away, or ended on a day, as it is held now."""
    return _duty(line, asked) if line.kind == "duty" else _role(line, asked)


def _role(line: ReviewLine, asked: AnswerRequest) -> Taking:
    base, taking = evaluator("live"), Taking()
    viewer = base.viewer(line.login) if line.login in base.people.users else None
    if viewer is None or line.subject not in viewer.held:
        return taking
    role = base.roles[line.subject].role
    if role.kind == "limit":
        taking.tasks.append(f"{role.title} restricts. Whoever maps it decides whether {line.login} may be without it.")
        return taking
    locks = locked()
    for assignment, path in viewer.held[line.subject].paths:
        if assignment is None:
            continue
        if assignment.user is not None:
            taking.changes.append(_ended(line, assignment, asked))
        elif path and asked.answer == "until":
            taking.tasks.append(f"{line.login} holds {role.title} through {path[0]}, and a membership has no last day: take it away on {asked.until}.")
        elif path and line.login in locks.people and locks.people[line.login][0] in locks.groups.get(path[0], []):
            taking.tasks.append(f"Who is in {path[0]} is said by {locks.people[line.login][0].title}: take {line.login} out there.")
        elif path:
            taking.changes.append(_left(path[0], line.login))
        else:
            how = "everyone" if assignment.everyone else "a condition"
            taking.tasks.append(f"{line.login} holds {role.title} by {how}: whoever maps it decides.")
    return taking


def _ended(line: ReviewLine, assignment: AssignmentShape, asked: AnswerRequest) -> Callable[[], object]:
    role = policy("live")[1][line.subject]
    own = Assignment.objects.filter(role=role, account__login=line.login, first_day=assignment.from_, last_day=assignment.until)
    if asked.answer == "take":
        return lambda: own.delete()
    if assignment.until is not None and asked.until is not None and assignment.until <= asked.until:
        return lambda: None
    return lambda: own.update(last_day=asked.until)


def _left(group: str, login: str) -> Callable[[], object]:
    def leave() -> None:
        Group.objects.get(name=group).users.remove(Account.objects.get(login=login))

    return leave


def _duty(line: ReviewLine, asked: AnswerRequest) -> Taking:
    taking = Taking()
    given = GivenDuty.objects.filter(pk=int(line.subject)).select_related("account", "group").first()
    if given is None:
        return taking
    if given.account is None:
        taking.tasks.append(f"{line.login} has this duty through {given.group.name if given.group else 'a group'}: whoever gives duties decides.")
    elif asked.answer == "take":
        taking.changes.append(lambda: GivenDuty.objects.filter(pk=given.pk).delete())
    else:
        taking.changes.append(lambda: GivenDuty.objects.filter(pk=given.pk).update(last_day=asked.until))
    return taking


def may_answer(account: Account, line: ReviewLine) -> bool:
    """Whether a line is an account's to answer: it is asked, or keeps checks over what the line is about. Nobody answers for themselves."""
    if line.login == account.login:
        return False
    return line.asked == account.login or keeps(account, line)


def keeps(account: Account, line: ReviewLine) -> bool:
    """Whether an account keeps checks over what a line is about."""
    rights = rights_of(account)
    return rights.whole("checks") if not line.model else rights.reaches("checks", model=line.model)


def still_held(base: Evaluator, line: ReviewLine) -> bool:
    """Whether what a line is about is held still."""
    if line.kind == "duty":
        return GivenDuty.objects.filter(pk=int(line.subject)).exists()
    return line.login in base.people.users and line.subject in base.viewer(line.login).held
