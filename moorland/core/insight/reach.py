"""Everyone at once: the classes of people who see exactly the same (semantics.md 11.5).

What a person sees is hashed from rows or strata, for many people together; nobody is compared with anybody.
"""

from collections.abc import Iterable, Sequence
from typing import Any

from moorland.core.bundle.shape import Name, Shape
from moorland.core.collector import collector_paused
from moorland.core.engine.distinct_views import Alike
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.opening import answer_pages
from moorland.core.engine.through_strata import on_strata
from moorland.core.insight.model_reach import STATES, Looked, ModelReach, Progress, ReachClass, Seen, TableName
from moorland.core.people import Viewer


class Reach(Shape):
    """The classes in the order of their first logins, and what they are told about, named with its model.

    `sensitive` are columns with a mask or hidden by some role, or with a sensitive tag. A column of which no cell is seen is hidden.
    """

    tables: list[TableName]
    columns: list[str]
    measures: list[str]
    classes: list[ReachClass]
    sensitive: list[str]


def as_document(found: Reach) -> list[dict[str, Any]]:
    """The classes with every name written out, as `moorland reach --json` prints them."""
    return [
        {
            "logins": item.logins,
            "roles": item.roles,
            "tables": {table.name: {"rows": rows, "of": item.of.get(table.name, table.of)} for table, rows in zip(found.tables, item.rows, strict=True)},
            "columns": {name: STATES[letter] for name, letter in zip(found.columns, item.states, strict=True)},
            "measures": {name: rows for name, rows in zip(found.measures, item.counted, strict=True) if rows is not None},
            "pages": item.pages,
            "export": item.export,
        }
        for item in found.classes
    ]


@on_strata
@collector_paused()
def reach(evaluator: Evaluator, model: Name | None = None, progress: Progress | None = None) -> Reach:
    """The classes of all enabled people, over one model or all."""
    firsts = [same.first for same in evaluator.alike]
    names = [name for name in evaluator.models if model in (None, name)]
    found = [Seen() for _ in firsts]
    looked = Looked([len(same.logins) for same in evaluator.alike], len(names), progress)
    seen_as = [(evaluator, viewer) for viewer in firsts]
    tables = [table for name in names for table in _look_at_model(name, seen_as, found, looked, evaluator)]
    for viewer, one in zip(firsts, found, strict=True):
        _look_at_pages(evaluator, viewer, one)
    by_class: dict[bytes, tuple[Seen, list[Alike]]] = {}
    for same, one in zip(evaluator.alike, found, strict=True):
        by_class.setdefault(one.digest, (one, []))[1].append(same)
    classes = [one.as_class(people) for one, people in by_class.values()]
    schemas = [(name, evaluator.models[name].schema) for name in names]
    return Reach(
        tables=tables,
        columns=[f"{name}.{table}.{column.name}" for name, schema in schemas for table, shape in schema.tables.items() for column in shape.columns],
        measures=[f"{name}.{measure}" for name in names for measure in evaluator.models[name].measures],
        classes=sorted(classes, key=lambda item: item.logins[0]),
        sensitive=sensitive_columns(evaluator, names),
    )


def fingerprints(seen_as: Sequence[tuple[Evaluator, Viewer]], models: Iterable[str]) -> list[bytes]:
    """What each of some people sees of some models and all pages, each under an evaluator over the same data, as a hash.

    Two hashes of one call are equal just where the people are of one class (11.5); hashes of two calls are not comparable.
    """
    found = [Seen() for _ in seen_as]
    looked = Looked([1] * len(seen_as), 1, None)
    for name in models:
        _look_at_model(name, seen_as, found, looked, seen_as[0][0])
    for (evaluator, viewer), one in zip(seen_as, found, strict=True):
        _look_at_pages(evaluator, viewer, one)
    return [one.digest for one in found]


def _look_at_model(name: str, seen_as: Sequence[tuple[Evaluator, Viewer]], found: Sequence[Seen], looked: Looked, evaluator: Evaluator) -> list[TableName]:
    """Notes what each of some people sees of a model; where its sources depend on who asks, of each content among those who read it (sources.md 17.2)."""
    if name not in evaluator.choosing:
        return ModelReach(evaluator, name).look(seen_as, found, looked)
    parts: dict[object, list[int]] = {}
    routed = [(on.of(viewer, name), viewer) for on, viewer in seen_as]
    for place, (on, viewer) in enumerate(routed):
        if on.is_known(viewer, name):
            parts.setdefault(on.content, []).append(place)
        else:
            found[place].of_nothing(name, evaluator)
            looked.add([place])
    told: list[list[TableName]] = []
    for content, places in parts.items():
        for place in places:
            found[place].note("content", content)
        told.append(ModelReach(routed[places[0]][0], name).look([routed[p] for p in places], [found[p] for p in places], looked.among(places)))
        for place in places:
            found[place].of.update({table.name: table.of for table in told[-1]})
    if not told:
        return ModelReach(evaluator, name).look([], [], looked)
    return [TableName(name=same[0].name, of=max(table.of for table in same)) for same in zip(*told, strict=True)]


def sensitive_columns(evaluator: Evaluator, models: Iterable[str]) -> list[str]:
    """Columns with a tag that marks what is sensitive, or that some role masks or hides by name, tag, folder or default."""
    found, sensitive = set[str](), set(evaluator.bundle.sensitive_tags)
    for name in models:
        schema = evaluator.models[name].schema
        tables = [table for table in schema.tables.values() if not table.quarantine]
        found |= {f"{name}.{table.name}.{column.name}" for table in tables for column in table.columns if sensitive.intersection(column.tags)}
        for role in (role for role in evaluator.roles.values() if role.role.model == name):
            found |= {f"{name}.{mask.column[0]}.{mask.column[1]}" for mask in role.masks}
            hides = any(sentence.objects for _, sentence in role.role.acting)
            if role.objects is not None and hides:
                hidden = {key for key in schema.columns if key not in role.objects.columns and key[0] in role.objects.tables}
                found |= {f"{name}.{table}.{column}" for table, column in hidden if not schema.columns[table, column].quarantine}
    return sorted(found)


def _look_at_pages(evaluator: Evaluator, viewer: Viewer, found: Seen) -> None:
    answer = answer_pages(evaluator.bundle.pages, evaluator.bundle.shelves, evaluator.opening(viewer))
    found.pages, found.export = answer.open, answer.export
    found.note("pages", answer.open, answer.edit, answer.publish, answer.export, answer.create or [])
