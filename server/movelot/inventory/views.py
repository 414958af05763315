"""Lists of disks, traces, and find."""

from __future__ import annotations

from django_filters import rest_framework as filters
from rest_framework import generics, serializers

from movelot.inventory.models import Disk


class DiskSerializer(serializers.ModelSerializer[Disk]):
    """A disk in a list."""

    machine = serializers.CharField(source="machine.name")
    host = serializers.CharField(source="machine.host.name")
    datastore = serializers.CharField(source="datastore.name", default="")

    class Meta:
        model = Disk
        fields = ["id", "name", "machine", "host", "datastore", "size_bytes", "pinned"]


class DiskFilter(filters.FilterSet):  # type: ignore[misc]  # the library has no types
    datastore = filters.CharFilter(field_name="placement__datastore__name")
    group = filters.CharFilter(field_name="placement__datastore__membership__group__name")

    class Meta:
        model = Disk
        fields = ["datastore", "group", "pinned"]


class DiskList(generics.ListAPIView[Disk]):
    """Disks, paged, filtered, sorted and searched in the database."""

    queryset = Disk.objects.select_related("machine__placement__host", "placement__datastore").order_by("name", "pk")
    serializer_class = DiskSerializer
    filterset_class = DiskFilter
    search_fields = ["name"]
    ordering_fields = ["name", "size_bytes", "machine__name", "placement__datastore__name"]
