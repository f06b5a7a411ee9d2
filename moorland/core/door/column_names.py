"""What something selected without AS is called."""

from sqlglot import exp

from moorland.core.door.relations import folded


def spoken(item: exp.Expression) -> str:
    """The name of an expression: that of its function, or none."""
    if isinstance(item, exp.Column):
        return folded(item.this)
    if isinstance(item, exp.Cast | exp.Paren | exp.Filter | exp.Window):
        return spoken(item.this)
    if isinstance(item, exp.Case):
        return "case"
    if isinstance(item, exp.Anonymous):
        return str(item.this).lower()
    return item.sql_name().lower() if isinstance(item, exp.Func) and not isinstance(item, exp.Connector | exp.Predicate) else "?column?"
