"""Who may do what: everybody of a workshop looks, editors and owners change its parts, owners see to its people."""

from __future__ import annotations

from django.contrib.auth.models import User

from tectogon_server.accounts.models import Membership, membership_of
from tectogon_server.errors import NotAllowed


def member(user: User) -> Membership:
    """The person's membership. Raises NotAllowed for those without a workshop."""
    membership = membership_of(user)
    if membership is None:
        raise NotAllowed("You do not belong to a workshop yet; ask its owner to add you.")
    return membership


def editor(user: User) -> Membership:
    """The person's membership. Raises NotAllowed for those who may only look, and for those without a workshop."""
    membership = member(user)
    if not membership.may_edit:
        raise NotAllowed("You may look at the parts of this workshop, but not change them.")
    return membership


def owner(user: User) -> Membership:
    """The person's membership. Raises NotAllowed for all but owners."""
    membership = membership_of(user)
    if membership is None or membership.role != Membership.Role.OWNER:
        raise NotAllowed("Only an owner of the workshop can do this.")
    return membership
