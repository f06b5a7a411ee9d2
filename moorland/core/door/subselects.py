"""Queries inside queries: where they stand, and plain ones that become part of what is around them (channels.md 13.3)."""

from collections.abc import Callable, Iterator

from sqlglot import exp

from moorland.core.door.relations import folded


def sources_in(select: exp.Select) -> Iterator[exp.Expression]:
    """What stands in FROM and JOIN."""
    first = select.args.get("from_")
    if first is not None:
        yield first.this
    yield from (join.this for join in select.args.get("joins") or [])


def nested(node: exp.Expression) -> Iterator[exp.Expression]:
    """The queries directly inside one, those in FROM among them; not those inside these."""
    for child in node.iter_expressions():
        if isinstance(child, exp.With):
            continue
        if isinstance(child, exp.Query):
            yield child
        else:
            yield from nested(child)


def flattened(select: exp.Select, counts: Callable[[exp.Select], bool]) -> None:
    """A plain subselect in FROM becomes part of its SELECT: columns of relations, a WHERE, and nothing else (13.3).

    One that `counts` has lines, not rows, and stays what it is.
    """
    first = select.args.get("from_")
    if first is None or select.args.get("joins") or not isinstance(first.this, exp.Subquery):
        return
    inner = first.this.this
    if not isinstance(inner, exp.Select):
        return
    flattened(inner, counts)
    plain = ("from_", "joins", "where", "expressions", "kind", "operation_modifiers")
    if any(value for key, value in inner.args.items() if key not in plain) or not all(isinstance(item, exp.Table) for item in sources_in(inner)):
        return
    if counts(inner):
        return
    names: dict[str, exp.Expression] = {}
    for item in inner.expressions:
        column = item.this if isinstance(item, exp.Alias) else item
        if isinstance(item, exp.Star):
            continue
        if not isinstance(column, exp.Column) or isinstance(column.this, exp.Star):
            return
        names[folded(item.args["alias"]) if isinstance(item, exp.Alias) else folded(column.this)] = column
    starred = any(isinstance(item, exp.Star) for item in inner.expressions)
    if not starred and any(isinstance(item, exp.Star) or (isinstance(item, exp.Column) and isinstance(item.this, exp.Star)) for item in select.expressions):
        return
    outer = folded(first.this.args["alias"].this) if first.this.args.get("alias") else None

    def meant(node: exp.Expression) -> exp.Expression:
        if isinstance(node, exp.Column) and not isinstance(node.this, exp.Star) and (not node.args.get("table") or folded(node.args["table"]) == outer):
            found = names.get(folded(node.this))
            if found is not None:
                return found.copy()
            return exp.column(node.this.copy()) if starred else node
        if isinstance(node, exp.Column) and isinstance(node.this, exp.Star) and node.args.get("table") and folded(node.args["table"]) == outer:
            return exp.Star()
        return node

    kept = []
    for item in select.expressions:
        # What is selected keeps its name.
        if isinstance(item, exp.Column) and not isinstance(item.this, exp.Star):
            kept.append(exp.alias_(meant(item), folded(item.this), quoted=True))
        else:
            kept.append(item.transform(meant))
    select.set("expressions", kept)
    for part in ("where", "group", "having", "order"):
        if select.args.get(part) is not None:
            select.set(part, select.args[part].transform(meant))
    if inner.args.get("where") is not None:
        select.where(inner.args["where"].this.copy(), copy=False)
    select.set("from_", inner.args["from_"])
    select.set("joins", inner.args.get("joins"))


def is_name(table: exp.Expression, known: frozenset[str]) -> bool:
    """Whether a table is a name of WITH."""
    return isinstance(table, exp.Table) and not table.args.get("db") and isinstance(table.this, exp.Identifier) and folded(table.this) in known
