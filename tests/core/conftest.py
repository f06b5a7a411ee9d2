"""A generated example that fails says by which command it is run again."""

import os
import re
import sys
from collections.abc import Generator
from typing import Any

import pytest
from hypothesis import reproduce_failure, settings

# A worker of a parallel run has no main module with a file; the Spark client takes that for its own doctests, and ends the process.
if not hasattr(sys.modules["__main__"], "__file__"):
    sys.modules["__main__"].__file__ = "pytest"

settings.register_profile("told", print_blob=True, deadline=None)
settings.load_profile("told")


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item, call: pytest.CallInfo[None]) -> Generator[None, Any, Any]:
    report = yield
    if report.failed and call.excinfo is not None and (command := again(item.nodeid, told(call.excinfo.value))):
        report.sections.append(("run it again with", command))
    return report


def told(failure: BaseException) -> str:
    """All that a failure says beside its message."""
    return "\n".join(getattr(failure, "__notes__", []))


def again(test: str, notes: str) -> str | None:
    """The command that runs one failing example again; None where it was not generated."""
    if found := re.search(r"\bseed=(\d+)", notes):
        return f"make seed TEST='{test}' SEED={found[1]}"
    if found := re.search(r"@reproduce_failure\('([\d.]+)', b'([^']+)'\)", notes):
        return f"make seed TEST='{test}' EXAMPLE={found[1]}:{found[2]}"
    return None


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    if "EXAMPLE" in os.environ:
        version, blob = os.environ["EXAMPLE"].split(":", 1)
        for item in items:
            reproduce_failure(version, blob.encode())(item.obj)  # type: ignore[attr-defined]
