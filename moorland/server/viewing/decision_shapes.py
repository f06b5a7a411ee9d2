"""What the addresses of decisions take and give: the OpenID AuthZEN Authorization API 1.0. What it does not define is passed over."""

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

#: So many decisions may be asked for at once, and so many results a search gives at once.
MOST_DECISIONS = 1000


class Open(BaseModel):
    """Fields beyond those named are allowed, and say nothing."""

    model_config = ConfigDict(extra="ignore")


class Subject(Open):
    """Who: a `user`, by login."""

    type: str = Field(max_length=100)
    id: str | None = Field(default=None, max_length=200)
    properties: dict[str, Any] = Field(default_factory=dict)


class Action(Open):
    """What is to be done; new values of a row stand in `properties.set`."""

    name: str = Field(max_length=100)
    properties: dict[str, Any] = Field(default_factory=dict)


class Resource(Open):
    """With what: a page, model, table, column, measure or row, by its id; a search for rows names their table in `properties.table`."""

    type: str = Field(max_length=100)
    id: str | None = Field(default=None, max_length=1000)
    properties: dict[str, Any] = Field(default_factory=dict)


class EvaluationRequest(Open):
    """One decision. With `context.reasons` true, who may look is told which layer decides."""

    subject: Subject
    action: Action
    resource: Resource
    context: dict[str, Any] = Field(default_factory=dict)


class PartOfEvaluation(Open):
    """One of many decisions: what is left out is as in the request around it."""

    subject: Subject | None = None
    action: Action | None = None
    resource: Resource | None = None
    context: dict[str, Any] | None = None


class EvaluationOptions(Open):
    """Whether all are decided, or no more after the first denial or permission."""

    evaluations_semantic: Literal["execute_all", "deny_on_first_deny", "permit_on_first_permit"] = "execute_all"


class EvaluationsRequest(PartOfEvaluation):
    """Many decisions at once; without `evaluations`, one."""

    evaluations: list[PartOfEvaluation] = Field(default_factory=list, max_length=MOST_DECISIONS)
    options: EvaluationOptions = Field(default_factory=EvaluationOptions)


class Decision(BaseModel):
    """Yes or no; what is not known, out of scope or hidden is no."""

    decision: bool
    context: dict[str, Any] | None = None


class Decisions(BaseModel):
    """The decisions, in the order asked."""

    evaluations: list[Decision]


class SearchPart(Open):
    """Which part of the results."""

    token: str | None = Field(default=None, pattern=r"^\d{0,9}$")
    limit: int = Field(default=MOST_DECISIONS, ge=1, le=MOST_DECISIONS)


class SubjectSearch(Open):
    """Who may do something with a resource?"""

    subject: Subject
    action: Action
    resource: Resource
    page: SearchPart = Field(default_factory=SearchPart)


class ResourceSearch(Open):
    """With what may somebody do something?"""

    subject: Subject
    action: Action
    resource: Resource
    page: SearchPart = Field(default_factory=SearchPart)


class ActionSearch(Open):
    """What may somebody do with a resource?"""

    subject: Subject
    resource: Resource
    page: SearchPart = Field(default_factory=SearchPart)


class Found(BaseModel):
    """A subject, resource or action that was found."""

    type: str | None = None
    id: str | None = None
    name: str | None = None


class FoundPage(BaseModel):
    """The token of the next part (empty: there is none), how many are here, and how many in all."""

    next_token: str
    count: int
    total: int


class Results(BaseModel):
    """What was found, sorted."""

    results: list[Found]
    page: FoundPage
