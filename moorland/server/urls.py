"""Every address of the server. Each view states in its docstring who may call it."""

from pathlib import Path

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.urls import path, re_path
from django.views.static import serve
from drf_spectacular.views import SpectacularAPIView

import moorland.server.names
import moorland.server.schema  # noqa: F401  registers the session scheme
from moorland.server.access.bundle_views import BundleExport, BundleImport
from moorland.server.access.views import (
    Backups,
    NoSecondFactor,
    OneOwnSession,
    OneOwnToken,
    OneToken,
    OwnAccounts,
    OwnSecondFactor,
    OwnSessions,
    OwnTokens,
    PersonAccess,
    Rules,
    RulesTried,
    Tokens,
    WorkspaceSettings,
)
from moorland.server.catalog.lines_views import KeptTables, Lines, LinesHistory, LinesTry
from moorland.server.catalog.uploads import OneUpload, Proposals, UploadGrid, Uploads
from moorland.server.catalog.views import DraftModel, Imports, MeasureTry, Models, OneRefresh, Profile, Refresh, Refreshes
from moorland.server.checks.check_views import (
    AcceptedFindings,
    Closings,
    Findings,
    Guarding,
    OneAcceptedFinding,
    Probing,
    SeenFindingsView,
)
from moorland.server.checks.views import OnePromise, Promises, PromiseTries
from moorland.server.directory.act_views import (
    Acts,
    Copying,
    ForgottenPassword,
    GroupCards,
    Invitations,
    ManyInvitations,
    OrganizationCards,
    Owns,
    PeopleExport,
    PeopleFiles,
    SettingUp,
    Welcome,
)
from moorland.server.directory.history_views import PersonHistories
from moorland.server.directory.views import Attributes, Held, Password, People, Person, Session
from moorland.server.door.views import Doors, OneDoorKey, OneDoorSession, OneOwnDoorKey, OwnDoors, Parity
from moorland.server.duties.views import Duties, OneDuty, OwnDuties, WhatCan, WhoCan
from moorland.server.operation.views import healthz, metrics, readyz
from moorland.server.origins.entrance import scim
from moorland.server.origins.oidc_views import from_provider, to_provider
from moorland.server.origins.views import OneOrigin, OneOriginToken, OriginJoins, OriginRuns, Origins, OriginTokens, TryOrigin, TryOriginRun
from moorland.server.outside.frames import FramedBeneath, FramedExport, FramedPage, embedded
from moorland.server.outside.views import Issuers, OneIssuer, OutsideTries
from moorland.server.pages.reader_views import PageOfReader, PagesOfReaders
from moorland.server.pages.views import OnePage, OneShelf
from moorland.server.policies.similar_views import Replacing, Similar
from moorland.server.policies.views import Assignments, OneAssignment, OneRole, RestoredRole, RoleHolders, Roles, RoleUses
from moorland.server.releases.views import (
    AskedReleases,
    Compared,
    OneAskedRelease,
    OneRelease,
    Pending,
    ReleaseBundle,
    Releases,
    ReturnTo,
    WorkspaceState,
)
from moorland.server.reviews.views import Movers, OneReview, OwnReviewLines, ReviewAnswers, ReviewClosing, ReviewRecord, Reviews
from moorland.server.schedules.views import ChecksByItself, OneSchedule, Schedules
from moorland.server.sources.change_views import ApplyChange
from moorland.server.sources.guard_views import Guards
from moorland.server.sources.views import MovedTable, OneSource, PlacedTables, SourceEverybody, SourceRelation, Sources, TrySource
from moorland.server.tasks.views import OneTask, Tasks
from moorland.server.trail.views import Head, Trail, TrailExport
from moorland.server.viewing.ask_views import BridgeOf, Who, Why
from moorland.server.viewing.building import (
    OwnBuildingBlocks,
    OwnChecks,
    OwnExhibitTries,
    OwnPageHistory,
    OwnPageMakings,
    OwnPagePublishings,
    OwnPageWritings,
    OwnValues,
)
from moorland.server.viewing.decision_views import Evaluation, Evaluations, SearchAction, SearchResource, SearchSubject, authzen_configuration
from moorland.server.viewing.insight_views import Combine, EntitlementColumns, EntitlementEffects, RedundantSentences, WholeTotals
from moorland.server.viewing.kept_views import KeptLooks, OneLook, OnePinnedSet, PinnedSets
from moorland.server.viewing.overview_views import Overview
from moorland.server.viewing.own import OwnAnswers, OwnBeneath, OwnExport, OwnPage, OwnPages, OwnVocabulary
from moorland.server.viewing.own_sql import OwnSql
from moorland.server.viewing.page_views import ExhibitTries, PageBeneath, PageLooks, Pages, PagesGrid
from moorland.server.viewing.reach_views import ReachFiles, Reaching, ReachUnderway, StatementFiles, Statements
from moorland.server.viewing.sql_views import Sql
from moorland.server.viewing.views import Aligned, CheckCondition, ColumnValues, Effect, Evaluate, ModelDocument
from moorland.server.viewing.vocabulary import Vocabulary


def application(request: HttpRequest) -> HttpResponseBase:
    """Anybody: the application itself; its own router shows the screen an address names."""
    index = Path(settings.WHITENOISE_ROOT) / "index.html"
    if not index.is_file():
        return HttpResponse("The interface is not built yet. Run make install.", status=503, content_type="text/plain")
    response = FileResponse(index.open("rb"), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response


def manual(request: HttpRequest, page: str) -> HttpResponseBase:
    """Anybody: a file of the manual, which is the same for all."""
    if settings.MANUAL_ROOT is None:
        return no_such_address(request)
    return serve(request, page or "index.html", document_root=str(settings.MANUAL_ROOT))


def no_such_address(request: HttpRequest) -> JsonResponse:
    """Anybody: an address of the API that does not exist."""
    return JsonResponse({"error": {"code": "not_found", "message": "There is nothing at this address.", "problems": []}}, status=404)


urlpatterns = [
    path("api/session", Session.as_view()),
    path("api/session/by/<name:name>", to_provider),
    path("api/session/by/<name:name>/back", from_provider),
    path("api/session/password", Password.as_view()),
    path("api/session/forgotten", ForgottenPassword.as_view()),
    path("api/invitations", ManyInvitations.as_view()),
    path("api/session/welcome", Welcome.as_view()),
    path("api/session/set-up", SettingUp.as_view()),
    path("api/acts", Acts.as_view()),
    path("api/directory/import", PeopleFiles.as_view()),
    path("api/directory/export", PeopleExport.as_view()),
    path("api/directory/attributes", Attributes.as_view()),
    path("api/directory/held", Held.as_view()),
    path("api/groups/<name:name>", GroupCards.as_view()),
    path("api/organizations/<name:name>", OrganizationCards.as_view()),
    path("api/duties", Duties.as_view()),
    path("api/duties/who", WhoCan.as_view()),
    path("api/duties/<int:key>", OneDuty.as_view()),
    path("api/duties/of/<name:login>", WhatCan.as_view()),
    path("api/my/account", OwnAccounts.as_view()),
    path("api/my/sessions", OwnSessions.as_view()),
    path("api/my/sessions/<int:key>", OneOwnSession.as_view()),
    path("api/my/second-factor", OwnSecondFactor.as_view()),
    path("api/my/second-factor/end", NoSecondFactor.as_view()),
    path("api/my/tokens", OwnTokens.as_view()),
    path("api/my/tokens/<int:key>", OneOwnToken.as_view()),
    path("api/promises", Promises.as_view()),
    path("api/overview", Overview.as_view()),
    path("api/guard", Guarding.as_view()),
    path("api/findings", Findings.as_view()),
    path("api/findings/seen", SeenFindingsView.as_view()),
    path("api/findings/accepted", AcceptedFindings.as_view()),
    path("api/findings/accepted/<str:key>", OneAcceptedFinding.as_view()),
    path("api/probe", Probing.as_view()),
    path("api/probe/closings", Closings.as_view()),
    path("api/promises/try", PromiseTries.as_view()),
    path("api/promises/schedule", ChecksByItself.as_view()),
    path("api/promises/of/<name:name>", OnePromise.as_view()),
    path("api/parity", Parity.as_view()),
    path("api/my/door", OwnDoors.as_view()),
    path("api/my/door/keys/<int:key>", OneOwnDoorKey.as_view()),
    path("api/settings/door", Doors.as_view()),
    path("api/settings/door/keys/<int:key>", OneDoorKey.as_view()),
    path("api/settings/door/sessions/<int:number>", OneDoorSession.as_view()),
    path("api/settings/issuers", Issuers.as_view()),
    path("api/settings/issuers/<name:name>", OneIssuer.as_view()),
    path("api/settings/issuers/<name:name>/try", OutsideTries.as_view()),
    path("api/outside/pages/<name:page>", FramedPage.as_view()),
    path("api/outside/pages/<name:page>/beneath", FramedBeneath.as_view()),
    path("api/outside/pages/<name:page>/export", FramedExport.as_view()),
    path("embed/<name:page>", embedded),
    path("api/settings/tokens", Tokens.as_view()),
    path("api/settings/tokens/<int:key>", OneToken.as_view()),
    path("api/sources", Sources.as_view()),
    path("api/sources/try", TrySource.as_view()),
    path("api/changes", ApplyChange.as_view()),
    path("api/guards", Guards.as_view()),
    path("api/sources/everyone", SourceEverybody.as_view()),
    path("api/sources/of/<path:name>", OneSource.as_view()),
    path("api/sources/in/<path:name>", SourceRelation.as_view()),
    path("api/models/<str:model>/schedules", Schedules.as_view()),
    path("api/schedules/<int:key>", OneSchedule.as_view()),
    path("api/models/<str:model>/placed", PlacedTables.as_view()),
    path("api/models/<str:model>/tables/<str:table>/place", MovedTable.as_view()),
    path("api/reviews", Reviews.as_view()),
    path("api/reviews/<int:key>", OneReview.as_view()),
    path("api/reviews/<int:key>/answers", ReviewAnswers.as_view()),
    path("api/reviews/<int:key>/closing", ReviewClosing.as_view()),
    path("api/reviews/<int:key>/record", ReviewRecord.as_view()),
    path("api/movers", Movers.as_view()),
    path("api/my/reviews", OwnReviewLines.as_view()),
    path("api/settings/origins", Origins.as_view()),
    path("api/settings/origins/try", TryOrigin.as_view()),
    path("api/settings/origins/try/run", TryOriginRun.as_view()),
    path("api/settings/origins/of/<name:name>", OneOrigin.as_view()),
    path("api/settings/origins/of/<name:name>/runs", OriginRuns.as_view()),
    path("api/settings/origins/of/<name:name>/joins", OriginJoins.as_view()),
    path("api/settings/origins/of/<name:name>/tokens", OriginTokens.as_view()),
    path("api/settings/origins/of/<name:name>/tokens/<int:key>", OneOriginToken.as_view()),
    path("api/settings/sign-in", Rules.as_view()),
    path("api/settings/sign-in/try", RulesTried.as_view()),
    path("api/settings/bundle", BundleExport.as_view()),
    path("api/settings/bundle/import", BundleImport.as_view()),
    path("api/settings/backup", Backups.as_view()),
    path("api/settings/workspace", WorkspaceSettings.as_view()),
    path("api/people/<name:login>/access", PersonAccess.as_view()),
    path("api/my/duties", OwnDuties.as_view()),
    path("api/state", WorkspaceState.as_view()),
    path("api/uploads", Uploads.as_view()),
    path("api/uploads/<name:key>", OneUpload.as_view()),
    path("api/uploads/<name:key>/grid", UploadGrid.as_view()),
    path("api/proposals", Proposals.as_view()),
    path("api/imports", Imports.as_view()),
    path("api/tasks", Tasks.as_view()),
    path("api/tasks/<uuid:key>", OneTask.as_view()),
    path("api/refreshes/<int:key>", OneRefresh.as_view()),
    path("api/models", Models.as_view()),
    path("api/models/<name:model>", ModelDocument.as_view()),
    path("api/models/<name:model>/draft", DraftModel.as_view()),
    path("api/models/<name:model>/refreshes", Refreshes.as_view()),
    path("api/models/<name:model>/try", MeasureTry.as_view()),
    path("api/models/<name:model>/tables/<name:table>", Profile.as_view()),
    path("api/models/<name:model>/tables/<name:table>/kept", KeptTables.as_view()),
    path("api/models/<name:model>/tables/<name:table>/lines", Lines.as_view()),
    path("api/models/<name:model>/tables/<name:table>/lines/check", LinesTry.as_view()),
    path("api/models/<name:model>/tables/<name:table>/lines/history", LinesHistory.as_view()),
    path("api/models/<name:model>/tables/<name:table>/refreshes", Refresh.as_view()),
    path("api/models/<name:model>/values/<name:table>/<name:column>", ColumnValues.as_view()),
    path("api/roles", Roles.as_view()),
    path("api/similar", Similar.as_view()),
    path("api/similar/replace", Replacing.as_view()),
    path("api/roles/<name:name>", OneRole.as_view()),
    path("api/roles/<name:name>/uses", RoleUses.as_view()),
    path("api/roles/<name:name>/holders", RoleHolders.as_view()),
    path("api/roles/<name:name>/restore", RestoredRole.as_view()),
    path("api/roles/<name:name>/assignments", Assignments.as_view()),
    path("api/roles/<name:name>/assignments/<int:key>", OneAssignment.as_view()),
    path("api/people", People.as_view()),
    path("api/people/<name:login>", Person.as_view()),
    path("api/people/<name:login>/copying", Copying.as_view()),
    path("api/people/<name:login>/history", PersonHistories.as_view()),
    path("api/people/<name:login>/owns", Owns.as_view()),
    path("api/people/<name:login>/invitation", Invitations.as_view()),
    path("api/evaluate", Evaluate.as_view()),
    path("api/effect", Effect.as_view()),
    path("api/rows", Aligned.as_view()),
    path("api/check", CheckCondition.as_view()),
    path("api/vocabulary", Vocabulary.as_view()),
    path("api/pages", Pages.as_view()),
    path("api/grid", PagesGrid.as_view()),
    path("api/pages/<name:page>", OnePage.as_view()),
    path("api/pages/<name:page>/look", PageLooks.as_view()),
    path("api/pages/<name:page>/beneath", PageBeneath.as_view()),
    path("api/shelves/<name:shelf>", OneShelf.as_view()),
    path("api/exhibits", ExhibitTries.as_view()),
    path("api/redundant", RedundantSentences.as_view()),
    path("api/sql", Sql.as_view()),
    path("api/why", Why.as_view()),
    path("api/who", Who.as_view()),
    path("api/bridge", BridgeOf.as_view()),
    path("api/reach", Reaching.as_view()),
    path("api/reach/underway", ReachUnderway.as_view()),
    path("api/reach/export", ReachFiles.as_view()),
    path("api/statement", Statements.as_view()),
    path("api/statement/export", StatementFiles.as_view()),
    path("api/looks", KeptLooks.as_view()),
    path("api/looks/<name:key>", OneLook.as_view()),
    path("api/pinned-sets", PinnedSets.as_view()),
    path("api/pinned-sets/<name:name>", OnePinnedSet.as_view()),
    path("api/combine", Combine.as_view()),
    path("api/entitlements/lines", EntitlementEffects.as_view()),
    path("api/entitlements/columns", EntitlementColumns.as_view()),
    path("api/whole-totals", WholeTotals.as_view()),
    path("api/releases", Releases.as_view()),
    path("api/releases/pending", Pending.as_view()),
    path("api/releases/asked", AskedReleases.as_view()),
    path("api/releases/asked/<int:number>", OneAskedRelease.as_view()),
    path("api/releases/compared", Compared.as_view()),
    path("api/releases/<int:number>", OneRelease.as_view()),
    path("api/releases/<int:number>/bundle", ReleaseBundle.as_view()),
    path("api/releases/<int:number>/return", ReturnTo.as_view()),
    path("api/trail", Trail.as_view()),
    path("api/trail/head", Head.as_view()),
    path("api/trail/export", TrailExport.as_view()),
    path("api/my/pages", OwnPages.as_view()),
    path("api/my/pages/<name:page>", OwnPage.as_view()),
    path("api/my/pages/<name:page>/beneath", OwnBeneath.as_view()),
    path("api/my/pages/<name:page>/export", OwnExport.as_view()),
    path("api/my/answers", OwnAnswers.as_view()),
    path("api/my/sql", OwnSql.as_view()),
    path("api/my/vocabulary", OwnVocabulary.as_view()),
    path("api/my/models", OwnBuildingBlocks.as_view()),
    path("api/my/models/<name:model>/values/<name:table>/<name:column>", OwnValues.as_view()),
    path("api/my/making", OwnPageMakings.as_view()),
    path("api/my/making/exhibit", OwnExhibitTries.as_view()),
    path("api/my/making/check", OwnChecks.as_view()),
    path("api/my/making/<name:page>", OwnPageWritings.as_view()),
    path("api/my/making/<name:page>/publishing", OwnPagePublishings.as_view()),
    path("api/my/making/<name:page>/versions", OwnPageHistory.as_view()),
    path("api/readers-pages", PagesOfReaders.as_view()),
    path("api/readers-pages/<name:page>", PageOfReader.as_view()),
    path("api/schema", SpectacularAPIView.as_view()),
    path(".well-known/authzen-configuration", authzen_configuration),
    path("access/v1/evaluation", Evaluation.as_view()),
    path("access/v1/evaluations", Evaluations.as_view()),
    path("access/v1/search/subject", SearchSubject.as_view()),
    path("access/v1/search/resource", SearchResource.as_view()),
    path("access/v1/search/action", SearchAction.as_view()),
    path("manual/<path:page>", manual),
    path("manual/", manual, {"page": ""}),
    path("healthz", healthz),
    path("readyz", readyz),
    path("metrics", metrics),
    path("scim/v2/<path:rest>", scim),
    re_path(r"^(?:api|access|scim)/.*$", no_such_address),
    re_path(r"^(?!static/).*$", application),
]
