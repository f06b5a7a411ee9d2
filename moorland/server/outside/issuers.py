"""What an issuer can be kept with, wherever it comes from: the interface or a bundle (channels.md 15.1)."""

from collections.abc import Iterable

import jwt
from jwt import PyJWK

from moorland.core.bundle.problems import Problem
from moorland.server.errors import Failure
from moorland.server.outside.shapes import IssuerText


def refuse_signing(text: IssuerText, new_secret: bool, has_secret: bool) -> None:
    """Raises Failure (422) where tokens of an issuer could not be proved: a key set or a public key, or for HMAC a secret, and just one of these."""
    if text.signing == "HS256":
        if text.keys is not None or text.public_key is not None:
            raise wrong("signing", "Tokens signed with a shared secret have no public key.")
        if not new_secret and not has_secret:
            raise wrong("secret", "Write the secret both sides sign with, of at least 32 signs.")
    elif new_secret:
        raise wrong("secret", "Only HS256 has a secret; for the others write a key set or a public key.")
    elif (text.keys is None) == (text.public_key is None):
        raise wrong("keys", "Write either a key set (JWKS) or a public key.")
    else:
        _refuse_keys(text)


def refuse_taken(text: IssuerText, logins: Iterable[str]) -> None:
    """Raises Failure (422) where an account has a login that an outside viewer of the issuer would have."""
    prefix = f"{text.name}:"
    taken = next((login for login in logins if login.startswith(prefix)), None)
    if taken is not None:
        raise wrong("name", f"The account {taken} has a login that outside viewers of {text.name} would have. Choose another name.")


def _refuse_keys(text: IssuerText) -> None:
    """Raises Failure (422) where the keys are none that tokens can be proved by."""
    algorithm = jwt.get_algorithm_by_name(text.signing)
    try:
        if text.public_key is not None:
            if "PRIVATE" in text.public_key:
                raise wrong("public_key", "This is a private key. It belongs to the issuer only; write its public key.")
            algorithm.prepare_key(text.public_key)
            return
        keys = (text.keys or {}).get("keys")
        if not isinstance(keys, list) or not keys or len(keys) > 20:
            raise wrong("keys", "A key set holds between one and twenty keys.")
        for key in keys:
            if not isinstance(key, dict) or "d" in key or "kid" not in key or key.get("kty") == "oct":
                raise wrong("keys", "Each key of the set is public and has a kid.")
            PyJWK(key, algorithm=text.signing)
    except (jwt.PyJWTError, ValueError, TypeError, KeyError):
        raise wrong("public_key" if text.public_key else "keys", f"This is no public key for {text.signing}.") from None


def wrong(path: str, message: str) -> Failure:
    return Failure(422, "invalid", message, [Problem("invalid", message, path=path)])
