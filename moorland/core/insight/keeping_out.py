"""What keeps rows out of a viewer's figures: for each row the one thing that is to be told of it (semantics.md 6.1 to 6.4, 7.2, 11)."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np

from moorland.core.engine.visible import RoleRows, ViewerModel, lifted
from moorland.core.insight.wording import said
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import Array, Mask

Keeper = Literal["apart", "outside", "limit", "masked"]


@dataclass(frozen=True)
class Cause:
    """One thing that keeps rows out: no grant role under which the figure exists (`apart`), the sentence nearest to opening them (`outside`),
    a limit role, or cells that masks keep out of totals. `sentence` counts from 0; None where it is not one sentence alone."""

    kind: Keeper
    message: str
    role: str | None = None
    label: str | None = None
    sentence: int | None = None


def kept_out(model: ViewerModel, table: str, needed: Iterable[RoleRows], read: frozenset[ColumnKey], counts: Mask) -> Iterator[tuple[Cause, Mask]]:
    """Every row of a table that does not count, under one cause each, in the order they are told; masks have the shape (rows,).

    `needed` are the grant roles under which the figure exists, `read` the columns it reads, `counts` the rows that count without whole totals.
    """
    chosen = sorted(needed, key=lambda grant: grant.name)
    left = ~counts
    opened = _opened(chosen, table, len(counts))
    outside = left & ~opened
    for grant in sorted((grant for grant in model.grants if grant not in chosen), key=lambda grant: grant.name):
        mask = grant.of(table)
        here = outside if mask is None else outside & mask
        if here.any():
            label = grant.role.role.title
            yield Cause("apart", f"Opened only by {label}, under which what the figure reads does not exist.", grant.name, label), here
            outside = outside & ~here
    yield from _nearest(chosen, table, outside)
    left &= opened
    for limit in sorted(model.limits, key=lambda limit: limit.name):
        mask = limit.of(table)
        here = np.zeros(len(counts), np.bool_) if mask is None else left & ~mask
        if here.any():
            sentences = [rule.sentence for rule in limit.role.rows]
            label = limit.role.role.title
            one = sentences[0] if len(sentences) == 1 else None
            why = f": it {said(limit.role.role.sentences[one])}" if one is not None else ""
            yield Cause("limit", f"Taken away by the limit role {label}{why}.", limit.name, label, one), here
            left = left & ~here
    if left.any():
        columns = [model.data.schema.columns[key].title for key in sorted(read) if model.masks_any([key])]
        yield Cause("masked", f"A cell of {_listed(columns)} is masked and does not enter totals."), left


def _opened(grants: list[RoleRows], table: str, rows: int) -> Mask:
    result = np.zeros(rows, np.bool_)
    for grant in grants:
        mask = grant.of(table)
        if mask is None:
            return np.ones(rows, np.bool_)
        result |= mask
    return result


def _nearest(grants: list[RoleRows], table: str, outside: Mask) -> Iterator[tuple[Cause, Mask]]:
    """Rows no grant opens, by the first failing sentence of the grant that fails them least; ties by name."""
    if not outside.any():
        return
    fewest = np.full(len(outside), np.iinfo(np.int32).max, np.int32)
    chosen, deciding = np.zeros(len(outside), np.int32), np.full(len(outside), -1, np.int32)
    for place, grant in enumerate(grants):
        failing, first = _failing(grant, table, len(outside))
        nearer = failing < fewest
        fewest, chosen, deciding = np.where(nearer, failing, fewest), np.where(nearer, place, chosen), np.where(nearer, first, deciding)
    for place, grant in enumerate(grants):
        mine = outside & (chosen == place)
        role, label = grant.role.role, grant.role.role.title
        for sentence in np.unique(deciding[mine]).tolist():
            if sentence < 0:
                cause = Cause("outside", f"Not opened by {label}: through a relationship no visible row belongs to them.", role.name, label)
            else:
                cause = Cause("outside", f"Not opened by {label}: it {said(role.sentences[sentence])}.", role.name, label, sentence)
            yield cause, mine & (deciding == sentence)


def _failing(grant: RoleRows, table: str, rows: int) -> tuple[Array, Array]:
    """For each row how many sentences of a role are not true for it or for what it looks up, and the first of them (-1: only a relationship)."""
    failing, first = np.zeros(rows, np.int32), np.full(rows, -1, np.int32)
    for rule in reversed(grant.deciding(table)):
        fails = ~lifted(grant.data, table, rule.table, np.append(grant.rule_mask(rule), False))
        failing += fails
        first[fails] = rule.sentence
    return np.maximum(failing, 1), first


def _listed(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} or {names[-1]}" if names else "what is asked"
