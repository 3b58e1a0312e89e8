"""Parts, the revisions of their route cards, and the files they were made from. The card is the document; all else is
computed."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models

from tectogon_server.accounts.models import Owned, OwnedQuerySet


class Source(Owned):
    """A file brought in, byte for byte, kept once for each content. Its bytes lie in chunks, so that none is ever in
    memory whole."""

    sha256 = models.CharField(max_length=64)
    size = models.BigIntegerField()
    added = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["workshop", "sha256"], name="one_source_per_content")]


class SourceChunk(models.Model):
    """The bytes of a source from `CHUNK` × number on."""

    CHUNK = 1_000_000

    source = models.ForeignKey(Source, on_delete=models.CASCADE, related_name="chunks")
    number = models.PositiveIntegerField()
    data = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["source", "number"], name="one_chunk_per_number")]


class _Parts(models.Manager.from_queryset(OwnedQuerySet)):  # type: ignore[misc]
    """Parts without their pictures, which are read where they are asked for."""

    def get_queryset(self) -> OwnedQuerySet:
        found: OwnedQuerySet = super().get_queryset().defer("picture")
        return found


REFUSED = "refused"
"""Among the figures of a part: why nothing of its files can be read. Such a part is on the shelf only once it has
another card."""


class Part(Owned):
    """A part on the shelf. Its card is `head`'s; picture and figures are those of the last saved card that was
    computed."""

    name = models.CharField(max_length=120)
    number = models.CharField(max_length=40, blank=True, default="")
    """The workshop's own number of the part."""
    labels = models.JSONField(default=list)
    issue = models.PositiveIntegerField(default=1)
    released = models.DateTimeField(null=True)
    """When this issue was released: from then on its card stays as it is, and what is changed is the next issue."""
    desk = models.BooleanField(default=False)
    """Whether it is no part of the shelf, but where the workshop's library is worked on."""
    archived = models.DateTimeField(null=True)
    """When it was put away; it can be brought back."""
    created = models.DateTimeField(auto_now_add=True)
    changed = models.DateTimeField(auto_now=True)
    head = models.ForeignKey("Revision", null=True, on_delete=models.PROTECT, related_name="+")
    picture = models.BinaryField(null=True)
    figures = models.JSONField(default=dict)
    gauges = models.JSONField(default=list)
    computed_key = models.CharField(max_length=64, default="")
    steps = models.PositiveIntegerField(default=0)
    files = models.JSONField(default=list)
    """How many steps its card has, and which files: the shelf shows and finds them without reading any card."""

    objects = _Parts()  # type: ignore[misc]

    class Meta:
        ordering = ["-changed"]
        base_manager_name = "objects"

    def __str__(self) -> str:
        return self.name

    def set_head(self, revision: Revision) -> None:
        """Make a revision the part's card, with what the shelf shows of it."""
        self.head = revision
        self.steps = len(revision.card.get("steps", []))
        self.files = list(revision.card.get("sources", {}))
        if REFUSED in self.figures:
            self.archived = None
        self.save(update_fields=["head", "steps", "files", "changed", "archived"])


class Presence(models.Model):
    """A person who has a part open, and when that was last said."""

    part = models.ForeignKey(Part, on_delete=models.CASCADE, related_name="present")
    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    seen = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["part", "user"], name="one_presence_per_person")]


class Revision(Owned):
    """One state of a part's card. Revisions are never changed or deleted; undo and redo only move the part's head along
    them."""

    part = models.ForeignKey(Part, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    parent = models.ForeignKey("self", null=True, on_delete=models.PROTECT, related_name="children")
    card = models.JSONField()
    change = models.CharField(max_length=300, default="")
    author = models.ForeignKey(User, null=True, on_delete=models.SET_NULL)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["part", "number"], name="one_revision_per_number")]


class LibrarySection(Owned):
    """One issue of a section of the workshop's library. Issues are never changed: what is edited becomes the next; the
    newest of a number is the one in force."""

    number = models.CharField(max_length=60)
    issue = models.PositiveIntegerField()
    facts = models.JSONField()
    """As `tectogon.library.section.SectionFacts` has them."""
    figures = models.JSONField()
    outline = models.JSONField()
    drawing = models.ForeignKey(Source, on_delete=models.PROTECT, related_name="+")
    """Its profile as a DXF."""
    current = models.BooleanField(default=True)
    away = models.BooleanField(default=False)
    """Whether it was put away: parts that use it keep it."""
    made = models.DateTimeField(auto_now_add=True)
    author = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ["number", "-issue"]
        constraints = [models.UniqueConstraint(fields=["workshop", "number", "issue"], name="one_section_per_issue")]

    def __str__(self) -> str:
        return f"{self.number} issue {self.issue}"
