"""Of the people of a bundle only those are read anew who have changed."""

from moorland.core.bundle.people import User
from moorland.server.directory import document
from moorland.server.directory.document import people_document
from moorland.server.directory.models import Account, Group, Organization
from moorland.server.releases.bundles import bundle_of


def test_who_has_not_changed_is_the_same_object_and_who_has_is_as_the_database_has_them(workspace: None) -> None:
    before = {user.login: user for user in bundle_of("live").users}
    ann = Account.objects.get(login="ann")
    ann.attributes = {"areas": ["fell", "marsh"]}
    ann.save()
    Group.objects.get(name="others").users.add(Account.objects.get(login="bob"))
    bundle = bundle_of("live")
    after = {user.login: user for user in bundle.users}
    assert {login for login, user in after.items() if user is not before[login]} == {"ann"}
    assert bundle.users == [User.model_validate(one) for one in people_document()["users"]]
    assert {group.name: group.users for group in bundle.groups} == {"stewards": ["ann"], "others": ["bob"]}


def test_a_renamed_organization_is_known_to_its_people(workspace: None) -> None:
    bundle_of("live")
    Organization.objects.filter(name="leaf").update(name="twig")
    assert {user.login: user.organization for user in bundle_of("live").users}["ann"] == "twig"


def test_who_is_gone_is_gone(workspace: None) -> None:
    bundle_of("live")
    Account.objects.get(login="bob").delete()
    assert "bob" not in {user.login for user in bundle_of("live").users}


def test_what_another_request_kept_of_an_account_is_not_taken_for_what_is_there(workspace: None) -> None:
    bundle_of("live")
    key = Account.objects.get(login="ann").pk
    row, user = document._known[key]
    document._known[key] = ((*row[:6], 0, *row[7:]), user.model_copy(update={"enabled": False}))
    assert {user.login: user.enabled for user in bundle_of("live").users}["ann"] is True
