"""What is kept and told of issuers, and of what outside viewers are shown (channels.md 15)."""

from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints

from moorland.core.bundle.people import AttributeValue
from moorland.core.bundle.shape import Name, Scalar, Shape
from moorland.server.viewing.page_shapes import PageAnswer

IssuerName = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]*$", max_length=60)]
Origin = Annotated[str, StringConstraints(pattern=r"^https?://[A-Za-z0-9.\[\]:-]+$", max_length=200)]
Sub = Annotated[str, StringConstraints(pattern=r"^\S(.*\S)?$", min_length=1, max_length=100)]
#: How tokens may be signed: with a private key, or, named, with a secret both know.
Signing = Literal["ES256", "EdDSA", "RS256", "PS256", "HS256"]
LONGEST_SECONDS = 600


class AttributeBound(Shape):
    """What an issuer may say of an attribute: any value, or some."""

    attribute: Name
    values: list[Scalar] | None = Field(default=None, max_length=2_000)


class IssuerText(Shape):
    """What an issuer is, and what its tokens may say. `keys` is a JSON Web Key Set, `public_key` one key as PEM; HMAC has neither."""

    name: IssuerName
    label: str = Field(default="", max_length=200)
    audience: str = Field(min_length=1, max_length=200)
    signing: Signing = "ES256"
    keys: dict[str, Any] | None = None
    public_key: str | None = Field(default=None, max_length=10_000)
    origins: list[Origin] = Field(min_length=1, max_length=20)
    pages: list[Name] = Field(min_length=1, max_length=200)
    groups: list[Name] = Field(default_factory=list, max_length=200)
    attributes: list[AttributeBound] = Field(default_factory=list, max_length=50)
    organization: Name | None = None
    everyone: bool = False
    longest_seconds: int = Field(default=300, ge=30, le=LONGEST_SECONDS)


class IssuerWriting(Shape):
    """An issuer to keep; `secret` is for HMAC only, and is never told again. `version` is the one that was read; null makes a new one."""

    text: IssuerText
    secret: str | None = Field(default=None, min_length=32, max_length=500)
    version: int | None = None
    enabled: bool = True


class IssuerEntry(Shape):
    """An issuer as it is kept."""

    text: IssuerText
    version: int
    enabled: bool
    has_secret: bool
    last_used_at: str | None
    #: What it names that is not there any more.
    missing: list[str]


class IssuerList(Shape):
    """All issuers."""

    issuers: list[IssuerEntry]


class OutsideTry(Shape):
    """Somebody imagined, as an issuer would vouch for them, before a page."""

    page: Name
    sub: Sub
    groups: list[Name] = Field(default_factory=list, max_length=200)
    attributes: dict[str, AttributeValue] = Field(default_factory=dict)


class OutsideTried(Shape):
    """The token that would be sent, the page as that viewer has it, and as an administrator has it; or why the token is refused."""

    token: str
    refused: str | None
    seen: PageAnswer | None
    whole: PageAnswer | None
    roles: list[str]
