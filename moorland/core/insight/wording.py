"""Sentences of roles in a few words, for explanations that quote what decides."""

from typing import assert_never

from moorland.core.bundle.policy import Sentence
from moorland.core.engine.mask_kinds import mask_kind
from moorland.core.language.tokens import without_literals


def said(sentence: Sentence, literals: bool = True) -> str:
    """What a sentence says, as the end of "it …"; without `literals` every text and number of a condition reads …."""
    told = str if literals else without_literals
    match sentence.kind:
        case "rows":
            assert sentence.rows is not None
            return f"keeps {sentence.rows.table} where {told(sentence.rows.where)}"
        case "members":
            assert sentence.members is not None
            return f"keeps members of {sentence.members.hierarchy}"
        case "entitlement":
            assert sentence.entitlement is not None
            return f"keeps {sentence.entitlement.table} that {sentence.entitlement.through} names"
        case "mask":
            assert sentence.mask is not None
            when = f" when {told(sentence.mask.when)}" if sentence.mask.when else ""
            return f"shows {sentence.mask.column} as {mask_kind(sentence.mask.with_).name}{when}"
        case "objects":
            assert sentence.objects is not None
            hidden = [f"hides {', '.join(sentence.objects.hide)}"] if sentence.objects.hide else []
            shown = [f"shows {', '.join(sentence.objects.show)}"] if sentence.objects.show else []
            rest = ["hides all else"] if sentence.objects.default == "hidden" else []
            return " and ".join([*hidden, *shown, *rest])
        case "beneath":
            assert sentence.beneath is not None
            return f"says what is listed of {', '.join(sentence.beneath.tables)}"
        case "change":
            assert sentence.change is not None
            return f"says what may be changed in {sentence.change.table}"
        case "pages":
            return "says which pages may be opened"
        case _:
            assert_never(sentence.kind)
