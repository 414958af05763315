"""The stack board of a group: datastores as stacks of disks in true size, coloured by heat, and their pools by hour."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from movelot.inventory.known_groups import WEEKDAY, WEEKEND, KnownGroup, hour_name
from movelot.inventory.models import Pool
from movelot_core.balance.heat import heat, levels

BLOCKS_PER_DATASTORE = 60
# Groups of more datastores have a picture without blocks; those of a datastore are asked for one by one.
LARGE_GROUP = 30


def stacks_name(group: int) -> str:
    """Under which name the datastores of a large group are kept with their blocks."""
    return f"stacks-{group}"


def board_name(group: int) -> str:
    """Under which name the board of a group is kept."""
    return f"board-2-{group}"


@dataclass
class Block:
    """A disk; ``heat`` is load per GiB at the pool's peak hour, ``level`` 0 (cool) to 5 (hot)."""

    id: int
    name: str
    machine: str
    size_bytes: int
    heat: float
    level: int
    pinned: bool


@dataclass
class Stack:
    """A datastore: its largest disks as blocks (none in a large group's board), the rest, and what is no disk."""

    id: int
    name: str
    pool: int
    capacity_bytes: int
    used_bytes: int
    other_bytes: int
    room_bytes: int
    fill: float
    over: bool
    disks: int
    blocks: list[Block]
    rest_disks: int
    rest_bytes: int


@dataclass
class BoardPool:
    """A pool: latency by weekday and weekend hour from its curve, the peak, and how well the curve fits.

    Of hours that were held back nine in ten lay between ``fit_low`` and ``fit_high`` times what the curve says; beyond
    the load seen nothing is known where it is ``cautious``.
    One that is not ``known`` stands for a host's own drives, of whose latency nothing is known.
    """

    id: int
    name: str
    array: str
    known: bool
    latency_ms: list[float]
    weekend_ms: list[float]
    peak_ms: float
    peak_hour: int
    peak_day: str
    over: bool
    hours_over: list[int]
    fit_error_ms: float
    fit_samples: int
    fit_shape: str
    fit_low: float
    fit_high: float
    cautious: bool


@dataclass
class GroupBoard:
    """Everything the balance page shows of a group."""

    id: int
    name: str
    cluster: str
    fill_ceiling: float
    latency_ceiling_ms: float
    disks: int
    large: bool
    datastores: list[Stack]
    pools: list[BoardPool]


def board_documents(found: KnownGroup) -> tuple[dict[str, Any], dict[str, Any]]:
    """The board of a group as plain values, and by primary key the datastores of a large one with their blocks.

    What is told of each pool's curve is as it is now.
    """
    board = asdict(board_of(found, Pool.known.in_bulk(found.pool_keys)))
    if not board["large"]:
        return board, {}
    stacks = {str(stack["id"]): stack for stack in board["datastores"]}
    return {**board, "datastores": [{**stack, "blocks": []} for stack in stacks.values()]}, stacks


def board_of(found: KnownGroup, pools: dict[int, Pool]) -> GroupBoard:
    """The board of a group; ``pools`` by primary key have what is told of their curves."""
    group, state = found.group, found.state
    heats = heat(group, state)
    scale = levels(group, heats)
    return GroupBoard(
        id=found.row.pk,
        name=found.row.name,
        cluster=" and ".join(found.row.clusters().values_list("name", flat=True)),
        fill_ceiling=group.fill_ceiling,
        latency_ceiling_ms=group.latency_ceiling_ms,
        disks=len(group.disks),
        large=len(group.datastores) > LARGE_GROUP,
        datastores=[_stack(found, s, heats, scale) for s in range(len(group.datastores))],
        pools=[_pool(found, p, pools.get(found.pool_keys[p]) or Pool()) for p in range(len(group.pools))],
    )


def _stack(found: KnownGroup, s: int, heats: np.ndarray, scale: np.ndarray) -> Stack:
    group, state = found.group, found.state
    there = np.flatnonzero(group.place == s)
    there = there[np.lexsort((there, -group.size_bytes[there]))]
    drawn, rest = there[:BLOCKS_PER_DATASTORE], there[BLOCKS_PER_DATASTORE:]
    return Stack(
        id=found.store_keys[s],
        name=group.datastores[s],
        pool=found.pool_keys[int(group.pool_of[s])],
        capacity_bytes=int(group.capacity_bytes[s]),
        used_bytes=int(state.used_bytes[s]),
        other_bytes=int(group.other_bytes[s]),
        room_bytes=int(group.room_bytes[s]),
        fill=float(state.fill[s]),
        over=bool(state.over_fill[s]),
        disks=len(there),
        blocks=[
            Block(
                found.disk_keys[d],
                group.disks[d],
                found.machines[d],
                int(group.size_bytes[d]),
                round(float(heats[d]), 3),
                int(scale[d]),
                bool(group.pinned[d]),
            )
            for d in drawn
        ],
        rest_disks=len(rest),
        rest_bytes=int(group.size_bytes[rest].sum()),
    )


def _pool(found: KnownGroup, p: int, row: Pool) -> BoardPool:
    state = found.state
    hour, day = hour_name(int(state.peak_hour[p]))
    return BoardPool(
        id=found.pool_keys[p],
        name=found.group.pools[p],
        array=found.group.array_of[p],
        known=p < found.pools_known,
        latency_ms=[round(float(v), 3) for v in state.latency_ms[p, WEEKDAY]],
        weekend_ms=[round(float(v), 3) for v in state.latency_ms[p, WEEKEND]],
        peak_ms=float(state.peak_ms[p]),
        peak_hour=hour,
        peak_day=day,
        over=bool(state.over_latency[p].any()),
        hours_over=[int(h) for h in np.flatnonzero(state.over_latency[p, WEEKDAY])],
        fit_error_ms=row.fit_error_ms,
        fit_samples=row.fit_samples,
        fit_shape=row.curve_shape,
        fit_low=row.fit_low,
        fit_high=row.fit_high,
        cautious=found.cautious[p],
    )
