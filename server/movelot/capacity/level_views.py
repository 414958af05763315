"""The API of the bytes of one datastore or pool, level by level."""

from __future__ import annotations

from dataclasses import dataclass

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.capacity.levels import Level, levels_of_pool, levels_of_store
from movelot.inventory.models import Datastore, Pool
from movelot.problems import Problem


@dataclass
class LevelsAnswer:
    """From what guests were promised down to the drives; each level's figures in bytes."""

    levels: list[Level]


class LevelsSerializer(DataclassSerializer[LevelsAnswer]):
    class Meta:
        dataclass = LevelsAnswer


class LevelsView(APIView):
    """Of a datastore or a pool; what is several of them has the levels of each."""

    @extend_schema(responses=LevelsSerializer)
    def get(self, request: Request, kind: str, pk: int) -> Response:
        store = Datastore.objects.prefetch_related("extents").filter(pk=pk).first() if kind == "datastore" else None
        pool = Pool.objects.select_related("device").filter(pk=pk).first() if kind == "pool" else None
        if store is not None:
            levels = levels_of_store(store)
        elif pool is not None:
            levels = levels_of_pool(pool)
        else:
            text = f"There is no such {kind} that has levels."
            raise Problem(404, "not_found", text, hint="Datastores and pools have them, as long as devices list them.")
        return Response(LevelsSerializer(LevelsAnswer(levels)).data)
