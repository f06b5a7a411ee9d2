"""What users and groups are in SCIM, and what they say of people here."""

from collections.abc import Iterable, Mapping
from typing import Any

from scim2_models import (
    AuthenticationScheme,
    Bulk,
    ChangePassword,
    EnterpriseUser,
    ETag,
    Filter,
    Group,
    ListResponse,
    Patch,
    PatchOp,
    ResourceType,
    ResponseParameters,
    ScimFilter,
    ScimPolicy,
    ScimProvider,
    SearchRequest,
    ServiceProviderConfig,
    Sort,
    User,
)

from moorland.server.directory.people_rows import Cell
from moorland.server.origins.said import SaidPerson, everybody_in
from moorland.server.origins.shapes import ScimText

#: Resources in one answer, operations in one request, and bytes of it.
MOST_RESULTS, MOST_OPERATIONS, MOST_BYTES = 500, 1_000, 4_000_000
USERS: Any = User[EnterpriseUser]
GROUPS: Any = Group
Resource = Any
#: What messages about each kind of resource are.
MODELS: dict[str, Any] = {"person": USERS, "group": GROUPS}
PATCHES: dict[str, Any] = {"person": PatchOp[User[EnterpriseUser]], "group": PatchOp[Group]}
SEARCHES: dict[str, Any] = {"person": SearchRequest[User[EnterpriseUser]], "group": SearchRequest[Group], "all": SearchRequest[User[EnterpriseUser] | Group]}
LISTS: dict[str, Any] = {"person": ListResponse[User[EnterpriseUser]], "group": ListResponse[Group], "all": ListResponse[User[EnterpriseUser] | Group]}
PARAMETERS: dict[str, Any] = {"person": ResponseParameters[User[EnterpriseUser]], "group": ResponseParameters[Group]}
FILTERS: dict[str, Any] = {"person": ScimFilter[User[EnterpriseUser]], "group": ScimFilter[Group]}

CONFIG = ServiceProviderConfig(
    patch=Patch(supported=True),
    bulk=Bulk(supported=True, max_operations=MOST_OPERATIONS, max_payload_size=MOST_BYTES),
    filter=Filter(supported=True, max_results=MOST_RESULTS),
    change_password=ChangePassword(supported=False),
    sort=Sort(supported=True),
    etag=ETag(supported=True),
    authentication_schemes=[
        AuthenticationScheme(
            type="oauthbearertoken", name="Token", description="A token made under Settings, Directories, sent as Authorization: Bearer.", primary=True
        )
    ],
)
#: What is not known of a resource is passed over; what a removal names by its value is removed.
POLICY = ScimPolicy(unknown=ScimPolicy.Unknown.ignore, remove_value_as_filter=ScimPolicy.RemoveValue.apply)
PROVIDER = ScimProvider(
    models=[User, EnterpriseUser, Group],
    resource_types=[ResourceType.from_resource(USERS), ResourceType.from_resource(GROUPS)],
    config=CONFIG,
    policy=POLICY,
)


def said_of(text: ScimText, key: str, user: Resource) -> SaidPerson:
    """What a user of SCIM says of somebody here. A password is not taken, and not kept."""
    document = user.model_dump()
    for unsaid in ("password", "id", "meta", "groups"):
        document.pop(unsaid, None)
    home = _texts(_at(user, text.organization)) if text.organization else []
    fields: dict[str, Cell] = {"login": (user.user_name or "").strip(), "name": _name(user), "email": _email(user)}
    if text.organization or text.home:
        fields["organization"] = home[0] if home else text.home or ""
    for name, path in text.attributes.items():
        fields[f"attribute:{name}"] = _texts(_at(user, path))
    return SaidPerson(key, fields, where=user.user_name or key, enabled=user.active is not False, document=document)


def _name(user: Resource) -> str:
    parts = [user.name.given_name, user.name.family_name] if user.name else []
    formatted = user.name.formatted if user.name else None
    return str(user.display_name or formatted or " ".join(part for part in parts if part) or user.user_name or "")[:200]


def _email(user: Resource) -> str:
    given = [item for item in user.emails or [] if item.value]
    return str(next((item.value for item in given if item.primary), given[0].value if given else ""))


def _at(user: Resource, path: str) -> Any:
    try:
        return user[path]
    except KeyError:
        return None


def _texts(value: Any) -> list[str]:
    if value is None:
        return []
    if isinstance(value, list):
        return [text for item in value for text in _texts(getattr(item, "value", item))]
    if isinstance(value, bool):
        return ["true" if value else "false"]
    return [str(value)]


def members_of(group: Mapping[str, Any]) -> list[str]:
    """The keys of users and groups in a group."""
    return [str(item["value"]) for item in group.get("members") or [] if item.get("value")]


def everybody_by_group(groups: Mapping[str, Mapping[str, Any]], users: Iterable[str]) -> dict[str, frozenset[str]]:
    """All users of each group, nested groups resolved."""
    inside = {key: members_of(document) for key, document in groups.items()}
    keys = {key: key for key in users}
    return {key: everybody_in(inside, keys, key)[0] for key in groups}
