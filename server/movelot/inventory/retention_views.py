"""How long what was is kept, as administrators set it."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from movelot.accounts.roles import AdministratorsInPerson
from movelot.audit.trail import tell
from movelot.inventory.models import Retention


class RetentionSerializer(serializers.ModelSerializer[Retention]):
    class Meta:
        model = Retention
        fields = ["gone_days", "figures_days", "trail_days"]
        extra_kwargs = {"trail_days": {"required": True}}


class RetentionView(APIView):
    """Days that what is gone, daily figures and the audit trail (0: for ever) are kept; what is older goes within six
    hours."""

    permission_classes = [AdministratorsInPerson]

    @extend_schema(responses=RetentionSerializer)
    def get(self, request: Request) -> Response:
        return Response(RetentionSerializer(Retention.now()).data)

    @extend_schema(request=RetentionSerializer, responses=RetentionSerializer)
    def put(self, request: Request) -> Response:
        row = Retention.now()
        before = dict(RetentionSerializer(row).data)
        given = RetentionSerializer(row, data=request.data)
        given.is_valid(raise_exception=True)
        given.save()
        tell(request, "retention", before, dict(given.data))
        return Response(given.data)
