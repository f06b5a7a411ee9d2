"""Settings of sources that depend on who asks: their values for somebody, and for whom they would fail (sources.md 17.2, 17.3)."""

from collections.abc import Callable, Iterable, Mapping

from moorland.core.bundle.sources import Source
from moorland.core.engine.by_viewer import content_of
from moorland.core.engine.evaluator import Evaluator
from moorland.core.people import Viewer
from moorland.server.errors import Failure
from moorland.server.sources.shapes import ChosenSetting, SourceContent

#: So many combinations of values are tried.
MOST_TRIED = 64
#: So many people of one combination are named.
MOST_NAMED = 20


def settings_of(base: Evaluator, source: Source, viewer: Viewer) -> list[ChosenSetting]:
    """What stands in a source's settings for somebody, and where each value comes from."""
    values = content_of(base.bundle, source.attributes, viewer)
    return [ChosenSetting(attribute=name, value=value, whence=_whence(viewer, name)) for name, value in values.items()]


def values_of(settings: Iterable[ChosenSetting]) -> dict[str, str]:
    """The values that are set."""
    return {item.attribute: item.value for item in settings if item.value is not None}


def missing_for(name: str, settings: Iterable[ChosenSetting]) -> str | None:
    """What is not set for somebody, in a sentence; None where everything is."""
    lacking = [item for item in settings if item.value is None]
    if not lacking:
        return None
    conflict = any(item.whence == "in conflict" for item in lacking)
    names = " and ".join(f"viewer.{item.attribute}" for item in lacking)
    how = "set otherwise by several groups" if conflict else "not set"
    return f"For {name}, {names} {'is' if len(lacking) == 1 else 'are'} {how}: no row of this source is theirs."


def for_everyone(
    base: Evaluator, source: Source, models: set[str], knows: Callable[[Viewer], bool], tried: Callable[[Mapping[str, str]], str | None]
) -> list[SourceContent]:
    """Every combination of values that people have who hold a role on one of the models (everybody, where there is none), and whether it is reached.

    Those that fail come first. `tried` gives what a combination fails with; people whom an account does not know are counted, not named.
    """
    people: dict[tuple[tuple[str, str | None], ...], list[Viewer]] = {}
    for viewer in base.everyone():
        if viewer.enabled and (not models or any(base.roles[name].role.model in models for name in viewer.held)):
            people.setdefault(tuple(content_of(base.bundle, source.attributes, viewer).items()), []).append(viewer)
    found = []
    for place, (values, viewers) in enumerate(people.items()):
        lacking = [name for name, value in values if value is None]
        message: str | None
        if lacking:
            message = f"{' and '.join(f'viewer.{name}' for name in lacking)} {'is' if len(lacking) == 1 else 'are'} not set."
        elif place >= MOST_TRIED:
            message = f"Not tried: more than {MOST_TRIED} combinations."
        else:
            message = tried({name: value for name, value in values if value is not None})
        logins = [viewer.login or "" for viewer in viewers if knows(viewer)][:MOST_NAMED]
        found.append(
            SourceContent(values=dict(values), people=len(viewers), logins=logins, works=message is None, message=message or "Reached, and its tables fit.")
        )
    return sorted(found, key=lambda item: (item.works, -item.people))


def somebodys_values(base: Evaluator, source: Source) -> dict[str, str]:
    """The values of the first person for whom all are set: as whom a source is looked at where nobody is named. Raises Failure where there is nobody."""
    if not source.attributes:
        return {}
    for viewer in base.everyone():
        values = content_of(base.bundle, source.attributes, viewer)
        if viewer.enabled and None not in values.values():
            return {name: value for name, value in values.items() if value is not None}
    names = " and ".join(f"viewer.{name}" for name in source.attributes)
    raise Failure(422, "invalid", f"Where {source.name} is depends on {names}, which is set for nobody. Set it for somebody first.")


def _whence(viewer: Viewer, name: str) -> str:
    resolution = viewer.attributes.get(name)
    if resolution is None:
        return "not set"
    if resolution.conflict:
        return "in conflict"
    rungs = [rung for rung in resolution.ladder if rung.decides]
    words = {"own": "the person", "locked": "locked by the organization", "default": "the default"}
    return ", ".join(" ".join(filter(None, (words.get(rung.kind, f"the {rung.kind}"), rung.name if rung.kind != "own" else ""))) for rung in rungs) or "not set"
