"""The lots API."""

from __future__ import annotations

from django.db.models import Count, OuterRef, Q, QuerySet, Subquery
from django.http import HttpResponse
from django_filters import rest_framework as filters
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status, viewsets
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from movelot.accounts.roles import person
from movelot.audit.trail import tell
from movelot.jobs.views import JobSerializer, accepted
from movelot.jobs.work import start
from movelot.lots import actions
from movelot.lots.answers import LotDetailSerializer, LotSummarySerializer, document_of, summary_of
from movelot.lots.drafting import new_draft, read_form
from movelot.lots.history import demand_seen
from movelot.lots.kinds import kind_of
from movelot.lots.models import Lot, Step
from movelot.lots.sheet import WRITERS, sheet_of
from movelot.preconditions import IF_MATCH, etag, seen_by
from movelot.problems import Problem


class LotFilter(filters.FilterSet):  # type: ignore[misc]  # the library has no types
    state = filters.MultipleChoiceFilter(choices=Lot.State.choices)

    class Meta:
        model = Lot
        fields = ["state", "kind"]


class NewLotSerializer(serializers.Serializer[dict[str, object]]):
    """What to draft: a kind, and the form as that kind has it."""

    kind = serializers.CharField(max_length=16)
    form = serializers.DictField(default=dict)


class LotViews(viewsets.GenericViewSet[Lot]):
    """Lots: drafted, checked, run, verified, undone."""

    queryset = Lot.objects.select_related("created_by")
    filterset_class = LotFilter
    search_fields = ["title"]
    ordering_fields = ["id", "started_at", "ended_at"]
    serializer_class = LotSummarySerializer
    lookup_value_regex = r"\d+"

    def get_queryset(self) -> QuerySet[Lot]:
        undone = Lot.objects.filter(undoes=OuterRef("pk")).exclude(state=Lot.State.DRAFT).values("pk")[:1]
        return (
            super()
            .get_queryset()
            .order_by("-pk")
            .annotate(
                step_count=Count("steps"),
                done_count=Count("steps", filter=Q(steps__state=Step.State.DONE)),
                undone_by_pk=Subquery(undone),
            )
        )

    @extend_schema(responses=LotSummarySerializer(many=True))
    def list(self, request: Request) -> Response:
        page = self.paginate_queryset(self.filter_queryset(self.get_queryset())) or []
        rows = [summary_of(lot, lot.step_count, lot.done_count, lot.undone_by_pk) for lot in page]  # type: ignore[attr-defined]
        return self.get_paginated_response(LotSummarySerializer(rows, many=True).data)

    @extend_schema(request=NewLotSerializer, responses={201: LotDetailSerializer, 202: JobSerializer})
    def create(self, request: Request) -> Response:
        """Draft a lot. One that takes long to compute is drafted by a job (202), whose result names it."""
        given = NewLotSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        kind, form = given.validated_data["kind"], given.validated_data["form"]
        if kind_of(kind).drafted_by_job:
            read_form(kind, form)
            tell(request, f"a lot of kind {kind}", None, given.validated_data)
            return accepted(start("draft", {"kind": kind, "form": form}, person(request)))
        lot = new_draft(kind, form, person(request))
        tell(request, f"lot {lot.pk}", None, given.validated_data)
        return self._detail(lot, status.HTTP_201_CREATED)

    @extend_schema(responses=LotDetailSerializer)
    def retrieve(self, request: Request, pk: str) -> Response:
        return self._detail(self.get_object())

    @extend_schema(parameters=[IF_MATCH], responses={204: None})
    def destroy(self, request: Request, pk: str) -> Response:
        lot = self.get_object()
        demand_seen(lot, seen_by(request))
        actions.drop(lot)
        return Response(status=status.HTTP_204_NO_CONTENT)

    @extend_schema(request=None, responses={202: JobSerializer})
    @action(detail=True, methods=["post"])
    def check(self, request: Request, pk: str) -> Response:
        """Read the lot's devices anew and check it; a job."""
        return accepted(start("check", {"lot": self.get_object().pk}, person(request)))

    @extend_schema(parameters=[IF_MATCH], request=None, responses={202: JobSerializer})
    @action(detail=True, methods=["post"])
    def run(self, request: Request, pk: str) -> Response:
        """Check the lot that was seen on a fresh reading and start it; a job, whose problem says what is in the way."""
        lot, seen = self.get_object(), seen_by(request)
        actions.demand_startable(lot)
        demand_seen(lot, seen)
        return accepted(start("run", {"lot": lot.pk, "seen": seen}, person(request)))

    @extend_schema(request=None, responses=LotDetailSerializer)
    @action(detail=True, methods=["post"])
    def halt(self, request: Request, pk: str) -> Response:
        return self._detail(actions.halt(self.get_object()))

    @extend_schema(request=None, responses={201: LotDetailSerializer})
    @action(detail=True, methods=["post"])
    def undo(self, request: Request, pk: str) -> Response:
        lot = actions.undo(self.get_object(), person(request))
        return self._detail(lot, status.HTTP_201_CREATED)

    @extend_schema(request=None, responses=LotDetailSerializer)
    @action(detail=True, methods=["post"])
    def carried_out(self, request: Request, pk: str) -> Response:
        return self._detail(actions.carried_out(self.get_object()))

    @extend_schema(
        parameters=[OpenApiParameter("written_as", str, enum=[*WRITERS])],
        responses={(200, "text/markdown"): OpenApiTypes.STR},
    )
    @action(detail=True, methods=["get"])
    def sheet(self, request: Request, pk: str) -> HttpResponse:
        """The run sheet of the lot, as Markdown, CSV or HTML to print."""
        written_as = request.query_params.get("written_as", "md")
        if written_as not in WRITERS:
            raise Problem(
                422, "form_unknown", f"There is no run sheet as “{written_as}”.", hint=f"Use {', '.join(WRITERS)}."
            )
        write, content_type = WRITERS[written_as]
        lot = self.get_object()
        name = f'attachment; filename="lot-{lot.pk}.{written_as}"'
        shown = {} if written_as == "html" else {"Content-Disposition": name}
        return HttpResponse(write(sheet_of(lot)), content_type=content_type, headers=shown)

    def _detail(self, lot: Lot, code: int = status.HTTP_200_OK) -> Response:
        return Response(document_of(lot), code, headers=etag(lot.version))
