"""Proper tables for people, because searching, importing and synchronizing work on them."""

from typing import Any, Self

from django.contrib.auth.base_user import AbstractBaseUser, BaseUserManager
from django.db import models
from django.utils import timezone

from moorland.core.bundle.structure import identity
from moorland.server.documents import Versioned, VersionedDocument


class Organization(Versioned):
    """A node of the tree of organizations; `attributes` maps names to {value, locked}, `sealed` holds those that are secret (secret_values)."""

    name = models.CharField(max_length=200, unique=True)
    label = models.CharField(max_length=200, blank=True)
    parent = models.ForeignKey("self", null=True, blank=True, on_delete=models.PROTECT, related_name="children")
    attributes = models.JSONField(default=dict)
    sealed = models.TextField(blank=True, default="")
    about = models.TextField(blank=True)
    keeper = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["name"]


class AttributeDefinition(VersionedDocument):
    """The validated document of an attribute's definition."""


class Accounts(BaseUserManager["Account"]):
    """Finds accounts by login, without letter case and surrounding spaces."""

    def create_account(self, login: str, name: str, password: str | None = None, **more: Any) -> "Account":
        """A saved account; without a password nobody can sign in to it."""
        account = self.model(login=login, name=name, **more)
        if password is None:
            account.set_unusable_password()
        else:
            account.set_password(password)
        account.save()
        return account

    def by_identity(self, login: str) -> "Account | None":
        """The account of a login as somebody types it."""
        return self.filter(login_identity=identity(login)).first()


class Account(Versioned, AbstractBaseUser):
    """A user (semantics.md 2.1) and, with a password, somebody who can sign in."""

    login = models.CharField(max_length=200, unique=True)
    login_identity = models.CharField(max_length=200, unique=True, editable=False)
    name = models.CharField(max_length=200)
    email = models.CharField(max_length=254, null=True, blank=True)
    email_identity = models.CharField(max_length=254, null=True, unique=True, editable=False)
    organization = models.ForeignKey(Organization, null=True, blank=True, on_delete=models.PROTECT, related_name="accounts")
    kind = models.CharField(max_length=10, default="person")
    enabled = models.BooleanField(default=True)
    attributes = models.JSONField(default=dict)
    sealed = models.TextField(blank=True, default="")
    about = models.TextField(blank=True)
    keeper = models.CharField(max_length=200, blank=True)
    #: The first and last day on which the account is good; outside of them it is as disabled.
    first_day = models.DateField(null=True)
    last_day = models.DateField(null=True)
    password_set_at = models.DateTimeField(null=True)
    must_change_password = models.BooleanField(default=False)
    password_never_expires = models.BooleanField(default=False)
    keeps_password = models.BooleanField(default=False)
    email_set_at = models.DateTimeField(null=True)

    USERNAME_FIELD = "login"
    EMAIL_FIELD = "email"
    REQUIRED_FIELDS = ["name"]
    objects = Accounts()

    class Meta:
        ordering = ["login"]

    @property
    def is_active(self) -> bool:  # type: ignore[override]
        """Django's word for enabled."""
        return self.enabled

    def good_today(self) -> bool:
        """Whether the account is enabled, and today one of its days, by the clock of the server."""
        today = timezone.now().date()
        return self.enabled and (self.first_day is None or self.first_day <= today) and (self.last_day is None or today <= self.last_day)

    def identified(self) -> Self:
        """The account with the identities by which uniqueness is decided."""
        self.login_identity = identity(self.login)
        self.email_identity = identity(self.email) if self.email else None
        return self

    def save(self, *args: Any, **kwargs: Any) -> None:
        """Keeps the identities by which uniqueness is decided."""
        self.identified()
        super().save(*args, **kwargs)


class Group(Versioned):
    """Users and groups treated alike (semantics.md 2.2)."""

    name = models.CharField(max_length=200, unique=True)
    label = models.CharField(max_length=200, blank=True)
    priority = models.IntegerField(null=True, blank=True)
    enabled = models.BooleanField(default=True)
    attributes = models.JSONField(default=dict)
    sealed = models.TextField(blank=True, default="")
    about = models.TextField(blank=True)
    keeper = models.CharField(max_length=200, blank=True)
    users = models.ManyToManyField(Account, related_name="in_groups")
    groups = models.ManyToManyField("self", symmetrical=False, related_name="inside")

    class Meta:
        ordering = ["name"]


class Invitation(models.Model):
    """A link by which somebody sets a password once. Only a hash of what stands in the link is kept."""

    account = models.ForeignKey(Account, on_delete=models.CASCADE, related_name="invitations")
    token_hash = models.CharField(max_length=64, unique=True)
    expires_at = models.DateTimeField()
