"""Routes about people: the own account, the workshop's members and invitations, and what everybody did."""

from __future__ import annotations

from django.contrib.auth import login, logout, update_session_auth_hash
from django.contrib.auth.models import User
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from ninja.errors import HttpError
from ninja.utils import check_csrf

from tectogon_server.accounts.actions import account, habits, invite, members
from tectogon_server.accounts.models import Deed, Invitation, Membership
from tectogon_server.api import shapes
from tectogon_server.parts.models import Revision

router = Router()
_MOST_DEEDS = 200


def person(request: HttpRequest) -> User:
    """Whoever is signed in; the routes that use it are behind the session."""
    assert isinstance(request.user, User)
    return request.user


def described(user: User) -> shapes.Person:
    """A person as their own browser sees them."""
    membership = Membership.objects.select_related("workshop").filter(user=user).first()
    return shapes.Person(
        name=called(user),
        username=user.username,
        workshop=membership.workshop.name if membership else "",
        role=membership.role if membership else "viewer",
        inches=membership.inches if membership else False,
    )


def called(user: User | None) -> str:
    """A person's name as others see it."""
    return (user.get_full_name() or user.username) if user else "somebody who has left"


@router.get("/me", response=shapes.Person)
def me(request: HttpRequest) -> shapes.Person:
    return described(person(request))


@router.patch("/me", response=shapes.Person)
def change_me(request: HttpRequest, given: shapes.ChangeMe) -> shapes.Person:
    user = person(request)
    if given.name is not None:
        invite.set_name(user, given.name)
        user.save(update_fields=["first_name", "last_name"])
    if given.inches is not None:
        Membership.objects.filter(user=user).update(inches=given.inches)
    return described(user)


@router.post("/me/password", response={204: None})
def change_password(request: HttpRequest, given: shapes.NewPassword) -> tuple[int, None]:
    account.change_password(person(request), given.old, given.new)
    update_session_auth_hash(request, person(request))
    return 204, None


@router.post("/me/sign-out-everywhere", response={204: None})
def sign_out_everywhere(request: HttpRequest) -> tuple[int, None]:
    account.end_sessions(person(request))
    logout(request)
    return 204, None


@router.get("/workshop", response=shapes.WorkshopOut)
def workshop(request: HttpRequest) -> shapes.WorkshopOut:
    """The members, and for an owner the invitations that are open."""
    mine = Membership.objects.select_related("workshop").get(user=person(request))
    rows = Membership.objects.filter(workshop=mine.workshop).select_related("user").order_by("pk")
    is_owner = mine.role == Membership.Role.OWNER
    waiting = Invitation.objects.filter(workshop=mine.workshop, used=None, expires__gt=timezone.now()).order_by("-pk")
    return shapes.WorkshopOut(
        name=mine.workshop.name,
        bed=mine.workshop.bed,
        bend_table=mine.workshop.bend_table,
        bend_rows=habits.bend_rows(mine.workshop.bend_table),
        members=[
            shapes.MemberOut(id=m.pk, name=called(m.user), username=m.user.username, role=m.role, me=m.pk == mine.pk)
            for m in rows
        ],
        invitations=[
            shapes.InvitationOut(id=i.pk, role=i.role, expires=i.expires, secret=None)
            for i in (waiting if is_owner else [])
        ],
    )


@router.put("/workshop/bed", response={204: None})
def keep_bed(request: HttpRequest, given: shapes.Bed) -> tuple[int, None]:
    """The bed of the workshop's printer, as typed."""
    habits.keep_bed(person(request), given.bed)
    return 204, None


@router.put("/workshop/bend-table", response={204: None})
def keep_bend_table(request: HttpRequest, given: shapes.BendTable) -> tuple[int, None]:
    """The workshop's table of K, as typed."""
    habits.keep_bend_table(person(request), given.table)
    return 204, None


@router.post("/workshop/invitations", response=shapes.InvitationOut)
def invite_somebody(request: HttpRequest, given: shapes.Role) -> shapes.InvitationOut:
    secret, made = invite.invite(person(request), given.role)
    return shapes.InvitationOut(id=made.pk, role=made.role, expires=made.expires, secret=secret)


@router.delete("/workshop/invitations/{invitation_id}", response={204: None})
def take_invitation_back(request: HttpRequest, invitation_id: int) -> tuple[int, None]:
    invite.take_back(person(request), invitation_id)
    return 204, None


@router.patch("/workshop/members/{member_id}", response={204: None})
def set_role(request: HttpRequest, member_id: int, given: shapes.Role) -> tuple[int, None]:
    members.set_role(person(request), member_id, given.role)
    return 204, None


@router.delete("/workshop/members/{member_id}", response={204: None})
def remove_member(request: HttpRequest, member_id: int) -> tuple[int, None]:
    members.remove(person(request), member_id)
    return 204, None


@router.get("/workshop/deeds", response=list[shapes.DeedOut])
def deeds(request: HttpRequest) -> list[shapes.DeedOut]:
    """What the people of the workshop did, the latest first: every recorded sentence, and what no part tells of."""
    user = person(request)
    done = Deed.objects.of(user).select_related("who")[:_MOST_DEEDS]
    saved = Revision.objects.of(user).select_related("author", "part").defer("card").order_by("-made")[:_MOST_DEEDS]
    told = [shapes.DeedOut(at=d.at, who=called(d.who), words=d.words, part=None, part_name="") for d in done]
    told += [
        shapes.DeedOut(at=r.made, who=called(r.author), words=r.change, part=r.part_id, part_name=r.part.name)
        for r in saved
    ]
    return sorted(told, key=lambda deed: deed.at, reverse=True)[:_MOST_DEEDS]


@router.get("/join/{secret}", auth=None, response=shapes.InvitationTold)
def look_at_invitation(request: HttpRequest, secret: str) -> shapes.InvitationTold:
    found = invite.invitation_of(secret)
    return shapes.InvitationTold(workshop=found.workshop.name, role=found.role)


@router.post("/join/{secret}", auth=None, response=shapes.Person)
def join(request: HttpRequest, secret: str, given: shapes.Join) -> shapes.Person:
    if check_csrf(request) is not None:
        raise HttpError(403, "Load the page anew and try again: it carries no token against forgery.")
    user = invite.join(secret, given.username.strip(), given.name, given.password)
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return described(user)
