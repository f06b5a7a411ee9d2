"""Which models an account keeps, and which of their contents are not its to bring (accounts.md 2, 3)."""

from collections.abc import Iterable

from rest_framework.request import Request

from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.refreshing import RefreshReport
from moorland.server.duties.permission import request_rights
from moorland.server.duties.rights import outside
from moorland.server.errors import missing
from moorland.server.evaluating import evaluator


def refuse_model(request: Request, model: str) -> None:
    """Raises Failure (404) where a model is not in the scope of a duty over models; a new one has to be named there, or all are."""
    if not request_rights(request).reaches("models", model=model):
        raise missing("model", model)


def sees_all(request: Request, model: str) -> bool:
    """Whether an account may look at everybody in a model with values: then samples and lists of all its data may be shown to it."""
    return request_rights(request).reaches("look-values", everyone=True, model=model)


def without_values(report: RefreshReport) -> RefreshReport:
    """What a refresh would change, without values of columns and without what anybody gains or loses."""
    return report.model_copy(update={"columns": [], "new_columns": [], "doubts": [], "keys": None, "relationships": [], "no_longer_fits": [], "viewers": []})


def readers_of(base: Evaluator, model: str, table: str) -> list[str]:
    """The roles of a model whose sentences look people up in a table."""
    return [
        name
        for name, role in base.roles.items()
        if role.role.model == model and any(sentence.entitlement and sentence.entitlement.through == table for _, sentence in role.role.acting)
    ]


def refuse_content(request: Request, model: str, tables: Iterable[str]) -> None:
    """Raises Failure (403) where sentences look people up in a table: its content says who sees what, as a mapping does."""
    rights = request_rights(request)
    for table in tables:
        for base in (evaluator("draft"), evaluator("live")):
            if readers_of(base, model, table) and not rights.whole("map"):
                raise outside(f"Sentences look people up in {table}. Its content is brought by who may map every role to everybody.")
