"""Links: the accounts that Move Lot has on devices."""

from __future__ import annotations

from collections.abc import Sequence

from movelot.lots.kinds import AnyLotKind
from movelot.stages.base import Stage


def _lot_kinds() -> Sequence[AnyLotKind]:
    from movelot.links.passwords import PasswordKind

    return [PasswordKind()]


STAGE = Stage("links", lot_kinds=_lot_kinds)
