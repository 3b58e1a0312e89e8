"""Who belongs to a workshop, and in which role. A workshop always has an owner."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import transaction

from tectogon_server.accounts.actions.deeds import record
from tectogon_server.accounts.actions.permission import owner
from tectogon_server.accounts.actions.second_factor import take_off
from tectogon_server.accounts.actions.sessions import end_sessions
from tectogon_server.accounts.models import Membership, Workshop
from tectogon_server.errors import BadName, NotAllowed


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


def without_second_factor(user: User, member_id: int) -> None:
    """A member who lost the phone signs in by the password alone again. Raises NotAllowed, Membership.DoesNotExist."""
    with transaction.atomic():
        take_off(_member(user, member_id).user, by=user)


def locked_workshop(user: User) -> None:
    """Have a person's workshop to oneself until the transaction is through: who its owners are is counted, and must not
    change meanwhile."""
    Workshop.objects.select_for_update().filter(memberships__user=user).first()


def _member(user: User, member_id: int) -> Membership:
    locked_workshop(user)
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
