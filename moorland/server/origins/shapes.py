"""What an origin is, and what the addresses of origins take and give."""

import datetime
from typing import Annotated, Literal
from urllib.parse import urlsplit

from pydantic import Field, StringConstraints, field_validator, model_validator

from moorland.core.bundle.shape import Name, Shape
from moorland.core.insight.impacts import ViewerImpact
from moorland.server.schedules.shapes import When

Distinguished = Annotated[str, Field(max_length=1000)]
#: The name of an attribute in a directory (RFC 4512): letters, digits, hyphens, or a dotted number.
Described = Annotated[str, StringConstraints(pattern=r"^([A-Za-z][A-Za-z0-9-]*|\d+(\.\d+)+)$", max_length=120)]
Maybe = Annotated[str, StringConstraints(pattern=r"^([A-Za-z][A-Za-z0-9-]*|\d+(\.\d+)+)?$", max_length=120)]
Filter = Annotated[str, Field(min_length=3, max_length=2000)]
Said = Annotated[str, Field(min_length=1, max_length=200)]


class ListedGroup(Shape):
    """A group of an origin that fills a group here; `entry` is its key there, `name` what it is called there.

    A group that carries duties is filled only where `duties` says so.
    """

    entry: Annotated[str, Field(min_length=1, max_length=400)]
    name: Annotated[str, Field(max_length=400)]
    group: Name
    duties: bool = False


class Bounds(Shape):
    """Beyond what a run is held until somebody looks: so many people gaining or losing a role (losing a limit is a gain), and so many percent gone."""

    gain: int = Field(default=5, ge=0, le=100_000)
    lose: int = Field(default=20, ge=0, le=100_000)
    gone_percent: int = Field(default=20, ge=0, le=100)


class PeopleThere(Shape):
    """Where people are in a directory, and which of their attributes says what. What is blank is not said by it."""

    base: Distinguished
    filter: Filter = "(objectClass=inetOrgPerson)"
    key: Described = "entryUUID"
    login: Described = "uid"
    name: Described = "cn"
    email: Maybe = "mail"
    organization: Maybe = ""
    #: Values of attributes here, by the attribute there that gives them.
    attributes: dict[Name, Described] = Field(default_factory=dict, max_length=100)


class GroupsThere(Shape):
    """Where groups are in a directory; `member` holds distinguished names (member, uniqueMember) or logins (memberUid)."""

    base: Distinguished
    filter: Filter = "(objectClass=groupOfNames)"
    key: Described = "entryUUID"
    name: Described = "cn"
    member: Described = "member"


class OriginBase(Shape):
    """What every origin has: groups it fills, and bounds."""

    name: Name
    label: Annotated[str, Field(max_length=200)] = ""
    listed: list[ListedGroup] = Field(default_factory=list, max_length=2_000)
    bounds: Bounds = Field(default_factory=Bounds)

    @property
    def title(self) -> str:
        """How it is called in sentences."""
        return self.label or self.name

    @model_validator(mode="after")
    def _listed_once(self) -> "OriginBase":
        if len({item.entry for item in self.listed}) != len(self.listed):
            raise ValueError("a group of an origin fills one group here")
        if len({item.group for item in self.listed}) != len(self.listed):
            raise ValueError("a group here is filled by one group of an origin")
        return self


class LdapText(OriginBase):
    """A directory that is asked (RFC 4511): people are read from it by schedule, and may sign in by its passwords."""

    kind: Literal["ldap"] = "ldap"
    host: Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9._:-]+$", max_length=253)]
    port: int | None = Field(default=None, ge=1, le=65_535)
    security: Literal["ldaps", "starttls", "none"] = "ldaps"
    #: Who vouches for the server's certificate (PEM), where the machine does not know.
    certificate: Annotated[str, Field(max_length=100_000)] = ""
    bind: Distinguished = ""
    people: PeopleThere
    #: Where people are at home for whom the directory names no organization.
    home: Name | None = None
    groups: GroupsThere | None = None
    sign_in: bool = True
    when: When | None = None

    @property
    def says(self) -> set[str]:
        """The fields it alone says."""
        there = self.people
        said = {"login", "name", *({"email"} if there.email else ()), *({"organization"} if there.organization or self.home else ())}
        return said | {f"attribute:{name}" for name in there.attributes}


#: A path in a user of RFC 7643: an attribute, one within another, or one of an extension.
Path = Annotated[str, StringConstraints(pattern=r"^(urn:[A-Za-z0-9:.\-]+:)?[A-Za-z][A-Za-z0-9_$-]*(\.[A-Za-z][A-Za-z0-9_$-]*)?$", max_length=300)]


class ScimText(OriginBase):
    """A client that provisions people here (RFC 7643, 7644), by tokens."""

    kind: Literal["scim"] = "scim"
    organization: Path | None = None
    home: Name | None = None
    attributes: dict[Name, Path] = Field(default_factory=dict, max_length=100)

    @property
    def says(self) -> set[str]:
        """The fields it alone says."""
        said = {"login", "name", "email", *({"organization"} if self.organization or self.home else ())}
        return said | {f"attribute:{name}" for name in self.attributes}


class OidcText(OriginBase):
    """A provider by which people sign in (OpenID Connect, code flow with PKCE)."""

    kind: Literal["oidc"] = "oidc"
    issuer: Annotated[str, Field(min_length=8, max_length=500)]
    client_id: Annotated[str, Field(min_length=1, max_length=300)]
    scopes: Annotated[list[Said], Field(max_length=20)] = Field(default_factory=lambda: ["openid", "profile", "email"])
    login: Said = "preferred_username"
    display_name: Said = "name"
    groups: Annotated[str, Field(max_length=200)] = ""
    organization: Annotated[str, Field(max_length=200)] = ""
    home: Name | None = None
    attributes: dict[Name, Said] = Field(default_factory=dict, max_length=100)
    #: Whether somebody who signs in first gets an account by it.
    creates: bool = True

    @field_validator("issuer")
    @classmethod
    def _by_tls(cls, issuer: str) -> str:
        parts = urlsplit(issuer)
        near = parts.hostname in ("localhost", "127.0.0.1", "::1")
        if parts.scheme not in (("https", "http") if near else ("https",)) or not parts.hostname or parts.query or parts.fragment:
            raise ValueError("an issuer is an https address")
        return issuer.rstrip("/")

    @property
    def says(self) -> set[str]:
        """The fields it alone says."""
        said = {"login", "name", "email", *({"organization"} if self.organization or self.home else ())}
        return said | {f"attribute:{name}" for name in self.attributes}


OriginText = Annotated[LdapText | ScimText | OidcText, Field(discriminator="kind")]


class OriginDocument(Shape):
    """The stored form of an origin."""

    origin: OriginText


class OriginSave(Shape):
    """An origin to keep. `secret` left out stays; null as version makes a new one."""

    origin: OriginText
    secret: Annotated[str, Field(max_length=1000)] | None = None
    enabled: bool = True
    version: int | None = None


class OriginTry(Shape):
    """An origin as it is written, tried without being kept."""

    origin: OriginText
    secret: Annotated[str, Field(max_length=1000)] | None = None


RunState = Literal["running", "applied", "same", "held", "failed"]
RowOutcome = Literal["created", "changed", "unchanged", "gone", "refused"]


class ArrivedRow(Shape):
    """What becomes of a person; `taken` is the login of the account here that an entry collides with, and could be joined to."""

    key: str
    name: str
    outcome: RowOutcome
    changes: list[str] = Field(default_factory=list)
    why: str | None = None
    taken: str | None = None


class ArrivalReport(Shape):
    """What a run does or would do: counts, people by outcome, who gains and loses, and what of it is beyond the bounds."""

    counts: dict[str, int]
    rows: list[ArrivedRow]
    #: Rows beyond those told.
    more: int = 0
    notes: list[str] = Field(default_factory=list)
    viewers: list[ViewerImpact] = Field(default_factory=list)
    gained: list[str] = Field(default_factory=list)
    lost: list[str] = Field(default_factory=list)
    beyond: list[str] = Field(default_factory=list)
    broken: list[str] = Field(default_factory=list)
    fingerprint: str = ""


class OriginRunEntry(Shape):
    """A run, in words."""

    id: int
    began_at: datetime.datetime
    ended_at: datetime.datetime | None
    state: RunState
    message: str
    counts: dict[str, int]
    rows: list[ArrivedRow]


class OriginTokenEntry(Shape):
    """A token of a provisioning client, without the token."""

    id: int
    name: str
    made_at: datetime.datetime
    used_at: datetime.datetime | None


class UnlistedGroup(Shape):
    """A group that a provisioning client made and that fills no group here."""

    entry: str
    name: str
    members: int


class OriginEntry(Shape):
    """An origin as it stands."""

    origin: OriginText
    has_secret: bool
    enabled: bool
    version: int
    keeper: str | None
    people: int
    next_at: datetime.datetime | None
    running: bool
    trouble: str
    troubled_at: datetime.datetime | None
    #: Whether what comes one by one is held now, until somebody lets it through.
    holding: bool
    runs: list[OriginRunEntry]
    tokens: list[OriginTokenEntry] = Field(default_factory=list)
    groups: list[UnlistedGroup] = Field(default_factory=list)


class OriginList(Shape):
    """All origins; `hosts` are those a directory may be on, `ldap` says whether the client library is here."""

    origins: list[OriginEntry]
    hosts: list[str]
    ldap: bool
    time_zone: str


class FoundEntry(Shape):
    """A real entry of a directory, with the values its attributes give."""

    where: str
    values: dict[str, list[str]]


class FoundGroup(Shape):
    """A real group of a directory, with how many people it holds, nested ones resolved."""

    entry: str
    name: str
    where: str
    members: int
    inner: int


class OriginTried(Shape):
    """What a directory answers to an origin as it is written: whether it is reached, what is found, and what is wrong in a sentence."""

    reached: bool
    message: str
    bases: list[str] = Field(default_factory=list)
    people: list[FoundEntry] = Field(default_factory=list)
    count: int | None = None
    attributes: list[str] = Field(default_factory=list)
    groups: list[FoundGroup] = Field(default_factory=list)
    problems: list[str] = Field(default_factory=list)


class JoinRequest(Shape):
    """That an entry is the person of an account here."""

    entry: Annotated[str, Field(min_length=1, max_length=400)]
    login: Name


class RunRequest(Shape):
    """A run now; `accepted` is the fingerprint of what was looked at, which is applied although it is beyond the bounds."""

    accepted: Annotated[str, Field(max_length=64)] | None = None


class TokenMade(Shape):
    """A token, shown this one time."""

    token: str


class TokenRequest(Shape):
    """What a token is for."""

    name: Said
