"""The small workspace of the server's tests, beside directories and providers that run."""

from collections.abc import Iterator

import pytest

from demo import slapd
from demo.slapd import Slapd, at, group, group_at, person
from tests.server.conftest import as_user, boss, workspace

__all__ = ["as_user", "boss", "workspace"]


@pytest.fixture
def directory(monkeypatch: pytest.MonkeyPatch) -> Iterator[Slapd]:
    """A directory with a few people, and groups in groups."""
    monkeypatch.setenv("MOORLAND_SOURCE_HOSTS", "localhost,127.0.0.1")
    entries = [
        person("ida", "Ida Fell", departmentNumber=["fell"], o="leaf"),
        person("jon", "Jon Marsh", departmentNumber=["marsh", "fell"], o="leaf"),
        person("kim", "Kim Dale", o="root"),
        group("wardens", at("ida"), group_at("seniors")),
        group("seniors", at("kim"), group_at("wardens")),
        group("nobody", at("gone")),
    ]
    with slapd.running_slapd(entries) as running:
        yield running
