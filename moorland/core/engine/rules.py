"""Sentences ready to evaluate: which rows they leave, and what they read (semantics.md 5.3, 5.7 to 5.9)."""

from collections.abc import Hashable
from dataclasses import dataclass
from typing import Protocol

from moorland.core.engine.model_data import ModelData, values_read
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import Mask
from moorland.core.people import Viewer


class RowRule(Protocol):
    """A sentence that decides rows of one table. `text` names it among all rules of a model."""

    @property
    def sentence(self) -> int: ...

    @property
    def table(self) -> str: ...

    @property
    def text(self) -> str: ...

    @property
    def reads(self) -> frozenset[ColumnKey]:
        """The columns of the table and of its lookups that it reads."""
        ...

    @property
    def viewer_reads(self) -> frozenset[str]:
        """The names of `viewer.` it reads."""
        ...

    def values(self, viewer: Viewer) -> Hashable:
        """What of the viewer it reads: equal values leave equal rows."""
        ...

    def mask(self, data: ModelData, viewer: Viewer) -> Mask:
        """The rows it leaves; shape (rows,)."""
        ...


@dataclass(frozen=True)
class RowsRule:
    """A rows sentence with its checked condition (5.3)."""

    sentence: int
    table: str
    text: str
    condition: tree.Node

    @property
    def reads(self) -> frozenset[ColumnKey]:
        return tree.columns_read(self.condition)

    @property
    def viewer_reads(self) -> frozenset[str]:
        return tree.viewer_values_read(self.condition)

    def values(self, viewer: Viewer) -> Hashable:
        return values_read(self.condition, viewer.values)

    def mask(self, data: ModelData, viewer: Viewer) -> Mask:
        return data.condition_mask(self.table, self.condition, self.text, viewer.values)


@dataclass(frozen=True)
class PagesRule:
    """A pages sentence with its checked condition (5.9)."""

    sentence: int
    actions: frozenset[str]
    on: frozenset[str] | None
    condition: tree.Node | None


@dataclass(frozen=True)
class BeneathRule:
    """The beneath sentences of a role for one table, read as the narrowest (5.7, 12.5)."""

    rows: bool
    limit: int | None
    only_under: int | None
    export: bool


@dataclass(frozen=True)
class ChangeRule:
    """A change sentence; None for a kind of change it does not allow (5.8)."""

    sentence: int
    table: str
    insert: tree.Node | None
    update: tree.Node | None
    delete: tree.Node | None
