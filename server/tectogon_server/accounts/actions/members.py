"""Who belongs to a workshop, and in which role. A workshop always has an owner."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import transaction

from tectogon_server.accounts.actions.account import end_sessions
from tectogon_server.accounts.actions.deeds import record
from tectogon_server.accounts.models import Membership
from tectogon_server.errors import BadName, NotAllowed


def owner(user: User) -> Membership:
    """The person's membership. Raises NotAllowed for all but owners."""
    mine = Membership.objects.select_related("workshop").filter(user=user).first()
    if mine is None or mine.role != Membership.Role.OWNER:
        raise NotAllowed("Only an owner of the workshop can do this.")
    return mine


@transaction.atomic
def set_role(user: User, member_id: int, role: str) -> None:
    """Raises NotAllowed, BadName, Membership.DoesNotExist."""
    member = _member(user, member_id)
    if role not in Membership.Role.values:
        raise BadName("A role is one of owner, editor and viewer.")
    if member.role == role:
        return
    _keep_an_owner(member)
    member.role = role
    member.save(update_fields=["role"])
    record(user, f"Made {_called(member)} {role}")


@transaction.atomic
def remove(user: User, member_id: int) -> None:
    """The person belongs to the workshop no longer and is signed out; what was recorded stays. Raises NotAllowed,
    Membership.DoesNotExist."""
    member = _member(user, member_id)
    _keep_an_owner(member)
    record(user, f"Removed {_called(member)}")
    end_sessions(member.user)
    User.objects.filter(pk=member.user_id).update(is_active=False)
    member.delete()


def _member(user: User, member_id: int) -> Membership:
    mine = owner(user)
    rows = Membership.objects.select_for_update(of=("self",)).select_related("user")
    found: Membership = rows.get(workshop=mine.workshop, pk=member_id)
    return found


def _keep_an_owner(member: Membership) -> None:
    others = Membership.objects.filter(workshop=member.workshop, role=Membership.Role.OWNER).exclude(pk=member.pk)
    if member.role == Membership.Role.OWNER and not others.exists():
        raise NotAllowed("This is the workshop's last owner; make somebody else an owner first.")


def _called(member: Membership) -> str:
    return member.user.get_full_name() or member.user.username
