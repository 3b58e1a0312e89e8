"""People belong to workshops; every row of the product belongs to one, and is fetched through `Owned` alone."""

from __future__ import annotations

from typing import Any, Self

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser, User
from django.contrib.sessions.models import Session
from django.db import models


class Workshop(models.Model):
    """A company, or a department of one: who shares parts."""

    name = models.CharField(max_length=120)
    bed = models.CharField(max_length=60, blank=True, default="")
    """The bed that its printer has, as typed."""
    bend_table = models.CharField(max_length=400, blank=True, default="")
    """Its K by radius / thickness, as typed."""
    most_bytes = models.BigIntegerField(null=True)
    """How much its files may take; what settings say, where none is given."""

    def __str__(self) -> str:
        return self.name


class Membership(models.Model):
    """A person in a workshop, with a role."""

    class Role(models.TextChoices):
        OWNER = "owner"
        EDITOR = "editor"
        VIEWER = "viewer"

    workshop = models.ForeignKey(Workshop, on_delete=models.CASCADE, related_name="memberships")
    user = models.OneToOneField(User, on_delete=models.CASCADE, related_name="membership")
    role = models.CharField(max_length=10, choices=Role.choices, default=Role.EDITOR)
    inches = models.BooleanField(default=False)
    """Whether this person is shown lengths in inches with fractions; what is kept is in mm either way."""

    reset_asked = models.DateTimeField(null=True)
    """When a link for a new password was sent last."""

    @property
    def may_edit(self) -> bool:
        return self.role != self.Role.VIEWER


def membership_of(user: User) -> Membership | None:
    """The person's membership, looked up once in a request; None for those without a workshop."""
    try:
        found: Membership = user.membership
    except Membership.DoesNotExist:
        return None
    return found


class OwnedQuerySet(models.QuerySet[Any]):
    """Rows of workshops; `of` is the one place that filters by who asks."""

    def of(self, user: AbstractBaseUser | AnonymousUser) -> Self:
        """The rows of this person's workshop; none for a stranger."""
        if not isinstance(user, User) or not user.is_active:
            return self.none()
        mine = membership_of(user)
        return self.filter(workshop_id=mine.workshop_id) if mine else self.none()


class Owned(models.Model):
    """A row that belongs to a workshop."""

    workshop = models.ForeignKey(Workshop, on_delete=models.CASCADE, related_name="+")
    objects = OwnedQuerySet.as_manager()

    class Meta:
        abstract = True


class Invitation(Owned):
    """A link by which one person joins the workshop, once, before it expires. Only a hash of it is kept."""

    hash = models.CharField(max_length=64, unique=True)
    role = models.CharField(max_length=10, choices=Membership.Role.choices)
    made_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    made = models.DateTimeField(auto_now_add=True)
    expires = models.DateTimeField()
    used = models.DateTimeField(null=True)


class Deed(Owned):
    """What somebody did that no revision of a part tells of: people who came and went, parts put away."""

    who = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    words = models.CharField(max_length=300)

    class Meta:
        ordering = ["-at"]


class OwnSession(models.Model):
    """Whose a session is."""

    session = models.OneToOneField(Session, on_delete=models.CASCADE, primary_key=True, related_name="own")
    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="own_sessions")
