"""Computations asked for: a card to run, or a file to write, with their progress."""

from __future__ import annotations

import uuid

from django.contrib.auth.models import User
from django.db import models
from django.utils import timezone

from tectogon_server.accounts.models import Owned
from tectogon_server.news import tell
from tectogon_server.parts.models import Part


class Computation(Owned):
    """One computation. Results lie in the cache under `key`; the row says how it went."""

    class State(models.TextChoices):
        QUEUED = "queued"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        STOPPED = "stopped"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    part = models.ForeignKey(Part, on_delete=models.CASCADE, related_name="computations")
    user = models.ForeignKey(User, null=True, on_delete=models.SET_NULL)
    kind = models.CharField(max_length=10, default="run")
    purpose = models.CharField(max_length=10, default="preview")
    card = models.JSONField()
    options = models.JSONField(default=dict)
    key = models.CharField(max_length=80)
    state = models.CharField(max_length=10, choices=State.choices, default=State.QUEUED)
    progress = models.CharField(max_length=300, default="")
    message = models.CharField(max_length=1000, default="")
    code = models.CharField(max_length=40, default="")
    asked = models.DateTimeField(default=timezone.now)
    beat = models.DateTimeField(null=True)
    attempts = models.PositiveSmallIntegerField(default=0)

    def tell(self, what: str, **facts: str) -> None:
        """Tell everybody of the workshop something of this computation."""
        tell(self.workshop_id, what, computation=str(self.pk), part=self.part_id, **facts)

    class Meta:
        indexes = [
            models.Index(fields=["part", "-asked"]),
            models.Index(fields=["state", "beat"]),
            models.Index(fields=["asked"]),
        ]


class Handover(models.Model):
    """A file of a result on its way from the machine of a worker to that of a web process, or of another worker. The
    table is not logged by the database and no part of a backup; its rows go after some minutes."""

    key = models.CharField(max_length=80)
    what = models.CharField(max_length=12)
    data = models.BinaryField()
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["key", "what"], name="one_handover")]
        indexes = [models.Index(fields=["made"])]
