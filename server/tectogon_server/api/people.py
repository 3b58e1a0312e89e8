"""Routes about people: the own account, the workshop's members and invitations, and what everybody did."""

from __future__ import annotations

import csv
import io
import json
from dataclasses import asdict

from django.contrib.auth import logout, update_session_auth_hash
from django.contrib.auth.models import User
from django.core.serializers.json import DjangoJSONEncoder
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Router
from ninja.errors import HttpError
from ninja.utils import check_csrf
from tectogon.display.table_cells import plain_cell

from tectogon_server.accounts.actions import (
    account,
    habits,
    invite,
    members,
    passwords,
    permission,
    second_factor,
    sessions,
)
from tectogon_server.accounts.models import Deed, Invitation, Membership, membership_of
from tectogon_server.api import shapes
from tectogon_server.news import hash_of
from tectogon_server.parts.actions import rooms
from tectogon_server.parts.models import Revision

router = Router()
_MOST_DEEDS = 200


def person(request: HttpRequest) -> User:
    """Whoever is signed in; the routes that use it are behind the session."""
    assert isinstance(request.user, User)
    return request.user


def described(user: User) -> shapes.Person:
    """A person as their own browser sees them."""
    membership = membership_of(user)
    return shapes.Person(
        name=called(user),
        username=user.username,
        workshop=membership.workshop.name if membership else "",
        role=membership.role if membership else "viewer",
        inches=membership.inches if membership else False,
        mail=user.email,
        second_factor=second_factor.has_second_factor(user),
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
    if given.inches is not None and (mine := membership_of(user)):
        mine.inches = given.inches
        mine.save(update_fields=["inches"])
    if given.mail is not None and given.mail.strip() != user.email:
        passwords.confirm(request, user, given.password)
        account.set_address(user, given.mail)
    return described(user)


@router.post("/me/password", response={204: None})
def change_password(request: HttpRequest, given: shapes.NewPassword) -> tuple[int, None]:
    passwords.confirm(request, person(request), given.old)
    account.change_password(person(request), given.new)
    update_session_auth_hash(request, person(request))
    sessions.end_sessions(person(request), but=request.session.session_key)
    return 204, None


@router.post("/me/sign-out-everywhere", response={204: None})
def sign_out_everywhere(request: HttpRequest) -> tuple[int, None]:
    sessions.end_sessions(person(request))
    logout(request)
    return 204, None


@router.get("/me/sessions", response=list[shapes.SignedIn])
def own_sessions(request: HttpRequest) -> list[shapes.SignedIn]:
    """Where the person is signed in."""
    here = hash_of(request.session.session_key or "")
    return [shapes.SignedIn(**asdict(s), here=s.key == here) for s in sessions.sessions_of(person(request))]


@router.delete("/me/sessions/{key}", response={204: None})
def end_session(request: HttpRequest, key: str) -> tuple[int, None]:
    sessions.end_session(person(request), key)
    return 204, None


@router.post("/me/second-factor", response=shapes.SecondFactorBegun)
def begin_second_factor(request: HttpRequest, given: shapes.BeginSecondFactor) -> shapes.SecondFactorBegun:
    """Another second factor takes the place of a confirmed one only for somebody who knows the password."""
    if second_factor.has_second_factor(person(request)):
        passwords.confirm(request, person(request), given.password)
    secret, picture = second_factor.begin(person(request))
    return shapes.SecondFactorBegun(secret=secret, picture=picture)


@router.put("/me/second-factor", response={204: None})
def confirm_second_factor(request: HttpRequest, given: shapes.Code) -> tuple[int, None]:
    second_factor.confirm(person(request), given.code)
    return 204, None


@router.post("/me/second-factor/off", response={204: None})
def no_second_factor(request: HttpRequest, given: shapes.OwnPassword) -> tuple[int, None]:
    user = person(request)
    passwords.confirm(request, user, given.password)
    second_factor.take_off(user, by=user)
    return 204, None


@router.get("/me/file", response={200: None})
def own_data(request: HttpRequest) -> HttpResponse:
    """All that is kept of the person, as one file."""
    user = person(request)
    deeds = Deed.objects.of(user).filter(who=user).values("at", "words")
    saved = Revision.objects.of(user).filter(author=user).values("made", "part__name", "number", "change")
    told = {
        **described(user).dict(),
        "joined": user.date_joined,
        "signed_in": user.last_login,
        "sessions": [asdict(s) for s in sessions.sessions_of(user)],
        "did": list(deeds),
        "recorded": list(saved),
    }
    response = HttpResponse(json.dumps(told, cls=DjangoJSONEncoder, indent=1), content_type="application/json")
    response["Content-Disposition"] = 'attachment; filename="my data.json"'
    return response


@router.post("/me/leave", response={204: None})
def leave(request: HttpRequest, given: shapes.OwnPassword) -> tuple[int, None]:
    """The account is deleted."""
    passwords.confirm(request, person(request), given.password)
    account.leave(person(request))
    logout(request)
    return 204, None


@router.post("/reset", auth=None, response={204: None})
def ask_reset(request: HttpRequest, given: shapes.AskReset) -> tuple[int, None]:
    """A link for a new password goes out by mail, if there is somebody of that name or address."""
    _from_our_page(request)
    account.send_reset(given.name.strip()[:150], f"{request.scheme}://{request.get_host()}")
    return 204, None


@router.post("/reset/password", auth=None, response={204: None})
def reset(request: HttpRequest, given: shapes.Reset) -> tuple[int, None]:
    _from_our_page(request)
    account.reset_password(given.user, given.token, given.password)
    return 204, None


def _from_our_page(request: HttpRequest) -> None:
    if check_csrf(request) is not None:
        raise HttpError(403, "Load the page anew and try again: it carries no token against forgery.")


@router.get("/workshop", response=shapes.WorkshopOut)
def workshop(request: HttpRequest) -> shapes.WorkshopOut:
    """The members, and for an owner the invitations that are open."""
    mine = Membership.objects.select_related("workshop").get(user=person(request))
    rows = Membership.objects.filter(workshop=mine.workshop).select_related("user").order_by("pk")
    is_owner = mine.role == Membership.Role.OWNER
    waiting = Invitation.objects.filter(workshop=mine.workshop, used=None, expires__gt=timezone.now()).order_by("-pk")
    guarded = second_factor.guarded([m.user_id for m in rows])
    return shapes.WorkshopOut(
        name=mine.workshop.name,
        bed=mine.workshop.bed,
        bend_table=mine.workshop.bend_table,
        bend_rows=habits.bend_rows(mine.workshop.bend_table),
        members=[
            shapes.MemberOut(
                id=m.pk,
                name=called(m.user),
                username=m.user.username,
                role=m.role,
                me=m.pk == mine.pk,
                second_factor=m.user_id in guarded,
            )
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


@router.delete("/workshop/members/{member_id}/second-factor", response={204: None})
def without_second_factor(request: HttpRequest, member_id: int) -> tuple[int, None]:
    members.without_second_factor(person(request), member_id)
    return 204, None


@router.get("/workshop/sizes", response=shapes.SizesOut)
def sizes(request: HttpRequest) -> shapes.SizesOut:
    """What the workshop takes, for its owners."""
    return shapes.SizesOut(**asdict(rooms.sizes_of(person(request))))


@router.post("/workshop/let-go", response=shapes.SizesOut)
def let_go(request: HttpRequest) -> shapes.SizesOut:
    """Delete the parts that were put away, with all their revisions, and the files that nothing else needs."""
    rooms.let_go(person(request))
    return sizes(request)


@router.get("/workshop/deeds/file", response={200: None})
def deeds_file(request: HttpRequest) -> HttpResponse:
    """Everything that people did, as a table, for the workshop's owners."""
    user = permission.owner(person(request)).user
    out = io.StringIO()
    table = csv.writer(out)
    table.writerow(("at", "who", "part", "what"))
    done = [(d.at, called(d.who), "", d.words) for d in Deed.objects.of(user).select_related("who")]
    rows = Revision.objects.of(user).select_related("author", "part").defer("card")
    done += [(r.made, called(r.author), r.part.name, f"revision {r.number}: {r.change}") for r in rows]
    for at, who, part, words in sorted(done, key=lambda row: row[0]):
        table.writerow((at.isoformat(timespec="seconds"), *(plain_cell(text) for text in (who, part, words))))
    response = HttpResponse(out.getvalue().encode("utf-8-sig"), content_type="text/csv")
    response["Content-Disposition"] = 'attachment; filename="what people did.csv"'
    return response


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
    _from_our_page(request)
    user = invite.join(secret, given.username.strip(), given.name, given.password)
    sessions.begin(request, user)
    return described(user)
