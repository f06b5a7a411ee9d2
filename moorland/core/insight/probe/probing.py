"""The probe: what a viewer, or one of each class of viewers, could work out (docs/testing.md, Probe)."""

from collections.abc import Callable, Iterable

from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Refused
from moorland.core.engine.unanswered import LeftInPlace
from moorland.core.insight.probe.deducing import Deducing
from moorland.core.insight.probe.doors import doors
from moorland.core.insight.probe.equations import equations_of
from moorland.core.insight.probe.quantities import Asking, quantities
from moorland.core.insight.probe.shapes import Find, ViewerProbe
from moorland.core.insight.reach import reach
from moorland.core.people import Viewer

#: Told how many viewers have been looked at, of how many.
Progress = Callable[[int, int], None]


def probe(evaluator: Evaluator, viewer: Viewer, models: Iterable[str] | None = None, same: Iterable[str] = ()) -> ViewerProbe:
    """What one viewer could work out, over some models or all; what would need the rows of a table left in place is said to be left out (sources.md 18.4)."""
    found: list[Find] = []
    left_out: list[str] = []
    not_used: list[str] = []
    questions = equations = unknowns = 0
    for name in evaluator.models if models is None else models:
        try:
            model = evaluator.viewer_model(viewer, name)
        except Refused:
            continue
        compiled = evaluator.models[name].measures
        told, unused = quantities(compiled[measure] for measure in sorted(model.objects.measures) if measure in compiled)
        not_used.extend(unused)
        for quantity in told:
            try:
                system = equations_of(Asking(evaluator, model, quantity))
            except LeftInPlace as left:
                left_out.append(f"{quantity.told[0].measure.name}: {left}")
                continue
            questions += system.questions
            left_out.extend(system.left_out)
            if not system.terms:
                continue
            deducing = Deducing(system)
            found.extend(deducing.finds())
            left_out.extend(deducing.left_out)
            equations += len(deducing.equations.terms)
            unknowns += len(deducing.system.classes)
        try:
            found.extend(doors(evaluator, viewer, model))
        except LeftInPlace as left:
            left_out.append(f"what other tables and columns tell: {left}")
    return ViewerProbe(
        viewer=viewer.login or "an imagined viewer",
        same=list(same),
        questions=questions,
        equations=equations,
        unknowns=unknowns,
        found=found,
        left_out=left_out,
        not_used=sorted(set(not_used)),
    )


def probe_classes(evaluator: Evaluator, models: Iterable[str] | None = None, progress: Progress | None = None) -> list[ViewerProbe]:
    """One viewer of each class of people who see exactly the same (11.5), in login order."""
    classes = reach(evaluator).classes
    found = []
    for done, item in enumerate(classes):
        found.append(probe(evaluator, evaluator.viewer(item.logins[0]), models, item.logins[1:]))
        if progress is not None:
            progress(done + 1, len(classes))
    return found
