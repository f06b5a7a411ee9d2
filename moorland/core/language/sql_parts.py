"""The smallest pieces of SQL that rendering is put together from."""

from sqlglot import exp


class NotInSql(Exception):
    """Says what cannot be answered in SQL yet."""


def number(value: float) -> exp.Expression:
    """A number as a literal, negative ones in parentheses."""
    written = exp.Literal.number(repr(abs(value)))
    return exp.Paren(this=exp.Neg(this=written)) if value < 0 else written


def text(value: str) -> exp.Expression:
    """A text as a literal."""
    return exp.Literal.string(value)


def function(name: str, *arguments: exp.Expression) -> exp.Expression:
    """A call, written as it is."""
    return exp.Anonymous(this=name, expressions=[argument.copy() for argument in arguments])


def cast(value: exp.Expression, type_: str) -> exp.Expression:
    """A cast to a type of the dialect."""
    return exp.Cast(this=value, to=exp.DataType.build(type_, udt=True))


def never() -> exp.Expression:
    """A condition that is false, whatever the dialect has for FALSE."""
    return exp.EQ(this=number(1), expression=number(0))


def always() -> exp.Expression:
    """A condition that is true, whatever the dialect has for TRUE."""
    return exp.EQ(this=number(1), expression=number(1))


def is_null(value: exp.Expression) -> exp.Expression:
    """`value IS NULL`."""
    return exp.Is(this=exp.Paren(this=value.copy()), expression=exp.Null())
