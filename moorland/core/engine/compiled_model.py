"""Models made ready to evaluate: derived columns, base filters and measures checked, and tables joined by their keys (semantics.md 3)."""

import datetime
from collections.abc import Iterable, Mapping
from functools import partial

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.model import Hierarchy, Model
from moorland.core.bundle.policy import Role
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.schema import build_schema
from moorland.core.engine.columns import TableData
from moorland.core.engine.entitlements import EntitlementRule
from moorland.core.engine.in_place import on_strata
from moorland.core.engine.member_rules import parents_of
from moorland.core.engine.members import acyclic
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.roles import CompiledModel, CompiledRole
from moorland.core.engine.rules import RowsRule
from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.derived import check_derived, with_inputs
from moorland.core.language.errors import ConditionError
from moorland.core.language.measures import check_measure


def _acyclic(hierarchy: Hierarchy, data: ModelData) -> bool:
    return acyclic(parents_of(data, hierarchy)[:-1])


def joined(compiled: CompiledModel, tables: Mapping[str, TableData], as_of: datetime.date) -> ModelData:
    """A model's tables, joined by their keys. Raises BundleError where the parents of a hierarchy lead in a circle (3.5)."""
    data = ModelData(compiled.schema, tables, as_of, compiled.derived)
    circles = [item for item in compiled.schema.model.hierarchies if item.levels is None and not on_strata(data, partial(_acyclic, item))]
    if circles:
        raise BundleError([Problem("cycle", f"the parents of the hierarchy {item.name} lead in a circle.", str(item.table)) for item in circles])
    return data


def compile_model(model: Model, roles: list[Role], place: str, problems: list[Problem]) -> CompiledModel:
    """A model with its derived columns, base filters and measures checked; what is wrong is added to the problems."""
    schema = build_schema(model)
    derived, wrong = check_derived(schema)
    problems += [problem.at(f"{place}.{problem.path}") for problem in wrong]
    for index, table in enumerate(model.tables):
        if table.base_filter is not None and table.alias_of is None:
            try:
                condition = check_condition(table.base_filter, Scope(schema=schema, table=table.name, viewer=False, inner=True))
            except ConditionError as error:
                problems.append(error.problem(f"{place}.tables[{index}].base_filter"))
                continue
            for query in tree.inner_queries(condition):
                assert isinstance(query.column, tree.ColumnRef)
                read = {(query.table, query.column.column)} | (tree.columns_read(query.where) if query.where else frozenset())
                if any(owner not in (query.table, schema.original(query.table)) for owner, _ in with_inputs(read, derived)):
                    message = f"the inner query on {query.table} reads a derived column that looks other tables up; a base filter cannot."
                    problems.append(Problem("inner_query", message, path=f"{place}.tables[{index}].base_filter"))
    measures = {}
    for index, measure in enumerate(model.measures):
        try:
            measures[measure.name] = check_measure(schema, measure.name, derived)
        except ConditionError as error:
            problems.append(error.problem(f"{place}.measures[{index}].expression"))
    if len(measures) < len(model.measures) and not problems:
        problems.append(Problem("measure", "a measure cannot be used.", path=place))
    through = (sentence.entitlement.through for role in roles if role.model == model.name for _, sentence in role.acting if sentence.entitlement)
    return CompiledModel(schema, measures, derived, frozenset(name for name in through if name in schema.tables))


def data_located(problems: list[Problem], bundle: Bundle, model: str, table: str) -> list[Problem]:
    """What is wrong with the data of a table: in its file, or, where there is none, at the table's place in the bundle."""
    place, shape = next((place, shape) for place, shape in enumerate(bundle.models) if shape.name == model)
    number = next(number for number, item in enumerate(shape.tables) if item.name == table)
    return [problem if problem.file or problem.path else problem.at(f"models[{place}].tables[{number}].data") for problem in problems]


def tables_read_anew(models: Mapping[str, CompiledModel], roles: Iterable[CompiledRole]) -> tuple[tuple[str, str], ...]:
    """The tables left in place, each with its model, by which sentences look people up, or that conditions read whole (sources.md 18.1)."""
    written = list(roles)
    found = set()
    for name, model in models.items():
        read = set(model.entitling)
        rules = [rule for role in written if role.role.model == name for rule in role.rows]
        conditions = [condition for role in written if role.role.model == name for condition in role.conditions]
        conditions += [rule.condition for rule in rules if isinstance(rule, RowsRule)]
        conditions += [rule.where for rule in rules if isinstance(rule, EntitlementRule) and rule.where is not None]
        for table in model.schema.model.tables:
            if table.base_filter is not None and table.alias_of is None:
                conditions.append(check_condition(table.base_filter, Scope(schema=model.schema, table=table.name, viewer=False, inner=True)))
        read |= {query.table for condition in conditions for query in tree.inner_queries(condition)}
        found |= {(name, table.name) for table in model.schema.model.tables if table.in_place is not None and table.name in map(model.schema.original, read)}
    return tuple(sorted(found))
