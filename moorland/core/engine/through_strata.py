"""A computation over whole evaluators, on strata of the tables left in place (sources.md 18).

What explains, compares and proves is the same code for tables here and tables left: it is given evaluators whose models stand on strata, and
is worked out anew where it turns out to read more. Rows of such a table are counted by `ModelData.counted` and `size`, never by their places.
"""

import contextlib
import copy
from collections.abc import Callable, Sequence
from functools import update_wrapper
from typing import Any, Concatenate, ParamSpec, TypeVar

import numpy as np

from moorland.core.bundle.model import Table
from moorland.core.bundle.problems import BundleError
from moorland.core.engine.columns import TableData
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.in_place import MOST_TURNS, Needs, StandingData, TooManyStrata, strata_data
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.questions import Refused
from moorland.core.engine.unanswered import LeftInPlace
from moorland.core.price import step

Result = TypeVar("Result")
Arguments = ParamSpec("Arguments")
#: A row of a model's table by the value of its key: nothing else of the table is looked at.
OneRow = tuple[str, str, Any]


def through_strata(evaluators: Sequence[Evaluator], compute: Callable[..., Result], only: OneRow | None = None) -> Result:
    """What a computation gives, told the evaluators on strata; as they are where they leave no table in place.

    Raises what it raises, LeftInPlace where it needs the rows themselves, and SourceFailed.
    """
    bases = [_left(evaluator) for evaluator in evaluators]
    if not any(bases) and not any(evaluator.choosing and evaluator.standing_of is None for evaluator in evaluators):
        return compute(*evaluators)
    # Of two evaluators over the same content the same is fetched, so that their strata are the same rows.
    needs: dict[object, Needs] = {}
    found: list[dict[str, ModelData]] = []

    def on(make: Callable[[ModelData, Needs], StandingData]) -> list[Evaluator]:
        def standing(evaluator: Evaluator) -> dict[str, StandingData]:
            left = _left(evaluator)
            found.append(left)
            return {name: make(base, needs.setdefault(_content(base), _needs(base, only))) for name, base in left.items()}

        return [_on(evaluator, standing) for evaluator in evaluators]

    # Over no rows first: it tells which columns are read. What it says of no rows is nobody's answer.
    with contextlib.suppress(BundleError, Refused):
        compute(*on(_none_of))
    for _ in range(MOST_TURNS):
        step()
        try:
            return compute(*on(strata_data))
        except LeftInPlace as missing:
            if not _noted(missing, found, needs):
                raise
        except TooManyStrata:
            again = [each.all_by_truth() for each in needs.values()]
            if not all(again):
                raise
            with contextlib.suppress(BundleError, Refused):
                compute(*on(_none_of))
    raise LeftInPlace("", "")


def on_strata(compute: Callable[Concatenate[Evaluator, Arguments], Result]) -> Callable[Concatenate[Evaluator, Arguments], Result]:
    """A function of an evaluator that is worked out on strata where tables are left in place."""

    def through(evaluator: Evaluator, /, *arguments: Arguments.args, **named: Arguments.kwargs) -> Result:
        return through_strata([evaluator], lambda on: compute(on, *arguments, **named))

    update_wrapper(through, compute)
    return through


def _left(evaluator: Evaluator) -> dict[str, ModelData]:
    """The data of the models that leave tables in place: in a source, or where they have more rows than are kept in memory."""
    names = [name for name, model in evaluator.models.items() if any(map(_may_be_left, model.schema.model.tables))]
    return {name: data for name in names if (data := evaluator.data(name)).left}


def _may_be_left(table: Table) -> bool:
    """Whether what is loaded of a table tells where its rows are: only one without a key has more of them than are kept in memory (18.8)."""
    return table.in_place is not None or (table.key is None and table.alias_of is None)


def _content(base: ModelData) -> object:
    """What the tables left in place of a model hold; equal for evaluators that differ in roles only."""
    return (base.schema.model.name, *sorted((name, base.tables[name].version) for name in base.left))


def _needs(base: ModelData, only: OneRow | None) -> Needs:
    needs = Needs()
    if only is not None and only[0] == base.schema.model.name:
        original = base.schema.original(only[1])
        key = base.schema.tables[original].key
        if only[1] in base.left and key is not None:
            if any(step_.carries_up for steps in base.schema.parents.values() for step_ in steps):
                raise LeftInPlace(base.schema.model.name, original)
            needs.only[original] = (key, only[2])
    return needs


def _none_of(base: ModelData, needs: Needs) -> StandingData:
    originals = {base.schema.original(name) for name in base.left}
    none = {table: TableData(f"none of {base.tables[table].version}", 0, {}) for table in originals}
    empty = StandingData(base, none, {table: np.zeros(0, np.int64) for table in originals})
    empty.needs = needs
    return empty


def _noted(missing: LeftInPlace, bases: Sequence[dict[str, ModelData]], needs: dict[object, Needs]) -> bool:
    """Notes what was missing, for the data of its model; whether there is anything new to fetch."""
    found = list({id(base): needs[_content(base)] for each in bases if (base := each.get(missing.model)) is not None}.values())
    return sum(each.missing(missing) for each in found) > 0


def _on(evaluator: Evaluator, standing: Callable[[Evaluator], dict[str, StandingData]]) -> Evaluator:
    """An evaluator on strata; those of contents that depend on who asks are fetched when they are asked for (17.2)."""
    made = copy.copy(evaluator)
    made.stamp, made.standing, made.standing_of = object(), standing(evaluator), standing
    made.forget_contents()
    return made
