"""Who may see certain rows, such as those of one member, and by which role and sentence."""

from typing import Any

import numpy as np
from pydantic import Field, model_validator

from moorland.core.bundle.policy import MemberEntry, MembersSentence, Role, Sentence
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.shape import ConditionText, Name, Scalar, Shape
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.naming import check_filter
from moorland.core.engine.questions import Refused
from moorland.core.engine.roles import compile_role
from moorland.core.engine.table_view import TableView, listed_table, visible_table
from moorland.core.engine.visible import RoleRows
from moorland.core.insight.impact import Views
from moorland.core.language.evaluation import true_rows
from moorland.core.language.vectors import Mask
from moorland.core.people import Viewer


class ReachQuestion(Shape):
    """Rows of a table for which a condition is true, or those at or beneath a member of a hierarchy."""

    model: Name
    table: Name | None = None
    where: ConditionText | None = None
    hierarchy: Name | None = None
    path: list[Scalar] = Field(default_factory=list, max_length=50)

    @model_validator(mode="after")
    def _one_thing(self) -> "ReachQuestion":
        if (self.table is None) == (self.hierarchy is None) or (self.hierarchy is not None and not self.path):
            raise ValueError("name a table and a condition, or a hierarchy and a path")
        return self


class RoleReach(Shape):
    """Through one role: how many of the rows, and the sentences that decide about the table (none: the role leaves it whole, or a lookup decides)."""

    role: str
    label: str
    rows: int
    sentences: list[int]


class PersonReach(Shape):
    """Somebody who sees some of the rows, and through which grant roles; `listed` of them may be listed, the others only count in totals."""

    login: str
    name: str
    rows: int
    listed: int
    through: list[RoleReach]


class ReachAnswer(Shape):
    """How many rows are meant, and everybody who sees some of them, in login order."""

    rows: int
    people: list[PersonReach]


def reaching(evaluator: Evaluator, asked: ReachQuestion) -> ReachAnswer:
    """Everybody who sees some of the rows meant, listed or counted (6.4). Raises Refused or BundleError for names and conditions that cannot be used."""
    table, meant = _meant(evaluator, asked)
    views = Views(evaluator)
    known: dict[object, tuple[int, int, list[RoleReach]]] = {}
    people = []
    for viewer in evaluator.everyone():
        view = views.of(viewer)
        if view not in known:
            known[view] = _seen(evaluator, viewer, asked.model, table, meant)
        rows, listed, through = known[view]
        if rows:
            people.append(PersonReach(login=viewer.login or "", name=viewer.name or viewer.login or "", rows=rows, listed=listed, through=through))
    return ReachAnswer(rows=int(meant.sum()), people=people)


def _meant(evaluator: Evaluator, asked: ReachQuestion) -> tuple[str, Mask]:
    """The table asked about and its rows that are meant; shape (rows,)."""
    if asked.model not in evaluator.models:
        raise BundleError([Problem("unknown_name", f"there is no model {asked.model}.")])
    compiled, data = evaluator.models[asked.model], evaluator.data(asked.model)
    everything = evaluator.all_data()
    if asked.hierarchy is not None:
        entry = MemberEntry(path=list(asked.path), see=True)
        sentence = Sentence(members=MembersSentence(hierarchy=asked.hierarchy, list=[entry]))
        role, problems = compile_role(Role(name="member", kind="grant", model=asked.model, sentences=[sentence]), compiled, {})
        if role is None:
            raise BundleError(problems)
        rule = role.rows[0]
        return rule.table, _based(evaluator, asked.model, rule.table, rule.mask(data, everything))
    table = asked.table or ""
    if table not in compiled.schema.tables:
        raise BundleError([Problem("unknown_name", f"there is no table {table}.")])
    condition = check_filter(asked.where, compiled.schema, table, frozenset(compiled.schema.columns), {})
    mask = np.ones(data.rows(table), np.bool_) if condition is None else true_rows(condition, data.frame(table), table, data.rows(table))
    return table, _based(evaluator, asked.model, table, mask)


def _based(evaluator: Evaluator, model: str, table: str, mask: Any) -> Mask:
    base = evaluator.data(model).base(table)
    found: Mask = mask if base is None else mask & base
    return found


def _seen(evaluator: Evaluator, viewer: Viewer, model: str, table: str, meant: Mask) -> tuple[int, int, list[RoleReach]]:
    try:
        found = evaluator.viewer_model(viewer, model)
    except Refused:
        return 0, 0, []
    view = visible_table(found, table)
    through = [
        RoleReach(
            role=grant.name,
            label=grant.role.role.title,
            rows=int((TableView(found, table, [grant]).rows & meant).sum()),
            sentences=_deciding(grant, table),
        )
        for grant in view.grants
    ]
    rows, listed = (int((seen.rows & meant).sum()) for seen in (view, listed_table(found, table)))
    return rows, listed, [item for item in through if item.rows]


def _deciding(grant: RoleRows, table: str) -> list[int]:
    """The places of the sentences that restrict the table: its own, or those of the lookups it follows."""
    schema = grant.data.schema
    reached = {table, *schema.paths[table]}
    return sorted(rule.sentence for rule in grant.role.rows if rule.table in reached)
