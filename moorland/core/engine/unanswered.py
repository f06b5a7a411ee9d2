"""What stays unanswered because of where rows are; known without anything that answers."""

from moorland.core.language import tree


class LeftInPlace(Exception):
    """Something of a table that stays in its engine was read as if it were here: its rows, a column, or an aggregate of its rows (engine.in_place)."""

    def __init__(self, model: str, table: str, column: str | None = None, aggregate: tree.Aggregate | None = None, truth: tree.Node | None = None) -> None:
        super().__init__(f"The rows of {table} are not here; this is not answered for tables left in place.")
        self.model, self.table, self.column, self.aggregate, self.truth = model, table, column, aggregate, truth


class SourceFailed(Exception):
    """An engine that does not answer, or answers with something else than was declared; said to who keeps sources, never to viewers (17.4)."""

    def __init__(self, source: str, message: str) -> None:
        super().__init__(message)
        self.source, self.message = source, message
