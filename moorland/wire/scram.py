"""SCRAM-SHA-256 (RFC 5802, RFC 7677) on the side of the door: who holds a key proves it, and only a verifier is kept."""

import base64
import hashlib
import hmac
import secrets
from dataclasses import dataclass

ROUNDS = 4096
PLAIN, BOUND = "SCRAM-SHA-256", "SCRAM-SHA-256-PLUS"


class NotProved(Exception):
    """The key was not proved, or what was sent is no step of it."""


@dataclass(frozen=True)
class Verifier:
    """What is kept of a key: it proves the key, and does not tell it."""

    salt: bytes
    stored: bytes
    server: bytes
    rounds: int = ROUNDS


def verifier_of(key: str, salt: bytes | None = None) -> Verifier:
    """The verifier of a key. Keys are of plain signs, so that nothing has to be prepared (RFC 4013)."""
    salt = salt if salt is not None else secrets.token_bytes(16)
    salted = hashlib.pbkdf2_hmac("sha256", key.encode(), salt, ROUNDS)
    return Verifier(salt, hashlib.sha256(_hmac(salted, b"Client Key")).digest(), _hmac(salted, b"Server Key"))


def made_up(user: str, secret: bytes) -> Verifier:
    """For a login that is not known: a salt that stays the same, the usual rounds, and nothing that any key would prove."""
    salt = _hmac(secret, b"salt of " + user.encode())[:16]
    return Verifier(salt, secrets.token_bytes(32), secrets.token_bytes(32))


class Exchange:
    """One sign-in, step by step. `binding` is the hash of the certificate where the connection is encrypted (RFC 5929, tls-server-end-point)."""

    def __init__(self, verifier: Verifier, mechanism: str, binding: bytes | None = None) -> None:
        self._verifier, self._mechanism, self._binding = verifier, mechanism, binding
        self._said, self._nonce, self._header = "", "", ""

    def first(self, came: bytes) -> bytes:
        """The answer to the client's first message. Raises NotProved."""
        parts = _text(came).split(",")
        if len(parts) < 4 or not parts[3].startswith("r=") or len(parts[3]) < 10 or parts[2].startswith("m="):
            raise NotProved
        flag = parts[0]
        if self._mechanism == BOUND and (flag != "p=tls-server-end-point" or self._binding is None):
            raise NotProved
        # A client that believes there was no binding, where it was offered, was lied to on the way.
        if self._mechanism == PLAIN and (flag not in ("n", "y") or (flag == "y" and self._binding is not None)):
            raise NotProved
        self._header = f"{flag},{parts[1]},"
        self._nonce = parts[3][2:] + secrets.token_urlsafe(18)
        answer = f"r={self._nonce},s={base64.b64encode(self._verifier.salt).decode()},i={self._verifier.rounds}"
        self._said = ",".join(parts[2:]) + "," + answer
        return answer.encode()

    def last(self, came: bytes) -> bytes:
        """The answer to the client's proof. Raises NotProved."""
        without, _, proof = _text(came).rpartition(",p=")
        parts = without.split(",")
        bound = self._header.encode() + (self._binding or b"" if self._mechanism == BOUND else b"")
        if parts[0] != f"c={base64.b64encode(bound).decode()}" or parts[1:2] != [f"r={self._nonce}"]:
            raise NotProved
        said = f"{self._said},{without}".encode()
        signature = _hmac(self._verifier.stored, said)
        try:
            given = base64.b64decode(proof, validate=True)
        except ValueError:
            raise NotProved from None
        if len(given) != len(signature):
            raise NotProved
        key = bytes(one ^ other for one, other in zip(given, signature, strict=True))
        if not hmac.compare_digest(hashlib.sha256(key).digest(), self._verifier.stored):
            raise NotProved
        return b"v=" + base64.b64encode(_hmac(self._verifier.server, said))


def _hmac(key: bytes, said: bytes) -> bytes:
    return hmac.new(key, said, hashlib.sha256).digest()


def _text(came: bytes) -> str:
    try:
        return came.decode()
    except UnicodeDecodeError:
        raise NotProved from None
