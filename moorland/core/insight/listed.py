"""What each line of an entitlement table does: whom it names, what it opens, and what is wrong with it; evidence for choosing its columns."""

from collections.abc import Iterator
from typing import Any

import numpy as np

from moorland.core.bundle.policy import AttributeIs, EntitlementSentence, Role, Sentence
from moorland.core.bundle.problems import BundleError, nearest_name
from moorland.core.bundle.shape import Shape
from moorland.core.bundle.structure import identity
from moorland.core.engine.cells import cell_values
from moorland.core.engine.entitlements import EntitlementRule
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.grouping import group_labels
from moorland.core.engine.roles import compile_role
from moorland.core.language import tree
from moorland.core.language.types import comparable

#: So many people are named beside a line; the rest is counted.
MOST_NAMED = 5
#: So many lines are read for what is wrong with them.
MOST_READ = 2_000


class LineEffect(Shape):
    """A line: its values, whom it names, how many rows it opens alone, and what is wrong; `in_force` is what the condition says of it."""

    line: int
    values: list[Any]
    in_force: bool
    people: list[str]
    named: int
    rows: int
    faults: list[str]


class EntitlementLines(Shape):
    """The lines of an entitlement table as a sentence reads them; `faulty` and `open` count among the first `read` of them."""

    columns: list[str]
    total: int
    read: int
    faulty: int
    open: int
    lines: list[LineEffect]


class PersonEvidence(Shape):
    """How many of a column's values name somebody when they are read as one kind of name."""

    column: str
    person_is: str
    found: int
    of: int


class MatchEvidence(Shape):
    """How many of the values of a column of the table of entitlements stand in a column of the secured table."""

    column: str
    through: str
    found: int
    of: int


class EntitlementEvidence(Shape):
    """What the columns look like, the best first."""

    people: list[PersonEvidence]
    matches: list[MatchEvidence]


def entitlement_lines(evaluator: Evaluator, model: str, sentence: EntitlementSentence, limit: int, offset: int, faulty_only: bool) -> EntitlementLines:
    """The lines with their effect (5.3). Raises BundleError where the sentence cannot be used."""
    compiled, data = evaluator.models[model], evaluator.data(model)
    role, problems = compile_role(
        Role(name="entitlement", kind="grant", model=model, sentences=[Sentence(entitlement=sentence)]), compiled, evaluator.people.definitions
    )
    if role is None:
        raise BundleError(problems)
    rule = role.rows[0]
    assert isinstance(rule, EntitlementRule)
    reading = _Reading(evaluator, model, rule, MOST_READ)
    count = min(data.rows(sentence.through), MOST_READ)
    faults = [reading.faults(line) for line in range(count)]
    wanted = [line for line in range(count) if faults[line] or not faulty_only][offset : offset + limit]
    names = [column.name for column in compiled.schema.tables[sentence.through].columns]
    rows = np.array(wanted, dtype=np.int64)
    cells = [cell_values(data, sentence.through, (sentence.through, name), rows, np.ones(len(rows), np.bool_)) for name in names]
    lines = [
        LineEffect(
            line=line,
            values=[column[place] for column in cells],
            in_force=bool(reading.in_force[line]),
            people=reading.people(line)[:MOST_NAMED],
            named=len(reading.people(line)),
            rows=reading.rows(line),
            faults=faults[line],
        )
        for place, line in enumerate(wanted)
    ]
    opening = sum(1 for line in range(count) if reading.in_force[line] and reading.people(line) and reading.rows(line))
    return EntitlementLines(columns=names, total=data.rows(sentence.through), read=count, faulty=sum(1 for item in faults if item), open=opening, lines=lines)


class _Reading:
    """The lines of one sentence; what is asked of a line is worked out once."""

    def __init__(self, evaluator: Evaluator, model: str, rule: EntitlementRule, most: int) -> None:
        self._data, self._rule, self._written = evaluator.data(model), rule, rule.written
        through = self._written.through
        count = self._data.rows(through)
        self.in_force = np.ones(count, dtype=np.bool_)
        if rule.where is not None and not tree.viewer_values_read(rule.where):
            nobody = evaluator.all_data()
            self.in_force = np.asarray(self._data.condition_mask(through, rule.where, f"{rule.text} where", nobody.values))
        base = self._data.base(through)
        if base is not None:
            self.in_force = self.in_force & base
        everyone = np.arange(count)
        self._persons = cell_values(self._data, through, (through, self._written.person), everyone, np.ones(count, np.bool_))
        self._logins: dict[Any, list[str]] = {}
        for viewer in evaluator.everyone():
            for value in viewer.values(rule.person_name) or ():
                self._logins.setdefault(_key(value), []).append(viewer.login or "")
        self._known = _known_names(evaluator, self._written)
        self._rows = rule.rows_opened(self._data, np.arange(min(count, most)))

    def people(self, line: int) -> list[str]:
        """The logins a line names."""
        value = self._persons[line]
        return [] if value is None else self._logins.get(_key(value), [])

    def rows(self, line: int) -> int:
        """How many rows the line opens to whom it names."""
        return self._rows[line]

    def faults(self, line: int) -> list[str]:
        """What is wrong with a line, in sentences."""
        value = self._persons[line]
        found: list[str] = []
        if value is None or (isinstance(value, str) and not value.strip()):
            found.append("The person is blank: it names nobody.")
        elif not self.people(line):
            near = nearest_name(str(value), self._known)
            if any(identity(name) == identity(str(value)) for name in self._known):
                found.append(f"{value} is known, but nobody is in it.")
            else:
                found.append(f"{value} names nobody." + (f" Nearest: {near}." if near else ""))
        elif isinstance(value, str) and value not in self._known and self._known:
            meant = next((name for name in self._known if identity(name) == identity(value)), None)
            if meant:
                found.append(f"Read as {meant}: letter case and spaces do not count for people.")
        if self.rows(line) == 0:
            found.append(f"Matches no row of {self._written.table}.")
        elif self.rows(line) == self._data.rows(self._written.table) and self._written.everything is not None:
            found.append("Opens every row.")
        return found


def _key(value: Any) -> Any:
    return identity(value) if isinstance(value, str) else value


def _known_names(evaluator: Evaluator, written: EntitlementSentence) -> list[str]:
    bundle = evaluator.bundle
    if isinstance(written.person_is, AttributeIs):
        return []
    return {
        "login": [user.login for user in bundle.users],
        "email": [user.email for user in bundle.users if user.email],
        "organization": [item.name for item in bundle.organizations],
        "group": [group.name for group in bundle.groups],
        "role": [role.name for role in bundle.roles],
    }[written.person_is]


def entitlement_evidence(evaluator: Evaluator, model: str, through: str, table: str, separator: str | None) -> EntitlementEvidence:
    """How well the columns of a table of entitlements name people, and how well they match the columns of the secured table."""
    schema, data = evaluator.models[model].schema, evaluator.data(model)
    values = {column.name: _distinct(cell for cell in _labels(data, through, column.name)) for column in schema.tables[through].columns}
    kinds = {
        kind: {identity(name) for name in _known_names(evaluator, EntitlementSentence(table=table, through=through, person="x", person_is=kind, match={}))}
        for kind in ("login", "email", "organization", "group", "role")
    }
    people, matches = [], []
    for column in schema.tables[through].columns:
        texts = [value for value in values[column.name] if isinstance(value, str)]
        for kind, known in kinds.items():
            found = sum(identity(value) in known for value in texts)
            if found:
                people.append(PersonEvidence(column=column.name, person_is=kind, found=found, of=len(texts)))
        for target in schema.tables[table].columns:
            if not comparable(column.type, target.type, True):
                continue
            there = set(_labels(data, table, target.name))
            items = [item for value in values[column.name] for item in _items(value, separator)]
            found = sum(item in there for item in items)
            if found:
                matches.append(MatchEvidence(column=target.name, through=column.name, found=found, of=len(items)))
    people.sort(key=lambda item: (-item.found / item.of, -item.found))
    matches.sort(key=lambda item: (-item.found / item.of, -item.found, item.column != item.through))
    return EntitlementEvidence(people=people, matches=matches)


def _labels(data: Any, table: str, column: str) -> list[Any]:
    labels, _ = group_labels(data, (table, column))
    found: list[Any] = labels.tolist()
    return found


def _distinct(values: Iterator[Any]) -> list[Any]:
    return [value for value in dict.fromkeys(values) if not (isinstance(value, str) and not value.strip())]


def _items(value: Any, separator: str | None) -> list[Any]:
    if separator is None or not isinstance(value, str):
        return [value]
    return [item.strip(" ") for item in value.split(separator) if item.strip(" ")]
