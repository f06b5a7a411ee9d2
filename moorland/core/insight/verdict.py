"""What a trace comes to in one sentence, with the deciding words quoted (semantics.md 11.1)."""

from moorland.core.bundle.shape import Shape
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.trace import Reason, Trace, TraceLayer
from moorland.core.insight.wording import said

_LEADS = {"can": "Shown", "masked": "Shown in part", "cannot": "Withheld"}


class Verdict(Shape):
    """The sentence, the layer that decides, and the role and sentence quoted; `sentence` counts from 0."""

    message: str
    layer: str
    role: str | None = None
    sentence: int | None = None


def verdict(evaluator: Evaluator, trace: Trace) -> Verdict:
    """The deciding layer of a trace in one sentence."""
    layer = _deciding_layer(trace)
    # What opens a model is that a grant role is held at all; no words of one decide.
    reason = _deciding_reason(layer, trace.outcome) if layer.layer != "model" else None
    lead = _LEADS[trace.outcome]
    if reason is None:
        return Verdict(message=f"{lead}: {layer.message}", layer=layer.layer)
    words = f"{reason.label} {_words(evaluator, reason)}"
    cells = [f"{item.name} is {_told(item.value)}" for item in reason.compared[:3]]
    here = f", and here {_and(cells)}" if cells and trace.outcome != "can" else ""
    held = f" Held {'; '.join(reason.held_by)}." if trace.outcome != "cannot" and reason.held_by else ""
    return Verdict(message=f"{lead}: {words}{here}.{held}", layer=layer.layer, role=reason.role, sentence=reason.sentence)


def _deciding_layer(trace: Trace) -> TraceLayer:
    """The layer that stops, else the one that masks, else the last that says by whom it is opened."""
    for wanted in ("stops", "masked"):
        found = next((layer for layer in trace.layers if layer.verdict == wanted), None)
        if found is not None:
            return found
    opening = [layer for layer in trace.layers if layer.layer in ("page", "rows", "object", "model") and (layer.reasons or layer.layer == "rows")]
    by_depth = {layer.layer: layer for layer in opening}
    return next((by_depth[name] for name in ("page", "rows", "object", "model") if name in by_depth), trace.layers[-1])


def _deciding_reason(layer: TraceLayer, outcome: str) -> Reason | None:
    """Of what roles say, the words that decide: what opens it, or the first thing that fails under the role that fails least."""
    if outcome == "can":
        opening = [reason for reason in layer.reasons if reason.passes and reason.kind == "grant"]
        fewest = _fewest_failing(layer.reasons)
        return next((reason for reason in opening if reason.role == fewest), opening[0] if opening else None)
    failing = [reason for reason in layer.reasons if not reason.passes]
    fewest = _fewest_failing(failing)
    return next((reason for reason in failing if reason.role == fewest), None)


def _fewest_failing(reasons: list[Reason]) -> str | None:
    """The role of which least fails; ties by name."""
    counts: dict[str, int] = {}
    for reason in reasons:
        counts[reason.role] = counts.get(reason.role, 0) + (not reason.passes)
    return min(sorted(counts), key=lambda role: counts[role], default=None)


def _words(evaluator: Evaluator, reason: Reason) -> str:
    role = evaluator.roles.get(reason.role)
    if reason.sentence is None or role is None:
        return reason.message
    return said(role.role.sentences[reason.sentence])


def _told(value: object) -> str:
    if value is None:
        return "not set"
    return ", ".join(map(str, value)) or "empty" if isinstance(value, list) else str(value)


def _and(parts: list[str]) -> str:
    return parts[0] if len(parts) == 1 else f"{', '.join(parts[:-1])} and {parts[-1]}"
