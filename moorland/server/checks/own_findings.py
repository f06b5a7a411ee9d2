"""Findings about the workspace itself, which no bundle holds: who alone may do something."""

from collections.abc import Iterator

from moorland.core.bundle.duties import ActName
from moorland.core.insight.findings.finding import Finding
from moorland.server.directory.models import Account
from moorland.server.duties.rights import holding

#: Acts that come to a stand where their only holder is away, and what they are.
NEEDED: dict[ActName, str] = {"settings": "keep the settings", "release": "release", "people": "keep people"}


def own_findings() -> Iterator[Finding]:
    """Duties with one holder alone."""
    for act, what in NEEDED.items():
        able = list(Account.objects.filter(pk__in=holding(act), enabled=True, kind="person").values_list("name", flat=True)[:2])
        if len(able) == 1:
            yield Finding(
                kind="duty_with_one_holder",
                weight="middle",
                path="duties",
                message=f"Only {able[0]} may {what}.",
                remedy="Give a second person the duty, so that nothing waits while they are away.",
            )
