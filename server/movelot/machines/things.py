"""Lists of hosts, datastores and volumes beside that of machines: what each holds, and how full it is."""

from __future__ import annotations

from typing import Any

from django.db.models import (
    Case,
    CharField,
    Count,
    ExpressionWrapper,
    F,
    FloatField,
    IntegerField,
    OuterRef,
    QuerySet,
    Subquery,
    Sum,
    Value,
    When,
)
from django.db.models.functions import Coalesce
from django_filters import rest_framework as filters
from rest_framework import generics, serializers

from movelot.inventory.models import (
    Datastore,
    Device,
    Disk,
    DiskPlacement,
    Extent,
    MachinePlacement,
    Mount,
    SnapshotPart,
    Volume,
)
from movelot.machines.rows import ByColumn


def _over(rows: QuerySet[Any], by: str, value: Any) -> Any:
    """A figure over ``rows``, which are those of the outer row; 0 where there is none."""
    grouped = rows.order_by().values(by).annotate(figure=value).values("figure")
    return Coalesce(Subquery(grouped, output_field=IntegerField()), Value(0))


def _share(part: Any, whole: str) -> Any:
    """A share of what may be nothing."""
    share = ExpressionWrapper(part * 1.0 / F(whole), output_field=FloatField())
    return Case(When(**{f"{whole}__gt": 0}, then=share), default=None, output_field=FloatField())


def _by_own_name(row: type[serializers.ModelSerializer[Any]]) -> dict[str, str]:
    """The columns of a list by the fields of its rows, each sorted by what it shows."""
    return {name: name for name in row.Meta.fields if name != "id"}


class Named(filters.FilterSet):  # type: ignore[misc]  # the library has no types
    """Rows are looked for by their name."""

    text = filters.CharFilter(field_name="name", lookup_expr="icontains")


class OfCluster(Named):
    """Hosts of a cluster by its name as well."""

    cluster = filters.CharFilter(field_name="cluster__name")


class ThingList(generics.ListAPIView[Any]):
    """A list of what holds machines, or is held by what does."""

    filterset_class = Named
    filter_backends = (filters.DjangoFilterBackend, ByColumn)
    columns: dict[str, str] = {}


class HostRowSerializer(serializers.ModelSerializer[Device]):
    """A host with what its machines come to."""

    id = serializers.IntegerField()
    cluster = serializers.CharField(source="in_cluster")
    machines = serializers.IntegerField()
    running = serializers.IntegerField()
    processors = serializers.IntegerField()
    memory_bytes = serializers.IntegerField()
    provisioned_bytes = serializers.IntegerField()
    datastores = serializers.IntegerField()

    class Meta:
        model = Device
        fields = [
            "id",
            "name",
            "cluster",
            "machines",
            "running",
            "processors",
            "memory_bytes",
            "provisioned_bytes",
            "datastores",
        ]


_RUN = MachinePlacement.objects.filter(host=OuterRef("pk"))


class HostList(ThingList):
    """Hosts."""

    filterset_class = OfCluster
    serializer_class = HostRowSerializer
    queryset = (
        Device.objects.filter(kind=Device.Kind.HOST)
        .select_related("cluster")
        .annotate(
            in_cluster=Coalesce("cluster__name", Value("")),
            machines=_over(_RUN, "host", Count("pk")),
            running=_over(_RUN.filter(machine__power="On"), "host", Count("pk")),
            processors=_over(_RUN.filter(machine__power="On"), "host", Sum("machine__processors")),
            memory_bytes=_over(_RUN.filter(machine__power="On"), "host", Sum("machine__memory_bytes")),
            provisioned_bytes=_over(_RUN, "host", Sum("machine__summary__provisioned_bytes")),
            datastores=_over(Mount.objects.filter(host=OuterRef("pk")), "host", Count("pk")),
        )
    )
    columns = {**_by_own_name(HostRowSerializer), "cluster": "cluster__name"}


class DatastoreRowSerializer(serializers.ModelSerializer[Datastore]):
    """A datastore with what it holds; ``fill`` is the share of it that is used."""

    id = serializers.IntegerField()
    pool = serializers.CharField()
    array = serializers.CharField()
    fill = serializers.FloatField(allow_null=True)
    disks = serializers.IntegerField()
    disk_bytes = serializers.IntegerField()
    snapshot_bytes = serializers.IntegerField()
    hosts = serializers.IntegerField()

    class Meta:
        model = Datastore
        fields = [
            "id",
            "name",
            "pool",
            "array",
            "capacity_bytes",
            "free_bytes",
            "fill",
            "disks",
            "disk_bytes",
            "snapshot_bytes",
            "hosts",
        ]


_HELD = DiskPlacement.objects.filter(datastore=OuterRef("pk"))


def _beneath(column: str) -> Any:
    """A column of the volume beneath the first extent of a datastore; empty where no array has it."""
    serial = Extent.objects.filter(datastore=OuterRef(OuterRef("pk")), number=0).values("serial")[:1]
    rows = Volume.objects.filter(serial=Subquery(serial)).values(column)[:1]
    return Coalesce(Subquery(rows, output_field=CharField()), Value(""))


class DatastoreList(ThingList):
    """Datastores."""

    serializer_class = DatastoreRowSerializer
    queryset = Datastore.objects.annotate(
        fill=_share(F("capacity_bytes") - F("free_bytes"), "capacity_bytes"),
        pool=_beneath("pool__name"),
        array=_beneath("device__name"),
        disks=_over(_HELD, "datastore", Count("pk")),
        disk_bytes=_over(_HELD, "datastore", Sum("disk__size_bytes")),
        snapshot_bytes=_over(
            SnapshotPart.objects.filter(disk__placement__datastore=OuterRef("pk")),
            "disk__placement__datastore",
            Sum("held_bytes"),
        ),
        hosts=_over(Mount.objects.filter(datastore=OuterRef("pk"), host__gone_at=None), "datastore", Count("pk")),
    )
    columns = _by_own_name(DatastoreRowSerializer)


class VolumeRowSerializer(serializers.ModelSerializer[Volume]):
    """A volume, file system or volume set with what it holds of its pool; ``held`` is the share of its size."""

    id = serializers.IntegerField()
    array = serializers.CharField(source="device.name")
    pool = serializers.CharField(source="pool.name")
    kind = serializers.CharField()
    datastore = serializers.CharField()
    held = serializers.FloatField(allow_null=True)
    raw = serializers.IntegerField()

    class Meta:
        model = Volume
        fields = [
            "id",
            "name",
            "array",
            "pool",
            "kind",
            "thin",
            "size_bytes",
            "allocated_bytes",
            "held",
            "datastore",
            "raw",
        ]


class VolumeList(ThingList):
    """Volumes, without those that live in volume sets: these go with their machines."""

    serializer_class = VolumeRowSerializer
    queryset = (
        Volume.objects.exclude(kind=Volume.Kind.MEMBER)
        .select_related("device", "pool")
        .annotate(
            held=_share(F("allocated_bytes"), "size_bytes"),
            datastore=Coalesce(
                Subquery(Extent.objects.filter(serial=OuterRef("serial")).values("datastore__name")[:1]), Value("")
            ),
            raw=_over(Disk.objects.filter(raw_serial=OuterRef("serial")), "raw_serial", Count("pk")),
        )
    )
    columns = {**_by_own_name(VolumeRowSerializer), "array": "device__name", "pool": "pool__name"}
