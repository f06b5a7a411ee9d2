"""What falls under a role because of what it hides: measures, hierarchies, cubes, exhibits of pages and whole pages (semantics.md 5.5, 10.3)."""

from collections.abc import Iterator
from typing import Literal

from moorland.core.bundle.shape import Shape
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.objects import NOTHING, Objects
from moorland.core.insight.exhibits import missing_for


class Fallen(Shape):
    """Something absent under a role although the role does not name it, and the absent things it needs.

    Of a page, `needs` are its exhibits; a page falls when none of them is left.
    """

    kind: Literal["measure", "hierarchy", "cube", "exhibit", "page"]
    name: str
    label: str
    page: str | None = None
    needs: list[str]


def fallen(evaluator: Evaluator, role: str) -> list[Fallen]:
    """What falls under a role of a model; nothing for a role of pages only."""
    compiled = evaluator.roles[role]
    name = compiled.role.model
    if name is None or name not in evaluator.models:
        return []
    objects = compiled.objects or NOTHING
    mentioned = {item for _, sentence in compiled.role.acting if sentence.objects for item in sentence.objects.hide}
    return [item for item in [*_of_model(evaluator, name, objects), *_of_pages(evaluator, name, objects)] if f"{item.kind}:{item.name}" not in mentioned]


def _of_model(evaluator: Evaluator, name: str, objects: Objects) -> Iterator[Fallen]:
    compiled = evaluator.models[name]
    schema = compiled.schema
    for measure in schema.model.measures:
        checked = compiled.measures[measure.name]
        needs = [*(table for table in sorted(checked.tables) if table not in objects.tables), *_missing(checked.inputs, objects)]
        if measure.name not in objects.measures and needs:
            yield Fallen(kind="measure", name=measure.name, label=measure.title, needs=needs)
    for hierarchy in schema.model.hierarchies:
        needs = _missing({(hierarchy.table, column) for column in hierarchy.columns}, objects)
        if hierarchy.name not in objects.hierarchies and needs:
            yield Fallen(kind="hierarchy", name=hierarchy.name, label=hierarchy.title, needs=needs)
    for cube in schema.model.cubes:
        needs = [measure for measure in cube.measures if measure not in objects.measures]
        if cube.name not in objects.cubes and len(needs) == len(cube.measures):
            yield Fallen(kind="cube", name=cube.name, label=cube.title, needs=needs)


def _of_pages(evaluator: Evaluator, name: str, objects: Objects) -> Iterator[Fallen]:
    for page in evaluator.bundle.pages:
        if page.model != name:
            continue
        gone = [(place, exhibit, needs) for place, exhibit in enumerate(page.exhibits) if (needs := missing_for(evaluator, name, exhibit, objects))]
        for place, exhibit, needs in gone:
            yield Fallen(kind="exhibit", name=f"{page.name}#{place}", label=exhibit.title, page=page.title, needs=needs)
        if gone and len(gone) == len(page.exhibits):
            yield Fallen(kind="page", name=page.name, label=page.title, needs=[exhibit.title for _, exhibit, _ in gone])


def _missing(columns: "set[tuple[str, str]] | frozenset[tuple[str, str]]", objects: Objects) -> list[str]:
    return [f"{table}.{column}" for table, column in sorted(columns - objects.columns)]
