"""A pasted list against the values of a column."""

from functools import partial

import numpy as np

from moorland.core.bundle.problems import nearest_name
from moorland.core.engine.cells import json_values
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.grouping import value_counts
from moorland.core.engine.in_place import on_strata
from moorland.server.viewing.shapes import MatchAnswer, Unmatched, ValueCount


def matched_values(base: Evaluator, model: str, table: str, column: str, texts: list[str]) -> MatchAnswer:
    """Which items are values of the column: exactly as the language compares them, spaces around an item left out."""
    labels, counted = on_strata(base.data(model), partial(value_counts, (table, column)))
    counts = counted[1:]
    values = json_values(labels, np.ones(len(labels), np.bool_))
    by_text = {_text(value): place for place, value in enumerate(values)}
    found: dict[int, ValueCount] = {}
    missing: dict[str, Unmatched] = {}
    for text in texts:
        item = text.strip()
        place = by_text.get(item, by_text.get(_as_number(item)))
        if place is not None:
            found.setdefault(place, ValueCount(value=values[place], rows=int(counts[place])))
        elif item and item not in missing:
            near = nearest_name(item, by_text) if len(missing) < 50 else None
            missing[item] = Unmatched(text=item, nearest=values[by_text[near]] if near is not None else None)
    return MatchAnswer(found=list(found.values()), missing=list(missing.values()))


def _text(value: object) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    return _as_number(str(value)) if isinstance(value, float) else str(value)


def _as_number(text: str) -> str:
    """A number as one text, however it was written: 7.0 and 7 are the same."""
    try:
        number = float(text)
    except ValueError:
        return text
    return str(int(number)) if number.is_integer() else repr(number)
