"""The shape of a finding."""

from typing import Literal

from pydantic import Field

from moorland.core.bundle.shape import Shape

Weight = Literal["high", "middle", "low"]
WEIGHTS: tuple[Weight, ...] = ("high", "middle", "low")


class Finding(Shape):
    """Something noticed: its kind, how much it matters, where it stands in the bundle, and what to do."""

    kind: str
    weight: Weight
    path: str
    message: str
    remedy: str
    evidence: list[str] = Field(default_factory=list)


def shown(items: list[str], most: int = 10) -> list[str]:
    """The first of many, and how many more there are."""
    return items if len(items) <= most else [*items[:most], f"and {len(items) - most} more"]
