"""Lots in the worker."""

from celery import shared_task
from django.utils.timezone import now

from movelot.jobs.sending import give
from movelot.lots.closing import sole_driver
from movelot.lots.ending import take_back
from movelot.lots.models import Lot
from movelot.lots.restored import count_on, hold_back
from movelot.lots.runner import Driver
from movelot.lots.unknown import lots_to_ask_for, settle


@shared_task
def run_lot(key: int) -> None:
    """Drive a lot to its end, unless another worker does so already."""
    with sole_driver(key) as alone:
        lot = Lot.objects.filter(pk=key).first()
        if alone and lot is not None and lot.active:
            Driver(lot).run()


@shared_task
def resume_lots() -> None:
    """Take up lots whose driver died: those marked running that nobody holds.

    In a database that was restored from a backup they wait for a person.
    """
    if count_on():
        hold_back()
    for key in Lot.objects.filter(state__in=[Lot.State.RUNNING, Lot.State.HALTING]).values_list("pk", flat=True):
        with sole_driver(key) as free:
            pass
        if free:
            give(run_lot, key)


@shared_task
def take_back_what_lasts_no_longer() -> None:
    """Undo lots whose work was to last for a while only."""
    take_back(now())


@shared_task
def ask_about_unknown_steps() -> None:
    """Ask devices that answer again what they did when they stopped answering."""
    for lot in Lot.objects.filter(pk__in=lots_to_ask_for()):
        settle(lot)
