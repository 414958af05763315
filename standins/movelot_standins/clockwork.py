"""What goes on by itself: long work advances, ends, and changes the world at its end."""

from __future__ import annotations

from movelot_standins import image_actions, machine_actions, space_actions
from movelot_standins.actions import scan_now
from movelot_standins.model import Task, World
from movelot_standins.physics import copy_rate
from movelot_standins.space import remember


def advance(world: World, seconds: float, now: float) -> bool:
    """Let ``seconds`` pass for running tasks. Returns whether any task ended."""
    ended = False
    for task in world.tasks:
        if not task.running:
            continue
        if task.volume:
            space_actions.advance(world, task, seconds, now)
        else:
            task.rate = copy_rate(world, task, now) if task.kind == "MoveDisk" else world.pace
            task.done = min(task.total, task.done + task.rate * seconds)
        if task.done >= task.total and task.running:
            remember(world, now)
            finish(world, task, now)
            ended = True
    return ended


def finish(world: World, task: Task, now: float) -> None:
    """End ``task`` well and make its effect true."""
    task.state, task.ended = "Completed", now
    if task.kind == "MoveDisk":
        disk = world.disk(task.disk)
        if disk is None or world.datastore(task.target) is None:
            task.state, task.message = "Exception", "The disk or its target is gone."
        elif disk.datastore != task.target:
            disk.places.append((now, task.target))
            # What it is now is another volume, or none of its own.
            disk.keep_whole()
            disk.family = ""
    elif task.kind == "Scan":
        scan_now(world, world.host(task.device))
    elif task.kind == "FillDisk":
        image_actions.end_of(world, task)
    elif task.kind in machine_actions.WORK:
        machine_actions.end_of(world, task, now)


def cancel(task: Task, now: float) -> None:
    """Abandon a copy: the part already at the target is removed, the disk stays where it is."""
    if task.running:
        left = "the partial copy was removed" if task.kind == "MoveDisk" else "nothing was changed"
        left = "what was done until now stays" if task.volume else left
        task.state, task.ended, task.message = "Cancelled", now, f"Cancelled on request; {left}."
