"""Judging in the worker."""

from celery import shared_task

from movelot.findings.judging import judge_due, mark_due


@shared_task
def judge_what_is_due() -> None:
    """Make the judgements that are due."""
    judge_due()


@shared_task
def judge_everything() -> None:
    """Judge all anew, for what depends on the time of day alone."""
    mark_due(None)
