"""Labels that people give things."""

from __future__ import annotations

from django.contrib.contenttypes.fields import GenericForeignKey
from django.contrib.contenttypes.models import ContentType
from django.db import models


class Label(models.Model):
    """A label that people gave a durable thing: a datastore, pool, machine or disk."""

    content_type = models.ForeignKey(ContentType, on_delete=models.PROTECT)
    object_id = models.PositiveBigIntegerField()
    thing = GenericForeignKey()
    key = models.CharField(max_length=32)
    value = models.CharField(max_length=64)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["content_type", "object_id", "key"], name="label_once")]
        indexes = [models.Index(fields=["key", "value"])]

    def __str__(self) -> str:
        return f"{self.key}={self.value}"
