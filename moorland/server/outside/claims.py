"""Tokens of issuers: proved, and held to what their issuer may say (RFC 7519; channels.md 15.2)."""

import datetime
import hashlib
from dataclasses import dataclass
from typing import Any

import jwt
from django.conf import settings
from django.db import IntegrityError, transaction
from django.utils import timezone
from jwt import PyJWK
from pydantic import Field, ValidationError

from moorland.core.bundle.people import AttributeValue, ImaginedPerson, ImaginedViewer
from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.shape import Name, Shape
from moorland.core.bundle.values import typed_value
from moorland.core.engine.evaluator import Evaluator
from moorland.core.people import Viewer
from moorland.server.errors import from_document
from moorland.server.keys import sealing_keys
from moorland.server.outside.models import Issuer, UsedToken
from moorland.server.outside.shapes import IssuerText, Sub

#: Clocks differ by so many seconds.
LEEWAY = 5
MOST_SIGNS = 8_000
#: What a token may hold; a claim beyond it refuses the whole token.
_KNOWN = frozenset(("iss", "aud", "sub", "exp", "nbf", "iat", "jti", "groups", "moorland"))


class NotVouched(Exception):
    """A token that is not taken; the sentence is for the trail and for who keeps the issuer, never for the frame."""

    def __init__(self, message: str, issuer: Issuer | None = None) -> None:
        self.message, self.issuer = message, issuer
        super().__init__(message)


class Claims(Shape):
    """What a token says of somebody."""

    sub: Sub
    groups: list[Name] = Field(default_factory=list, max_length=200)
    attributes: dict[str, AttributeValue] = Field(default_factory=dict)


@dataclass(frozen=True)
class Vouched:
    """Somebody an issuer vouches for, until when (seconds since 1970)."""

    issuer: Issuer
    claims: Claims
    until: int


def text_of(issuer: Issuer) -> IssuerText:
    """What an issuer is."""
    return from_document(IssuerText, issuer.document)


def exchanged(token: str) -> Vouched:
    """Who a token vouches for; it is taken once. Raises NotVouched."""
    issuer = issuer_of(token)
    vouched, jti = proved(token, issuer, _key(issuer, token))
    with transaction.atomic():
        UsedToken.objects.filter(until__lt=timezone.now() - datetime.timedelta(seconds=2 * LEEWAY)).delete()
        try:
            with transaction.atomic():
                until = datetime.datetime.fromtimestamp(vouched.until, tz=datetime.UTC)
                UsedToken.objects.create(issuer=issuer, token=hashlib.sha256(jti.encode()).hexdigest(), until=until)
        except IntegrityError:
            raise NotVouched("the token was used before", issuer) from None
        Issuer.objects.filter(pk=issuer.pk).update(last_used_at=timezone.now())
    return vouched


def issuer_of(token: str) -> Issuer:
    """The issuer a token says it is of; nothing of it is proved yet. Raises NotVouched."""
    if len(token) > MOST_SIGNS:
        raise NotVouched("the token is too long")
    try:
        said = jwt.decode(token, options={"verify_signature": False, "verify_exp": False, "verify_aud": False})
    except jwt.PyJWTError:
        raise NotVouched("this is no token") from None
    issuer = Issuer.objects.filter(name=str(said.get("iss", ""))[:60], enabled=True).first()
    if issuer is None:
        raise NotVouched("its issuer is not known here")
    return issuer


def _key(issuer: Issuer, token: str) -> Any:
    """What the token has to be signed with. Raises NotVouched."""
    text = text_of(issuer)
    if text.signing == "HS256":
        if not issuer.sealed:
            raise NotVouched("its issuer has no secret here", issuer)
        return sealing_keys(settings.SEALING_KEYS).decrypt(issuer.sealed.encode()).decode()
    if text.public_key is not None:
        return text.public_key
    wanted = jwt.get_unverified_header(token).get("kid")
    for key in (text.keys or {}).get("keys", []):
        if isinstance(key, dict) and wanted is not None and key.get("kid") == wanted:
            return PyJWK(key, algorithm=text.signing).key
    raise NotVouched("its key (kid) is not known here", issuer)


def proved(token: str, issuer: Issuer, key: Any, algorithm: str | None = None) -> tuple[Vouched, str]:
    """What a token says, signed with a key, within what its issuer may say; and its number (jti). Raises NotVouched."""
    text = text_of(issuer)
    required = {"require": ["exp", "jti", "sub", "aud", "iss"]}
    try:
        said = jwt.decode(token, key, algorithms=[algorithm or text.signing], audience=text.audience, issuer=text.name, leeway=LEEWAY, options=required)  # type: ignore[arg-type]
    except jwt.PyJWTError as wrong:
        raise NotVouched(_reason(wrong), issuer) from None
    except (ValueError, TypeError):
        raise NotVouched("its key does not fit how it is signed", issuer) from None
    now = int(timezone.now().timestamp())
    until = int(said["exp"])
    began = int(said.get("iat", said.get("nbf", now)))
    if until - min(began, now) > text.longest_seconds + LEEWAY:
        raise NotVouched(f"it is good for longer than {text.longest_seconds} seconds", issuer)
    return Vouched(issuer, _claims(said, text, issuer), until), str(said["jti"])[:200]


def _claims(said: dict[str, Any], text: IssuerText, issuer: Issuer) -> Claims:
    """What a token says of somebody. Raises NotVouched for anything its issuer may not say."""
    beyond = sorted(set(said) - _KNOWN)
    if beyond:
        raise NotVouched(f"its claim {beyond[0]} is not known here", issuer)
    try:
        claims = Claims(sub=said["sub"], groups=said.get("groups", []), attributes=said.get("moorland", {}))
    except (ValidationError, TypeError):
        raise NotVouched("its claims are not of the shape they have here", issuer) from None
    for group in claims.groups:
        if group not in text.groups:
            raise NotVouched(f"its issuer may not speak of the group {group}", issuer)
    bounds = {item.attribute: item.values for item in text.attributes}
    for name, value in claims.attributes.items():
        if name not in bounds:
            raise NotVouched(f"its issuer may not speak of the attribute {name}", issuer)
        allowed = bounds[name]
        values = value if isinstance(value, list) else [value]
        # True is not 1 here, and 1.0 is not 1.
        if allowed is not None and not {(type(item), item) for item in values} <= {(type(item), item) for item in allowed}:
            raise NotVouched(f"its issuer may not say this of the attribute {name}", issuer)
    return claims


def viewer_of(base: Evaluator, text: IssuerText, claims: Claims) -> Viewer:
    """Somebody vouched for, as an imagined viewer (2.7): with just what was said, in the organization of the issuer. Raises NotVouched."""
    login = f"{text.name}:{claims.sub}"
    if login in base.people.users:
        raise NotVouched("an account here has this login")
    person = ImaginedPerson(
        login=login, name=claims.sub, organization=text.organization, groups=claims.groups, attributes=claims.attributes, everyone=text.everyone
    )  # fmt: skip
    try:
        for name, value in claims.attributes.items():
            definition = base.people.definitions.get(name)
            if definition is None:
                raise NotVouched(f"the attribute {name} is not there any more")
            for item in value if isinstance(value, list) else [value]:
                if item is not None:
                    typed_value(item, definition.type)
            if isinstance(value, list) and not definition.multiple:
                raise NotVouched(f"the attribute {name} has one value")
        return base.viewer(ImaginedViewer(imagine=person))
    except BundleError as wrong:
        raise NotVouched(wrong.problems[0].sentence()) from None
    except ValueError:
        raise NotVouched("a value is not of the type of its attribute") from None


def _reason(wrong: jwt.PyJWTError) -> str:
    match wrong:
        case jwt.ExpiredSignatureError():
            return "it is over"
        case jwt.ImmatureSignatureError():
            return "it is not good yet"
        case jwt.InvalidAudienceError():
            return "it is for another audience"
        case jwt.InvalidIssuerError():
            return "it is of another issuer"
        case jwt.MissingRequiredClaimError():
            return f"it lacks {wrong.claim}"
        case jwt.InvalidAlgorithmError():
            return "it is signed in a way its issuer does not sign"
        case jwt.InvalidSignatureError():
            return "its signature is not of its issuer"
        case _:
            return "this is no token"
