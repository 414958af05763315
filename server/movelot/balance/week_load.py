"""How slow a group's pools were at each hour of the week: what ways of working are laid over."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from django.db.models import Avg
from django.db.models.functions import ExtractHour, ExtractIsoWeekDay

from movelot.inventory.models import BalanceGroup, PoolHour
from movelot.inventory.placement import pools_by_store
from movelot_core.balance.week import DAY_HOURS, WEEK_HOURS

WEEKS = timedelta(days=28)


def latency_by_hour(group: BalanceGroup, moment: datetime) -> list[float | None]:
    """[168] The mean latency of the slowest pool at each hour of the week, over four weeks, by the site's clock of
    today; None for hours that nobody measured."""
    beneath = pools_by_store()
    pools = {beneath[key] for key in group.datastores.values_list("pk", flat=True) if key in beneath}
    rows = (
        PoolHour.objects.filter(pool__in=pools, hour__gte=moment - WEEKS, latency_ms__isnull=False)
        .annotate(day=ExtractIsoWeekDay("hour", tzinfo=UTC), of_day=ExtractHour("hour", tzinfo=UTC))
        .values("pool", "day", "of_day")
        .annotate(mean=Avg("latency_ms"))
    )
    ahead = moment.astimezone(ZoneInfo(group.zone)).utcoffset() or timedelta()
    shift = round(ahead / timedelta(hours=1))
    found: list[float | None] = [None] * WEEK_HOURS
    for row in rows:
        hour = ((row["day"] - 1) * DAY_HOURS + row["of_day"] + shift) % WEEK_HOURS
        found[hour] = max(row["mean"], found[hour] or 0.0)
    return found
