"""What differs between two policy documents: models, roles, shelves, pages and promises, item by item."""

from typing import Any, Literal

from moorland.core.bundle.shape import Shape

#: The lists that change in the draft and act by release (product.md).
Released = Literal["models", "roles", "shelves", "pages", "promises"]
RELEASED_LISTS: tuple[Released, ...] = ("models", "roles", "shelves", "pages", "promises")


class Difference(Shape):
    """One part of an item that differs: its path inside the item, and both values."""

    path: str
    before: Any
    after: Any


class ItemChange(Shape):
    """An item added, removed or changed."""

    kind: Released
    name: str
    label: str
    change: Literal["added", "removed", "changed"]
    differences: list[Difference]


def differences(before: dict[str, Any], after: dict[str, Any]) -> list[ItemChange]:
    """The changes that lead from one policy document to another, in the order of the lists."""
    changes: list[ItemChange] = []
    for key in RELEASED_LISTS:
        old = {item["name"]: item for item in before.get(key, [])}
        new = {item["name"]: item for item in after.get(key, [])}
        for name in sorted(old.keys() | new.keys()):
            first, second = old.get(name), new.get(name)
            if first == second:
                continue
            kind: Literal["added", "removed", "changed"] = "added" if first is None else "removed" if second is None else "changed"
            found = list(_parts("", first, second)) if kind == "changed" else []
            label = (second or first or {}).get("label") or name
            changes.append(ItemChange(kind=key, name=name, label=label, change=kind, differences=found))
    return changes


def _parts(path: str, before: Any, after: Any) -> list[Difference]:
    """The smallest parts that differ; sentences and other list items are compared whole."""
    if before == after:
        return []
    if isinstance(before, dict) and isinstance(after, dict):
        return [part for key in dict.fromkeys([*before, *after]) for part in _parts(f"{path}.{key}".lstrip("."), before.get(key), after.get(key))]
    if isinstance(before, list) and isinstance(after, list) and all(isinstance(item, dict) for item in [*before, *after]):
        gone = [item for item in before if item not in after]
        come = [item for item in after if item not in before]
        pairs = [(gone[index] if index < len(gone) else None, come[index] if index < len(come) else None) for index in range(max(len(gone), len(come)))]
        return [Difference(path=path, before=old, after=new) for old, new in pairs]
    return [Difference(path=path, before=before, after=after)]
