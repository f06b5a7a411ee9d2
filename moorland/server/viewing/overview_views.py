"""What is waiting, for the overview: what the counters of other addresses do not tell."""

import datetime
from collections.abc import Iterator

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.shape import Shape
from moorland.core.insight.refreshing import RefreshReport
from moorland.server.catalog.models import TableContent
from moorland.server.duties.permission import READERS, request_rights
from moorland.server.errors import answer, from_document
from moorland.server.evaluating import evaluator
from moorland.server.origins.running import waiting
from moorland.server.releases.models import AskedRelease, Release
from moorland.server.viewing.knowing import may_know_model

#: Assignments that end within so many days are told.
SOON = datetime.timedelta(days=31)


class WaitingTable(Shape):
    """A table, or one column of it, that waits for somebody."""

    model: str
    table: str
    column: str | None


class NewMembers(Shape):
    """Members of hierarchies that came with a refresh since the last release: how many values of a level, and when."""

    model: str
    table: str
    column: str
    hierarchies: list[str]
    values: int
    since: datetime.datetime


class EndingAssignment(Shape):
    """An assignment that ends soon."""

    role: str
    label: str
    whom: str
    until: datetime.date


class WaitingOrigin(Shape):
    """Somewhere people come from that waits for somebody, and why."""

    label: str
    why: str


class OverviewAnswer(Shape):
    """What waits: columns and tables in quarantine, refreshes that were not accepted yet, new members, a release somebody asked for, assignments that end soon."""

    quarantined: list[WaitingTable]
    refreshes: list[WaitingTable]
    new_members: list[NewMembers]
    asked_by: str | None
    ending: list[EndingAssignment]
    origins: list[WaitingOrigin]


class Overview(APIView):
    """By duty: what waits for somebody, of the models and roles the account knows."""

    needs = {"GET": READERS}

    @extend_schema(responses=OverviewAnswer)
    def get(self, request: Request) -> Response:
        base, rights = evaluator("draft"), request_rights(request)
        known = [model for model in base.bundle.models if may_know_model(rights, model.name)]
        quarantined = [WaitingTable(model=model.name, table=table.name, column=None) for model in known for table in model.tables if table.quarantine]
        quarantined += [
            WaitingTable(model=model.name, table=table.name, column=column.name)
            for model in known
            for table in model.tables
            for column in table.columns
            if column.quarantine
        ]
        names = {model.name for model in known}
        staged = TableContent.objects.filter(state="staged").values_list("model", "table")
        asked = AskedRelease.objects.order_by("-pk").values_list("asked_by", flat=True).first()
        ending = [
            EndingAssignment(
                role=role.name, label=role.title, whom=item.user or item.group or ("everyone" if item.everyone else "by a condition"), until=item.until
            )
            for role in base.bundle.roles
            for item in role.assigned
            if item.until is not None and base.as_of <= item.until <= base.as_of + SOON
        ]
        may_name = rights.whole("look-shapes") or rights.whole("map")
        return answer(
            OverviewAnswer(
                quarantined=quarantined,
                refreshes=[WaitingTable(model=model, table=table, column=None) for model, table in staged if model in names],
                new_members=[item for item in _new_members() if item.model in names],
                asked_by=asked,
                ending=ending if may_name else [],
                origins=[WaitingOrigin(label=label, why=why) for label, why in waiting()] if rights.keeps_all else [],
            )
        )


def _new_members() -> Iterator[NewMembers]:
    """Members that came with contents that were made current since the last release: nobody has decided about them."""
    last = Release.objects.values_list("created_at", flat=True).first()
    contents = TableContent.objects.filter(state="current").exclude(report={})
    for content in contents.filter(created_at__gt=last) if last is not None else contents:
        for moved in from_document(RefreshReport, content.report).columns:
            if moved.level_of and moved.new.values:
                yield NewMembers(
                    model=content.model,
                    table=content.table,
                    column=moved.column,
                    hierarchies=moved.level_of,
                    values=moved.new.values,
                    since=content.created_at,
                )
