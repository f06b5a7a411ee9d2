"""Explanations of roles for administrators: what a line of entitlements, whole totals or several roles do."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.problems import BundleError
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.member_rules import MembersRule
from moorland.core.insight.combining import Combined, combined
from moorland.core.insight.findings.coverage import redundant_sentences
from moorland.core.insight.findings.disclosure import whole_total_findings
from moorland.core.insight.listed import EntitlementEvidence, EntitlementLines, entitlement_evidence, entitlement_lines
from moorland.server.duties.permission import over_everything
from moorland.server.errors import answer, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.requests import account_of
from moorland.server.viewing.insight_shapes import (
    CombineRequest,
    EntitlementRequest,
    EvidenceRequest,
    GivenAway,
    Redundant,
    RedundantAnswer,
    RedundantRequest,
    WholeTotalsAnswer,
    WholeTotalsRequest,
)
from moorland.server.viewing.looks import record_look
from moorland.server.viewing.service import asked_evaluator, resolve, viewer_title


class EntitlementEffects(APIView):
    """By duty: what each line of a table of entitlements does."""

    needs = {"POST": over_everything("look-values")}

    @extend_schema(request=EntitlementRequest, responses=EntitlementLines)
    def post(self, request: Request) -> Response:
        asked = read_body(request, EntitlementRequest)
        base = asked_evaluator(asked)
        _tables_exist(base, asked.model, asked.sentence.table, asked.sentence.through)
        record_look(account_of(request), ["all data"], f"lines of {asked.sentence.through}", asked.state)
        return answer(entitlement_lines(base, asked.model, asked.sentence, asked.limit, asked.offset, asked.faulty_only))


class EntitlementColumns(APIView):
    """By duty: evidence for which column names the person and which columns match."""

    needs = {"POST": over_everything("look-values")}

    @extend_schema(request=EvidenceRequest, responses=EntitlementEvidence)
    def post(self, request: Request) -> Response:
        asked = read_body(request, EvidenceRequest)
        base = evaluator("draft")
        _tables_exist(base, asked.model, asked.table, asked.through)
        return answer(entitlement_evidence(base, asked.model, asked.through, asked.table, asked.separator))


def _tables_exist(base: Evaluator, model: str, *tables: str) -> None:
    if model not in base.models:
        raise missing("model", model)
    for table in tables:
        if table not in base.models[model].schema.tables:
            raise missing("table", table)


class Combine(APIView):
    """By duty: what several roles open alone and together."""

    needs = {"POST": over_everything("look-values")}

    @extend_schema(request=CombineRequest, responses=Combined)
    def post(self, request: Request) -> Response:
        asked = read_body(request, CombineRequest)
        base = asked_evaluator(asked)
        if asked.about.model not in base.models:
            raise missing("model", asked.about.model)
        for name in asked.about.roles:
            if name not in base.roles:
                raise missing("role", name)
        record_look(account_of(request), [asked.about.login or "nobody in particular"], f"roles {', '.join(asked.about.roles)}", asked.state)
        return answer(combined(base, asked.about))


class WholeTotals(APIView):
    """By duty: a worked example of what whole totals of a members sentence give away."""

    needs = {"POST": over_everything("look-values")}

    @extend_schema(request=WholeTotalsRequest, responses=WholeTotalsAnswer)
    def post(self, request: Request) -> Response:
        asked = read_body(request, WholeTotalsRequest)
        base = asked_evaluator(asked)
        role = base.roles.get(asked.role)
        rule = next((rule for rule in role.rows if rule.sentence == asked.sentence), None) if role else None
        if role is None or not isinstance(rule, MembersRule):
            raise missing("members sentence", f"{asked.role}, {asked.sentence + 1}")
        viewers = []
        for pinned in asked.viewers:
            try:
                viewers.append(resolve(base, pinned, lenient=True))
            except BundleError:
                continue
        record_look(account_of(request), [viewer_title(pinned) for pinned in asked.viewers], f"whole totals of {rule.hierarchy.name}", asked.state)
        found = whole_total_findings(base, role, rule, viewers, "")
        return answer(WholeTotalsAnswer(found=[GivenAway(message=item.message, evidence=list(item.evidence)) for item in found]))


class RedundantSentences(APIView):
    """By duty: the sentences of a role that take nothing away from anybody who holds it, unsaved edits included."""

    needs = {"POST": over_everything("look-values")}

    @extend_schema(request=RedundantRequest, responses=RedundantAnswer)
    def post(self, request: Request) -> Response:
        asked = read_body(request, RedundantRequest)
        base = asked_evaluator(asked)
        if asked.role not in base.roles:
            raise missing("role", asked.role)
        record_look(account_of(request), ["everyone"], f"sentences of {asked.role}", asked.state)
        found = [Redundant(sentence=place, message=item.message) for place, item in redundant_sentences(base, asked.role)]
        return answer(RedundantAnswer(found=found))
