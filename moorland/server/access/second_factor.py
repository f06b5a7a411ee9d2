"""The second factor: codes by time (RFC 6238), each taken once, and recovery codes for when the device is lost (accounts.md 7)."""

import hashlib
import hmac
import logging
import secrets
import time

import pyotp
import segno
from cryptography.fernet import InvalidToken
from django.conf import settings
from django.db import transaction

from moorland.server.access.models import SecondFactor
from moorland.server.directory.models import Account
from moorland.server.keys import sealing_keys

_log = logging.getLogger(__name__)
#: Codes of so many steps of 30 seconds before and after are taken: clocks differ.
STEPS_AROUND = 1
RECOVERY_CODES = 10


def begun(account: Account, workspace: str) -> tuple[str, str]:
    """A new secret, not yet in force: as an address for an authenticator, and that as a picture."""
    secret = pyotp.random_base32()
    sealed = sealing_keys(settings.SEALING_KEYS).encrypt(secret.encode()).decode()
    SecondFactor.objects.update_or_create(account=account, confirmed=False, defaults={"sealed": sealed, "recovery": [], "last_step": 0})
    address = pyotp.TOTP(secret).provisioning_uri(name=account.login, issuer_name=workspace)
    return address, segno.make(address, error="m").svg_data_uri(scale=4, border=2)


def confirmed(account: Account, code: str) -> list[str] | None:
    """Puts the factor in force with its first code; the recovery codes, shown this one time. None where the code is not right."""
    with transaction.atomic():
        factor = SecondFactor.objects.filter(account=account, confirmed=False).first()
        if factor is None or not _taken(factor, code):
            return None
        codes = [f"{secrets.token_hex(2)}-{secrets.token_hex(2)}-{secrets.token_hex(2)}" for _ in range(RECOVERY_CODES)]
        factor.recovery = [_hashed(item) for item in codes]
        factor.confirmed = True
        factor.save()
    return codes


def is_asked(account: Account) -> bool:
    """Whether the account signs in with a second factor."""
    return SecondFactor.objects.filter(account=account, confirmed=True).exists()


def passes(account: Account, code: str) -> bool:
    """Whether a code, or a recovery code, is right; each is taken once."""
    with transaction.atomic():
        factor = SecondFactor.objects.filter(account=account, confirmed=True).first()
        if factor is None:
            return False
        found = _hashed(code.strip().casefold())
        if any(hmac.compare_digest(found, kept) for kept in factor.recovery):
            factor.recovery = [kept for kept in factor.recovery if kept != found]
            factor.save(update_fields=["recovery"])
            return True
        return _taken(factor, code)


def _taken(factor: SecondFactor, code: str) -> bool:
    """Whether a code is that of a step around now, and of one later than the last that was taken."""
    written = "".join(code.split())
    if len(written) != 6 or not written.isdigit():
        return False
    try:
        clock = pyotp.TOTP(sealing_keys(settings.SEALING_KEYS).decrypt(factor.sealed.encode()).decode())
    except InvalidToken:
        _log.error("A second factor cannot be opened with the keys in %s; no code passes.", settings.SEALING_KEYS)
        return False
    now = int(time.time()) // clock.interval
    for step in range(now - STEPS_AROUND, now + STEPS_AROUND + 1):
        if step > factor.last_step and hmac.compare_digest(clock.generate_otp(step), written):
            factor.last_step = step
            factor.save(update_fields=["last_step"])
            return True
    return False


def _hashed(code: str) -> str:
    return hashlib.sha256(code.encode()).hexdigest()
