"""Findings about what is new since another bundle: columns, tables, members of hierarchies, people."""

from collections.abc import Iterator
from typing import Any

from moorland.core.engine.cells import plain_values
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.grouping import group_labels
from moorland.core.insight.findings.finding import Finding, shown


def news_findings(evaluator: Evaluator, before: Evaluator) -> Iterator[Finding]:
    """Columns and members that were not there in the earlier bundle, and in which roles they are visible."""
    for index, model in enumerate(evaluator.bundle.models):
        if model.name not in before.models:
            continue
        old, new = before.models[model.name].schema, evaluator.models[model.name].schema
        for position, table in enumerate(model.tables):
            for place, declared in enumerate(table.columns):
                if (table.name, declared.name) not in old.columns:
                    open_in = [
                        role.role.title
                        for role in evaluator.roles.values()
                        if role.role.kind == "grant" and role.role.model == model.name and role.objects and (table.name, declared.name) in role.objects.columns
                    ]
                    yield Finding(
                        kind="column_new",
                        weight="middle" if open_in else "low",
                        path=f"models[{index}].tables[{position}].columns[{place}]",
                        message=f"{table.name}.{declared.name} is new" + (f" and visible in {len(open_in)} roles." if open_in else "; no role shows it."),
                        remedy="Clear it for the roles that should see it, or keep it in quarantine.",
                        evidence=shown(open_in),
                    )
        for position, hierarchy in enumerate(model.hierarchies):
            column = (hierarchy.levels or [hierarchy.key or ""])[-1]
            key = (hierarchy.table, column)
            if key not in old.columns:
                continue
            known = set(_values(before, model.name, key))
            fresh = [value for value in _values(evaluator, model.name, key) if value not in known]
            if fresh and new.tables.get(hierarchy.table):
                yield Finding(
                    kind="members_new",
                    weight="middle",
                    path=f"models[{index}].hierarchies[{position}]",
                    message=f"{len(fresh)} members of {hierarchy.title} are new.",
                    remedy="See who sees them; list them where unlisted members are hidden.",
                    evidence=shown([str(value) for value in fresh]),
                )


def _values(evaluator: Evaluator, model: str, key: tuple[str, str]) -> list[Any]:
    return plain_values(group_labels(evaluator.data(model), key)[0])
