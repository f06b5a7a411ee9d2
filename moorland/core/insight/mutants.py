"""Mutants: each sentence and assignment of a role opened a little, one way at a time (docs/testing.md, How much they guard).

Every mutant lets somebody see more, or nobody: a promise that still holds under it does not guard that sentence. What says only how rows
are listed, and which may be changed (beneath, change), decides nothing of what can be learned and has none.
"""

import datetime
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, assert_never

from moorland.core.bundle.model import Hierarchy
from moorland.core.bundle.policy import (
    Assignment,
    AtLeast,
    EntitlementSentence,
    FullInTotals,
    Keep,
    KeepMask,
    MaskSentence,
    MemberEntry,
    MembersSentence,
    ObjectsSentence,
    PagesSentence,
    PeriodMask,
    PeriodTo,
    Role,
    RoundMask,
    RoundTo,
    Sentence,
    ViewerItem,
)
from moorland.core.bundle.shape import VALUE_TYPES, ValueType
from moorland.core.engine.mask_kinds import in_totals_of, mask_kind
from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.clauses import place_of
from moorland.core.language.errors import ConditionError
from moorland.core.language.writing import column_text, literal_text

#: Gives distinct values of a column, as JSON values, in their order; null is none of them.
ValuesOf = Callable[[str, str], list[Any]]


@dataclass(frozen=True)
class Mutant:
    """A role changed in one place; `sentence` or `assignment` is the place, counting from 0, and `change` says in words what was done."""

    role: Role
    sentence: int | None
    assignment: int | None
    change: str


def mutants_of(role: Role, scope: Scope, hierarchies: dict[str, Hierarchy], values: ValuesOf) -> Iterator[Mutant]:
    """Every mutant of a role, sentence by sentence and then assignment by assignment; `scope` is that of its sentences, without a table."""
    for place, sentence in role.acting:
        made = _Mutating(scope, hierarchies, values)
        for change, other in made.of(sentence, role.kind == "limit"):
            kept = [*role.sentences[:place], *([other] if other is not None else []), *role.sentences[place + 1 :]]
            if other is None:
                kept = [item.model_copy(update={"off": True}) if at == place else item for at, item in enumerate(role.sentences)]
            yield Mutant(role.model_copy(update={"sentences": kept}), place, None, change)
    for place, assignment in enumerate(role.assigned):
        if role.kind == "limit":
            without = [item for at, item in enumerate(role.assigned) if at != place]
            yield Mutant(role.model_copy(update={"assigned": without}), None, place, "the limit left out")
        elif assignment.everyone is None:
            wide = Assignment(everyone=True, from_=assignment.from_, until=assignment.until)
            changed = [wide if at == place else item for at, item in enumerate(role.assigned)]
            yield Mutant(role.model_copy(update={"assigned": changed}), None, place, "assigned to everyone")


_Changes = Iterator[tuple[str, Sentence | None]]


class _Mutating:
    """The changes of one sentence: what was done, and the sentence then; None where it is left out."""

    def __init__(self, scope: Scope, hierarchies: dict[str, Hierarchy], values: ValuesOf) -> None:
        self.scope, self.hierarchies, self.values = scope, hierarchies, values

    def of(self, sentence: Sentence, limits: bool) -> _Changes:
        match sentence.kind:
            case "rows":
                assert sentence.rows is not None
                yield "left out", None
                for change, where in self.wider(sentence.rows.where, sentence.rows.table):
                    yield change, _with(sentence, where=where)
            case "entitlement":
                assert sentence.entitlement is not None
                yield from self.entitlement(sentence, sentence.entitlement)
            case "members":
                assert sentence.members is not None
                yield from self.members(sentence, sentence.members)
            case "objects":
                assert sentence.objects is not None
                yield from self.objects(sentence, sentence.objects)
            case "mask":
                assert sentence.mask is not None
                yield from self.mask(sentence, sentence.mask)
            case "pages":
                assert sentence.pages is not None
                yield from self.pages(sentence, sentence.pages, limits)
            case "beneath" | "change":
                return
            case _:
                assert_never(sentence.kind)

    def entitlement(self, sentence: Sentence, written: EntitlementSentence) -> _Changes:
        yield "left out", None
        if written.where is not None:
            yield "its condition left out", _with(sentence, where=None)
            for change, where in self.wider(written.where, written.through):
                yield change, _with(sentence, where=where)
        if len(written.match) > 1:
            for column in written.match:
                yield f"{column} not asked for", _with(sentence, match={name: to for name, to in written.match.items() if name != column})
        if written.everything is None:
            yield "blank opens everything", _with(sentence, everything="blank")

    def members(self, sentence: Sentence, written: MembersSentence) -> _Changes:
        yield "left out", None
        if written.unlisted == "hidden":
            yield "members not listed are visible", _with(sentence, unlisted="visible")
        for place, entry in enumerate(written.list):
            if not entry.see:
                yield f"{_path(entry)} not taken out", _with(sentence, list=[item for at, item in enumerate(written.list) if at != place])
        hierarchy = self.hierarchies.get(written.hierarchy)
        if hierarchy is not None and written.unlisted == "hidden":
            listed = [item for entry in written.list if not isinstance(item := entry.path[0], ViewerItem)]
            top = hierarchy.levels[0] if hierarchy.levels else hierarchy.key or ""
            other = self._another(hierarchy.table, top, listed)
            if other is not None:
                yield f"{other} added", _with(sentence, list=[*written.list, MemberEntry(path=[other], see=True)])

    def objects(self, sentence: Sentence, written: ObjectsSentence) -> _Changes:
        if written.default == "hidden":
            yield "all else visible", _with(sentence, default="visible")
        for name in written.hide:
            yield f"{name} shown", _with(sentence, hide=[item for item in written.hide if item != name])
        if len(written.hide) + (written.default == "hidden") > 1:
            yield "left out", None

    def mask(self, sentence: Sentence, written: MaskSentence) -> _Changes:
        yield "left out", None
        table, _, column = written.column.partition(".")
        type_ = self.scope.schema.columns[table, column].type if self.scope.schema else "text"
        weaker = _weaker(written, type_)
        if weaker is not None:
            change, less = weaker
            kind = mask_kind(less)
            fits = in_totals_of(written) in kind.in_totals
            yield change, _with(sentence, with_=less, in_totals=written.in_totals if fits else "no")
        if written.in_totals != FullInTotals(full=AtLeast(at_least=1)):
            change = "a line may have one row" if in_totals_of(written) == "full" else "true values enter totals"
            yield change, _with(sentence, in_totals=FullInTotals(full=AtLeast(at_least=1)))
        if written.when is not None:
            for change, when in self.narrower(written.when, table):
                yield change, _with(sentence, when=when)

    def pages(self, sentence: Sentence, written: PagesSentence, limits: bool) -> _Changes:
        if limits:
            yield "left out", None
            return
        if written.on is not None:
            yield "on every page", _with(sentence, on=None)
        if written.where is not None:
            yield "its condition left out", _with(sentence, where=None)
            for change, where in self._dropped(written.where, Scope(attributes=self.scope.attributes, page=True), tree.And):
                yield change, _with(sentence, where=where)

    def wider(self, text: str, table: str) -> Iterator[tuple[str, str]]:
        """The condition true for more: a clause left out, AND made OR, a value added."""
        scope = Scope(schema=self.scope.schema, table=table, attributes=self.scope.attributes, inner=True)
        yield from self._dropped(text, scope, tree.And)
        node = _checked(text, scope)
        for group in _plain_nodes(node, tree.And):
            assert isinstance(group, tree.And)
            yield "AND made OR", _put(text, group, " OR ".join(f"({_cut(text, item)})" for item in group.items))
        for asked in _plain_nodes(node, tree.IsIn, tree.Comparison):
            yield from self._value_added(text, asked)

    def narrower(self, text: str, table: str) -> Iterator[tuple[str, str]]:
        """The condition true for fewer: one of several cases left out."""
        yield from self._dropped(text, Scope(schema=self.scope.schema, table=table, attributes=self.scope.attributes, inner=True), tree.Or)

    def _dropped(self, text: str, scope: Scope, kind: type[tree.And] | type[tree.Or]) -> Iterator[tuple[str, str]]:
        joined = " AND " if kind is tree.And else " OR "
        for group in _plain_nodes(_checked(text, scope), kind):
            assert isinstance(group, tree.And | tree.Or)
            for place, item in enumerate(group.items):
                rest = [f"({_cut(text, other)})" for at, other in enumerate(group.items) if at != place]
                yield f"{_cut(text, item)} left out", _put(text, group, joined.join(rest))

    def _value_added(self, text: str, node: tree.Node) -> Iterator[tuple[str, str]]:
        if isinstance(node, tree.IsIn) and not node.negated:
            column, given = node.operand, [item.value for item in node.items if isinstance(item, tree.Literal)]
        elif isinstance(node, tree.Comparison) and node.operator == "=":
            column, given = node.left, [node.right.value] if isinstance(node.right, tree.Literal) else []
        else:
            return
        if not isinstance(column, tree.ColumnRef):
            return
        other = self._another(column.table, column.column, given)
        if other is None:
            return
        written = literal_text(other, VALUE_TYPES[column.type])
        yield f"{other} added", _put(text, node, f"{_cut(text, node)} OR {column_text(column.table, column.column)} = {written}")

    def _another(self, table: str, column: str, given: list[Any]) -> Any:
        """A value of a column that is not among those given, None where there is no other."""
        known = {item.isoformat() if isinstance(item, datetime.date) else item for item in given}
        return next((value for value in self.values(table, column) if value not in known), None)


def _with(sentence: Sentence, **changes: Any) -> Sentence:
    """The sentence with something of its one kind changed."""
    return sentence.model_copy(update={sentence.kind: getattr(sentence, sentence.kind).model_copy(update=changes)})


def _checked(text: str, scope: Scope) -> tree.Node | None:
    try:
        return check_condition(text, scope)
    except ConditionError:
        return None


def _plain_nodes(node: tree.Node | None, *kinds: type[tree.Node]) -> Iterator[tree.Node]:
    """The nodes of some kinds that stand so that more of them true is more of the whole true: joined by AND and OR alone."""
    if node is None:
        return
    if isinstance(node, kinds):
        yield node
    if isinstance(node, tree.And | tree.Or):
        for item in node.items:
            yield from _plain_nodes(item, *kinds)


def _cut(text: str, node: tree.Node) -> str:
    start, end = place_of(node, text)
    return text[start:end]


def _put(text: str, node: tree.Node, other: str) -> str:
    start, end = place_of(node, text)
    return f"{text[:start]}({other}){text[end:]}"


def _path(entry: MemberEntry) -> str:
    return " › ".join(str(item) if isinstance(item, bool | int | float | str) else f"viewer.{item.viewer}" for item in entry.path)


_Weaker = tuple[str, Any]


def _weaker(written: MaskSentence, type_: ValueType) -> _Weaker | None:
    """A mask that shows a step more; None where the next step is to show all."""
    with_ = written.with_
    if isinstance(with_, RoundMask):
        less = with_.round.to / 10
        return f"rounded to {less:g}", RoundMask(round=RoundTo(to=less))
    if isinstance(with_, PeriodMask):
        finer: dict[str, Any] = {"year": "quarter", "quarter": "month"}
        return (f"only its {finer[with_.period.to]}", PeriodMask(period=PeriodTo(to=finer[with_.period.to]))) if with_.period.to in finer else None
    if isinstance(with_, KeepMask):
        more = Keep(first=with_.keep.first + 1, last=with_.keep.last, fill=with_.keep.fill)
        return "one more character shown", KeepMask(keep=more)
    if with_ == "hash":
        return ("its first character shown", KeepMask(keep=Keep(first=1))) if type_ == "text" else None
    if with_ == "withhold":
        return "shown as a code", "hash"
    return "shown as a code", "hash"
