"""Which cluster is meant where a form names none, and its hosts."""

from __future__ import annotations

from django.db.models import Count

from movelot.inventory.models import Cluster, Device


def clusters() -> list[str]:
    """Names of all clusters, the one with most machines first: it is what most questions are about."""
    rows = Cluster.objects.annotate(machines=Count("devices__machine_placements")).order_by("-machines", "name")
    return list(rows.values_list("name", flat=True))


def cluster_named(name: str) -> Cluster | None:
    """The cluster of this name, else the one with most machines; None while there is none."""
    # Machines are counted only where nobody said which: drafts ask with every key typed.
    found = Cluster.objects.filter(name=name).first() if name else None
    return found or Cluster.objects.filter(name__in=clusters()[:1]).first()


def hosts_of(cluster: Cluster | None) -> list[Device]:
    """The hosts of a cluster, by name; none of none."""
    if cluster is None:
        return []
    return list(Device.objects.filter(cluster=cluster, kind=Device.Kind.HOST).order_by("name", "pk"))
