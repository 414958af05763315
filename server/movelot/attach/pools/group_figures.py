"""What Attach asks of a cluster's balance group, as last judged."""

from __future__ import annotations

from movelot.findings.judging import kept
from movelot.inventory.known_groups import GroupFigures, figures_name, known_group
from movelot.inventory.models import BalanceGroup


def group_figures(group: BalanceGroup) -> GroupFigures:
    """The figures of a group; computed here only before anybody judged it for the first time."""
    stored = kept(figures_name(group.pk))
    return GroupFigures.read(stored.document) if stored else GroupFigures.of(known_group(group))
