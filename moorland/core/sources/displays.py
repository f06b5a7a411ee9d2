"""How a column that arrives is best shown: figures in groups of thousands, but never years and numbers that are names."""

import re

from moorland.core.bundle.model import Display
from moorland.core.bundle.shape import ValueType

#: Words of a column's name that make its numbers names: they are compared and looked up, never added.
_NAMES = re.compile(r"(^|_)(id|key|code|no|nr|number|year|yr|month|week|quarter|day|hour|zip|postcode|plz|phone|account|iban|version|order|rank)(_|$)")


def proposed_display(name: str, type_: ValueType, key: bool) -> Display | None:
    """The display proposed for a column by its kind; None shows its values as they are."""
    if key or type_ not in ("integer", "number") or _NAMES.search(name.lower()):
        return None
    return Display(grouped=True)
