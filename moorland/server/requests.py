"""What views read from a request beside its body: who asks, which state, whether it is only tried."""

import re
from typing import cast

from drf_spectacular.utils import OpenApiParameter
from rest_framework.request import Request

from moorland.server.directory.models import Account
from moorland.server.releases.bundles import State

STATE_PARAMETER = OpenApiParameter("state", str, enum=["draft", "live"])
TRY = OpenApiParameter("try", bool, description="Show the effect without making the change.")
VERSION = OpenApiParameter("version", int, required=True, description="The version that was read; another is refused as stale.")


def account_of(request: Request) -> Account:
    """The account that asks; the permission classes let nobody else through."""
    return cast(Account, request.user)


def state_of(request: Request) -> State:
    """The state an address asks for: draft unless `state=live`."""
    return "live" if request.query_params.get("state") == "live" else "draft"


def only_tried(request: Request) -> bool:
    """Whether the effect of a change is only to be shown."""
    return request.query_params.get("try") == "true"


def version_of(request: Request) -> int | None:
    """The version an address names; None where it names none."""
    written = request.query_params.get("version", "")
    return int(written) if re.fullmatch("[0-9]{1,9}", written) else None
