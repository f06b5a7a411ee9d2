"""Sign-in rules: what a password has to be, how long it and a session last, and whether a second factor is asked for (accounts.md 7)."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from typing import Annotated, Any, Literal

from django.http import HttpRequest
from django.utils import timezone
from pydantic import Field

from moorland.core.bundle.problems import Problem
from moorland.core.bundle.shape import Name, Shape
from moorland.server.access.models import SecondFactor, StoredRules
from moorland.server.directory.models import Account, Organization
from moorland.server.errors import Failure, from_document

#: The ways to come in by oneself. Services come in by tokens.
Way = Literal["password"]
FactorRule = Literal["off", "offered", "required"]


class OrganizationRules(Shape):
    """What is otherwise in an organization and all below it; what is null is as above it."""

    organization: Name
    expiry_days: Annotated[int, Field(ge=1, le=3_650)] | Literal["never"] | None = None
    second_factor: FactorRule | None = None
    ways: list[Way] | None = Field(default=None, max_length=5)
    door: bool | None = None


class SignInRules(Shape):
    """The rules of the workspace, and what is otherwise in some organizations. Days and minutes that are null put no bound."""

    least_length: int = Field(default=10, ge=8, le=128)
    reuse: int = Field(default=0, ge=0, le=24)
    expiry_days: int | None = Field(default=None, ge=1, le=3_650)
    attempts: int = Field(default=8, ge=3, le=20)
    pause_minutes: int = Field(default=15, ge=1, le=1_440)
    session_hours: int = Field(default=12, ge=1, le=720)
    idle_minutes: int | None = Field(default=None, ge=5, le=10_080)
    second_factor: FactorRule = "offered"
    #: Whether people come in by the query door, with door keys (channels.md 13.1).
    door: bool = True
    organizations: list[OrganizationRules] = Field(default_factory=list, max_length=500)

    def within(self, chain: list[str]) -> "PersonalRules":
        """The rules for somebody in an organization; `chain` names it and those above it, nearest first."""
        named = {item.organization: item for item in self.organizations}
        near = [named[name] for name in chain if name in named]
        expiry = next((item.expiry_days for item in near if item.expiry_days is not None), self.expiry_days)
        return PersonalRules(
            expiry_days=None if expiry == "never" else expiry,
            second_factor=next((item.second_factor for item in near if item.second_factor is not None), self.second_factor),
            ways=next((item.ways for item in near if item.ways is not None), ["password"]),
            session_hours=self.session_hours,
            door=next((item.door for item in near if item.door is not None), self.door),
        )


@dataclass(frozen=True)
class PersonalRules:
    """The rules for one person."""

    expiry_days: int | None
    second_factor: FactorRule
    ways: list[Way]
    session_hours: int
    door: bool


class Stops(Shape):
    """Whom rules would stop today at their next sign-in: those who have to change their password, or set a second factor up first, and those
    for whom no way in is left. `unknown` are organizations that are not there (any more)."""

    password: list[str]
    second_factor: list[str]
    no_way: list[str]
    unknown: list[str]


def rules() -> SignInRules:
    """The rules in force."""
    stored = StoredRules.objects.first()
    return from_document(SignInRules, stored.document) if stored is not None else SignInRules()


def rules_of(account: Account, asked: SignInRules | None = None) -> PersonalRules:
    """The rules for one person, by the organization they are in now."""
    found = asked or rules()
    return found.within(_chains()(account.organization_id) if found.organizations else [])


def _chains() -> Callable[[int | None], list[str]]:
    """Names an organization and those above it, nearest first."""
    tree = {key: (name, parent) for key, name, parent in Organization.objects.values_list("pk", "name", "parent_id")}

    def chain(key: int | None) -> list[str]:
        found: list[str] = []
        while key is not None and tree[key][0] not in found:
            name, key = tree[key]
            found.append(name)
        return found

    return chain


def refuse_way(account: Account, way: Way) -> None:
    """Raises Failure (403) where somebody does not come in this way; told only to who has shown that they could."""
    if way not in rules_of(account).ways:
        raise Failure(403, "way_closed", "Your organization does not sign in with passwords.")


def shut_out() -> set[int]:
    """The organizations from which nobody comes in by a password."""
    found = rules()
    if not any(item.ways is not None for item in found.organizations):
        return set()
    chain = _chains()
    return {key for key in Organization.objects.values_list("pk", flat=True) if "password" not in found.within(chain(key)).ways}


def attempts_allowed(request: HttpRequest | None, credentials: dict[str, Any] | None) -> int:
    """How many wrong passwords one address may try for one account; axes asks."""
    return rules().attempts


def pause(request: HttpRequest | None = None) -> timedelta:
    """How long whoever tried too often has to wait; axes asks."""
    return timedelta(minutes=rules().pause_minutes)


def too_many_attempts() -> str:
    """What anybody is told who has to wait, whatever the account."""
    minutes = rules().pause_minutes
    wait = "a quarter of an hour" if minutes == 15 else "a minute" if minutes == 1 else f"{minutes} minutes"
    return f"Too many attempts. Wait {wait}, then try again."


def password_is_over(account: Account, asked: PersonalRules) -> bool:
    """Whether a password has to be changed at the next sign-in."""
    if account.must_change_password:
        return True
    if asked.expiry_days is None or account.password_never_expires:
        return False
    # Where nothing says since when a password is in use, it counts from the last sign-in.
    since = account.password_set_at or account.last_login or timezone.now()
    return since < timezone.now() - timedelta(days=asked.expiry_days)


def factor_is_missing(account: Account, asked: PersonalRules) -> bool:
    """Whether a second factor has to be set up."""
    return asked.second_factor == "required" and not SecondFactor.objects.filter(account=account, confirmed=True).exists()


def stopped_by(asked: SignInRules) -> Stops:
    """Whom rules would stop today; told before they are saved."""
    able = [account for account in Account.objects.filter(enabled=True, kind="person") if account.has_usable_password()]
    with_factor = set(SecondFactor.objects.filter(confirmed=True).values_list("account_id", flat=True))
    chain = _chains()
    personal = [(account, asked.within(chain(account.organization_id))) for account in able]
    known = set(Organization.objects.values_list("name", flat=True))
    return Stops(
        password=[account.login for account, own in personal if password_is_over(account, own)],
        second_factor=[account.login for account, own in personal if own.second_factor == "required" and account.pk not in with_factor],
        no_way=[account.login for account, own in personal if not own.ways],
        unknown=[item.organization for item in asked.organizations if item.organization not in known],
    )


def refuse_organizations(asked: SignInRules) -> None:
    """Raises Failure (422) where rules name an organization twice, or one that is not there."""
    names = [item.organization for item in asked.organizations]
    known = set(Organization.objects.values_list("name", flat=True))
    for index, name in enumerate(names):
        wrong = f"There is no organization named {name}." if name not in known else f"{name} stands twice." if name in names[:index] else None
        if wrong:
            raise Failure(422, "invalid", wrong, [Problem("invalid", wrong, path=f"organizations[{index}].organization")])
