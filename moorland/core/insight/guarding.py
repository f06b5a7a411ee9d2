"""How much promises guard: every sentence opened a little in turn, and which promises notice (docs/testing.md)."""

from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from moorland.core.bundle.policy import Role
from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.promises import Promise
from moorland.core.bundle.shape import Shape
from moorland.core.engine.cells import plain_values
from moorland.core.engine.distinct_views import alike_twice
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.grouping import group_labels
from moorland.core.engine.through_strata import on_strata
from moorland.core.insight.guarding_proposals import proposed
from moorland.core.insight.mutants import Mutant, mutants_of
from moorland.core.insight.promises import models_of, run_promise
from moorland.core.insight.reach import fingerprints, sensitive_columns
from moorland.core.insight.wording import said
from moorland.core.language.checking import Scope
from moorland.core.people import Viewer
from moorland.core.price import step

#: So many views are looked at together, those of the mutants of a role.
TOGETHER = 20_000
#: Of a column so many values are offered to a mutant that adds one.
VALUES = 200


class MutantResult(Shape):
    """A mutant that changes somebody's view: what was done, for how many people, and the promises it breaks, by name."""

    change: str
    people: int
    noticed_by: list[str]


class GuardedSentence(Shape):
    """A sentence, or an assignment (`assignment` counts from 0), with its mutants; guarded where each of them breaks a promise.

    `people` is the most anybody's mutant opens something to. `proposed` would notice the first that nothing notices; none where none was found.
    """

    role: str
    label: str
    sentence: int | None = None
    assignment: int | None = None
    says: str
    people: int
    sensitive: bool
    guarded: bool
    mutants: list[MutantResult]
    proposed: Promise | None = None


class Guard(Shape):
    """How much is guarded: of all sentences and assignments with a mutant that changes somebody's view. Unguarded ones first, worst first."""

    guarded: int
    of: int
    sentences: list[GuardedSentence]

    @property
    def share(self) -> float:
        """Guarded sentences in percent; 100 where there is nothing to guard."""
        return 100 * self.guarded / self.of if self.of else 100.0


#: Told how many roles have been looked at, of how many.
Progress = Callable[[int, int], None]


@on_strata
def guard(evaluator: Evaluator, progress: Progress | None = None, roles: Iterable[str] | None = None) -> Guard:
    """How much the promises of a bundle guard; of some roles, or of all. Promises that are broken as it is guard nothing. Raises BundleError."""
    guarding = _Guarding(evaluator)
    found: list[GuardedSentence] = []
    wanted = [role for role in evaluator.bundle.roles if roles is None or role.name in set(roles)]
    for done, role in enumerate(wanted):
        found += guarding.sentences(role)
        if progress is not None:
            progress(done + 1, len(wanted))
    found.sort(key=lambda item: (item.guarded, not item.sensitive, -item.people, item.role))
    return Guard(guarded=sum(item.guarded for item in found), of=len(found), sentences=found)


@dataclass(frozen=True)
class _Opened:
    """A mutant as it acts: its evaluator, who sees otherwise under it, and the first of them as they are without it and with it."""

    mutant: Mutant
    evaluator: Evaluator
    logins: frozenset[str]
    first: tuple[Viewer, Viewer]


@dataclass(frozen=True)
class _Tried:
    """A mutant, its evaluator, and whom it may concern: as they are without it and with it, and the logins of all who are alike."""

    mutant: Mutant
    evaluator: Evaluator
    concerned: list[tuple[Viewer, Viewer, tuple[str, ...]]]


class _Guarding:
    def __init__(self, evaluator: Evaluator) -> None:
        self.evaluator = evaluator
        self.kept = [promise for promise in evaluator.bundle.promises if run_promise(evaluator, promise).kept]

    @cached_property
    def sensitive(self) -> set[str]:
        return set(sensitive_columns(self.evaluator, self.evaluator.models))

    def sentences(self, role: Role) -> Iterator[GuardedSentence]:
        """The sentences and assignments of a role that have a mutant, with what notices each."""
        by_place: dict[tuple[int | None, int | None], list[_Opened]] = {}
        for opened in self._opened(role):
            by_place.setdefault((opened.mutant.sentence, opened.mutant.assignment), []).append(opened)
        for (sentence, assignment), several in by_place.items():
            results = [MutantResult(change=one.mutant.change, people=len(one.logins), noticed_by=self._noticing(one)) for one in several]
            blind = next((one for one, result in zip(several, results, strict=True) if not result.noticed_by), None)
            yield GuardedSentence(
                role=role.name,
                label=role.title,
                sentence=sentence,
                assignment=assignment,
                says=said(role.sentences[sentence]) if sentence is not None else _assigned(role, assignment or 0),
                people=max(result.people for result in results),
                sensitive=self._is_sensitive(role, sentence),
                guarded=blind is None,
                mutants=results,
                proposed=None if blind is None else proposed(self.evaluator, blind.evaluator, blind.first, role, blind.mutant),
            )

    def _opened(self, role: Role) -> Iterator[_Opened]:
        """The mutants that change somebody's view, each once; those of a role together, so that what is seen without them is looked at once."""
        several: list[_Tried] = []
        for mutant, other in self._mutants(role):
            several.append(_Tried(mutant, other, self._concerned(role, mutant, other)))
            if sum(len(one.concerned) for one in several) > TOGETHER:
                yield from self._seen_otherwise(role, several)
                several = []
        yield from self._seen_otherwise(role, several)

    def _seen_otherwise(self, role: Role, several: list[_Tried]) -> Iterator[_Opened]:
        """Those of some mutants under which somebody sees otherwise."""
        without = {was.login: was for one in several for was, _, _ in one.concerned}
        seen_as = [*((self.evaluator, was) for was in without.values()), *((one.evaluator, now) for one in several for _, now, _ in one.concerned)]
        hashes = fingerprints(seen_as, [role.model] if role.model is not None else []) if seen_as else []
        before, after = dict(zip(without, hashes, strict=False)), iter(hashes[len(without) :])
        for one in several:
            changed = [same for same, now in zip(one.concerned, after, strict=False) if before[same[0].login] != now]
            if changed:
                yield _Opened(one.mutant, one.evaluator, frozenset(login for _, _, logins in changed for login in logins), changed[0][:2])

    def _mutants(self, role: Role) -> Iterator[tuple[Mutant, Evaluator]]:
        """The mutants of a role, each once, as they act."""
        model = self.evaluator.models.get(role.model or "")
        scope = Scope(schema=model.schema if model else None, attributes=self.evaluator.people.definitions, inner=True)
        hierarchies = {item.name: item for item in model.schema.model.hierarchies} if model else {}
        known: set[tuple[int | None, int | None, str]] = set()
        for mutant in mutants_of(role, scope, hierarchies, lambda table, column: self._values(role.model or "", table, column)):
            step()
            place = (mutant.sentence, mutant.assignment, mutant.role.model_dump_json())
            if place in known:
                continue
            known.add(place)
            with suppress(BundleError):
                yield mutant, self.evaluator.with_role(mutant.role)

    def _concerned(self, role: Role, mutant: Mutant, other: Evaluator) -> list[tuple[Viewer, Viewer, tuple[str, ...]]]:
        """Who may see otherwise under a mutant: of those who are alike without it and with it the first as either, and the logins of all; in login order."""
        everyone_of = self.evaluator.bundle.roles is other.bundle.roles or mutant.assignment is None
        found: list[tuple[Viewer, Viewer, tuple[str, ...]]] = []
        for same in alike_twice(self.evaluator.views, other.views, self.evaluator.people.crowd.logins):
            was, now = same.before, same.after
            if was is None or now is None or not was.enabled:
                continue
            held, holds = role.name in was.held, role.name in now.held
            if held != holds or (everyone_of and (held or holds)):
                found.append((was, now, same.logins))
        return found

    def _values(self, model: str, table: str, column: str) -> list[Any]:
        labels, _ = group_labels(self.evaluator.data(model), (table, column))
        return plain_values(labels[:VALUES])

    def _noticing(self, opened: _Opened) -> list[str]:
        """The promises that were kept and are broken under a mutant."""
        return [promise.name for promise in self.kept if self._may_break(promise, opened) and not run_promise(opened.evaluator, promise).kept]

    def _may_break(self, promise: Promise, opened: _Opened) -> bool:
        """Whether a mutant can matter to a promise: its model, and the people who see otherwise."""
        models = models_of(promise.must)
        role = opened.mutant.role
        if models and role.model is not None and role.model not in models:
            return False
        return not isinstance(promise.viewer, str) or promise.must.same_as is not None or promise.viewer in opened.logins

    def _is_sensitive(self, role: Role, place: int | None) -> bool:
        """Whether a sentence covers sensitive columns, or rows of a table with one."""
        if place is None or role.model is None:
            return False
        sentence = role.sentences[place]
        columns = {name for name in self.sensitive if name.startswith(f"{role.model}.")}
        if sentence.mask is not None:
            return f"{role.model}.{sentence.mask.column}" in columns
        if sentence.objects is not None:
            return any(f"{role.model}.{name.partition(':')[2]}" in columns for name in sentence.objects.hide)
        table = sentence.rows.table if sentence.rows else sentence.entitlement.table if sentence.entitlement else None
        return table is not None and any(name.startswith(f"{role.model}.{table}.") for name in columns)


def _assigned(role: Role, place: int) -> str:
    item = role.assigned[place]
    whom = f"the user {item.user}" if item.user else f"the group {item.group}" if item.group else "everyone" if item.everyone else f"those of whom {item.when}"
    return f"is assigned to {whom}"
