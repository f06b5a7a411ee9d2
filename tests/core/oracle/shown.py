"""Masks row by row: which covers more, and what is shown of a value (semantics.md 5.6, 6.5)."""

import hashlib
import math
from typing import Any

KINDS = ["clear", "round", "keep", "hash", "fixed", "withhold", "hidden"]


def covering(kind: Any) -> tuple[int, float]:
    """How much a state covers (6.5)."""
    name = kind if isinstance(kind, str) else next(iter(kind))
    if name == "period":
        return 1, {"month": 1, "quarter": 3, "year": 12}[kind["period"]["to"]]
    finer = kind["round"]["to"] if name == "round" else -(kind["keep"].get("first", 0) + kind["keep"].get("last", 0)) if name == "keep" else 0
    return KINDS.index(name), finer


def shown_value(state: Any, value: Any, key: str) -> Any:
    """What is shown of a value in a state."""
    value = value + 0.0 if isinstance(value, float) else value
    if state == "clear":
        return value
    if isinstance(state, dict) and "fixed" in state:
        return state["fixed"]["text"]
    if value is None or state in ("hidden", "withhold"):
        return None
    if state == "hash":
        person = hashlib.blake2b(key.encode(), digest_size=16).digest()
        return hashlib.blake2b(repr(value).encode(), key=b"moorland", person=person, digest_size=8).hexdigest()
    if "round" in state:
        step = state["round"]["to"]
        if isinstance(value, int) and float(step).is_integer():
            size, whole = abs(value), int(step)
            down = size // whole * whole
            near = down + whole if (size - down) * 2 >= whole else down
            near = near if near <= 2**63 - (value > 0) else down
            return -near if value < 0 else near
        parts = abs(value) / step
        return value if math.isinf(parts) else math.copysign(math.floor(parts + 0.5) * step, value) if value else value
    if "period" in state:
        months = {"month": 1, "quarter": 3, "year": 12}[state["period"]["to"]]
        return value.replace(day=1, month=(value.month - 1) // months * months + 1)
    keep = {"first": 0, "last": 0, "fill": "•", **state["keep"]}
    if len(value) <= keep["first"] + keep["last"]:
        return keep["fill"] * len(value)
    middle = keep["fill"] * (len(value) - keep["first"] - keep["last"])
    return value[: keep["first"]] + middle + value[len(value) - keep["last"] :]
