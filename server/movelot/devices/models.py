"""Where devices may be."""

from django.db import models


class AllowedNetwork(models.Model):
    """A network, in the notation of CIDR, in which devices may be linked; where there is none, see ``networks``."""

    cidr = models.CharField(max_length=49, unique=True)
    note = models.CharField(max_length=200, blank=True)
    added_by = models.CharField(max_length=150)
    added_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.cidr
