"""Which types go together, and what functions and casts give (semantics.md 1.1, 1.3, 4.2)."""

from moorland.core.language import tree
from moorland.core.language.errors import ConditionError

_NUMERIC = ("integer", "number", "null")
_CASTS = {
    "text": ("text", "integer", "number", "boolean", "date", "timestamp"),
    "integer": ("text", "integer", "number"),
    "number": ("text", "integer", "number"),
    "boolean": ("text", "boolean"),
    "date": ("text", "date", "timestamp"),
    "timestamp": ("text", "date", "timestamp"),
}


def is_numeric(type_: str) -> bool:
    """Whether arithmetic takes the type."""
    return type_ in _NUMERIC


def comparable(left: str, right: str, equality: bool) -> bool:
    """Whether two types may be compared; booleans only for equality (12.7)."""
    if "null" in (left, right):
        other = right if left == "null" else left
        return equality or other != "boolean"
    if left == right:
        return equality or left != "boolean"
    return is_numeric(left) and is_numeric(right)


def common_type(types: list[str]) -> str | None:
    """The one type that values of all these types have, or None; integer and number give number."""
    known = {type_ for type_ in types if type_ != "null"}
    if len(known) <= 1:
        return known.pop() if known else "null"
    return "number" if known == {"integer", "number"} else None


def check_call(node: tree.Call, types: list[str]) -> str:
    """The type a function gives. Raises ConditionError on a wrong number or type of arguments."""

    def expect(minimum: int, maximum: int, *allowed: tuple[str, ...]) -> None:
        if not minimum <= len(types) <= maximum:
            count = str(minimum) if minimum == maximum else f"{minimum} to {maximum}"
            raise ConditionError("arguments", f"{node.function} takes {count} values, not {len(types)}.", node.start, node.end)
        for type_, valid, argument in zip(types, allowed, node.arguments, strict=False):
            if type_ not in (*valid, "null"):
                raise ConditionError("type", f"{node.function} takes {' or '.join(valid)} here, not {type_}.", argument.start, argument.end)

    match node.function:
        case "LOWER" | "UPPER" | "TRIM":
            expect(1, 1, ("text",))
            return "text"
        case "CHAR_LENGTH":
            expect(1, 1, ("text",))
            return "integer"
        case "SUBSTRING":
            expect(2, 3, ("text",), ("integer",), ("integer",))
            return "text"
        case "ABS":
            expect(1, 1, ("integer", "number"))
            return "number" if types[0] == "null" else types[0]
        case "ROUND":
            expect(1, 2, ("integer", "number"), ("integer",))
            return "number" if types[0] == "null" else types[0]
        case _:
            expect(2 if node.function == "NULLIF" else 1, 2 if node.function == "NULLIF" else 50)
            result = common_type(types)
            if result is None:
                raise ConditionError("type", f"the values of {node.function} have different types.", node.start, node.end)
            return types[0] if node.function == "NULLIF" else result


def check_cast(node: tree.Cast, type_: str) -> None:
    """Raises ConditionError where no cast leads from the type to the one wanted."""
    if type_ != "null" and node.to not in _CASTS[type_]:
        raise ConditionError("type", f"{type_} cannot be cast to {node.to}.", node.start, node.end)
