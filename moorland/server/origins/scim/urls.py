"""The addresses of SCIM, below /scim/v2."""

from django.urls import path

from moorland.server.origins.scim.bulk import BulkView
from moorland.server.origins.scim.views import Discovery, OneResource, Resources, Search

urlpatterns = [
    path("Users", Resources.as_view(kind="person")),
    path("Users/.search", Search.as_view(kind="person")),
    path("Users/<str:key>", OneResource.as_view(kind="person")),
    path(".search", Search.as_view(kind="all")),
    path("Groups", Resources.as_view(kind="group")),
    path("Groups/.search", Search.as_view(kind="group")),
    path("Groups/<str:key>", OneResource.as_view(kind="group")),
    path("Bulk", BulkView.as_view()),
    path("ServiceProviderConfig", Discovery.as_view(what="config")),
    path("ResourceTypes", Discovery.as_view(what="ResourceTypes")),
    path("ResourceTypes/<str:key>", Discovery.as_view(what="ResourceTypes")),
    path("Schemas", Discovery.as_view(what="Schemas")),
    path("Schemas/<str:key>", Discovery.as_view(what="Schemas")),
]
