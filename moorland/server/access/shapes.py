"""What the addresses of accounts' own affairs, tokens and sign-in rules take and give."""

from typing import Annotated

from pydantic import Field

from moorland.core.bundle.people import AttributeDefinition, AttributeValue
from moorland.core.bundle.shape import Name, Shape
from moorland.core.insight.impacts import ViewerImpact
from moorland.server.access.rules import SignInRules, Stops
from moorland.server.access.tokens import TokenScope
from moorland.server.duties.shapes import AccountRights

ShortText = Annotated[str, Field(min_length=1, max_length=200)]
Code = Annotated[str, Field(max_length=40)]


class SessionEntry(Shape):
    """A session that is open; `own` is the one that asks."""

    id: int
    began_at: str
    seen_at: str
    address: str
    agent: str
    own: bool


class TokenEntry(Shape):
    """A token, without what stands in it."""

    id: int
    login: str
    name: str
    scope: TokenScope
    created_at: str
    expires_at: str | None
    last_used_at: str | None


class OwnRole(Shape):
    """A role somebody holds, how, and until when (null: without end)."""

    label: str
    kind: str
    held_by: list[str]
    until: str | None


class OwnAttribute(Shape):
    """A value of one's own; `editable` is whether one may change it oneself."""

    definition: AttributeDefinition
    value: AttributeValue
    editable: bool


class OwnAccount(Shape):
    """Everything somebody keeps of their own account, and what they hold."""

    login: str
    name: str
    email: str | None
    organization: str | None
    version: int
    attributes: list[OwnAttribute]
    roles: list[OwnRole]
    rights: AccountRights
    sessions: list[SessionEntry]
    tokens: list[TokenEntry]
    second_factor: bool
    second_factor_rule: str
    recovery_left: int
    keeps_password: bool


class OwnChange(Shape):
    """A change of one's own account; what is left out stays, an attribute set to null is cleared."""

    version: int
    name: ShortText | None = None
    email: Annotated[str, Field(max_length=254)] | None = None
    attributes: dict[str, AttributeValue] = Field(default_factory=dict)


class OwnImpact(Shape):
    """Whether what one sees changes by it."""

    viewers: list[ViewerImpact]


class NewToken(Shape):
    """A token to make, for so many days (null: without end)."""

    name: Annotated[str, Field(min_length=1, max_length=100)]
    scope: TokenScope
    days: int | None = Field(default=90, ge=1, le=3_650)


class NewTokenOf(NewToken):
    """A token to make for a service."""

    login: Name


class MadeToken(Shape):
    """A token, shown this one time."""

    token: str
    entry: TokenEntry


class TokenList(Shape):
    """Tokens, newest first."""

    tokens: list[TokenEntry]


class FactorBegun(Shape):
    """A second factor that is not yet in force: its address for an authenticator, and the same as a picture."""

    address: str
    picture: str


class FactorCode(Shape):
    """A code of the authenticator."""

    code: Code


class RecoveryCodes(Shape):
    """Codes for when the device is lost, each good once; shown this one time."""

    codes: list[str]


class FactorEnd(Shape):
    """The password, to take the second factor away."""

    password: Annotated[str, Field(max_length=1_000)]


class RulesAnswer(Shape):
    """The sign-in rules, whom they stop today, and the workspace they are of."""

    rules: SignInRules
    version: int
    stops: Stops
    workspace: str
    time_zone: str
    sensitive_tags: list[str]
    trail_days: int | None
    second_person: list[str]
    mail: bool


class RulesSave(Shape):
    """Rules to save."""

    rules: SignInRules
    version: int


class WorkspaceSave(Shape):
    """The name and time zone of the workspace, and the tags that mark what is sensitive (left out: as they are)."""

    name: ShortText
    time_zone: Annotated[str, Field(min_length=1, max_length=60)]
    sensitive_tags: Annotated[list[Name], Field(max_length=50)] | None = None
    #: For so many days the trail is kept; null: for good. Left out: as it is.
    trail_days: Annotated[int, Field(ge=30, le=36_500)] | None = None
    #: Models whose changes a second person approves before a release; `*` for every release. Left out: as it is.
    second_person: Annotated[list[Name], Field(max_length=200)] | None = None
