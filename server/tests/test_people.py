"""People of a workshop: invitations that work once, roles, passwords, who is here, and what everybody did; and what is
done with parts as a whole."""

from __future__ import annotations

import json
import re
import threading
from datetime import timedelta
from typing import Any
from unittest.mock import patch

import pytest
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import Client
from django.utils import timezone
from django_otp.oath import TOTP
from django_otp.plugins.otp_totp.models import TOTPDevice
from people import make_person, signed_in
from tectogon_server.accounts.actions import passwords
from tectogon_server.accounts.actions.members import set_role
from tectogon_server.accounts.models import Invitation, Membership, Workshop
from tectogon_server.accounts.signed_in import MEMBERS
from tectogon_server.errors import NotAllowed
from tectogon_server.parts.models import Part, Presence

decoded = Session.get_decoded


def send(client: Client, method: str, path: str, body: dict[str, Any] | None = None) -> Any:
    return client.generic(method, f"/api{path}", json.dumps(body or {}), content_type="application/json")


def sent(client: Client, method: str, path: str, body: dict[str, Any], status: int = 200) -> Any:
    answer = client.generic(method.upper(), path, json.dumps(body), content_type="application/json")
    assert answer.status_code == status, answer.content
    return answer.json() if answer.content else None


@pytest.fixture
def olga(db: None) -> User:
    return make_person("olga", "Fernmoor", "owner")


NEW = {"username": "ben", "name": "Ben Moor", "password": "a long one indeed"}


def test_an_invitation_works_once_and_gives_its_role(olga: User) -> None:
    made = send(signed_in(olga), "POST", "/workshop/invitations", {"role": "viewer"}).json()
    client = Client()
    assert client.get(f"/api/join/{made['secret']}").json() == {"workshop": "Fernmoor", "role": "viewer"}
    joined = send(client, "POST", f"/join/{made['secret']}", NEW).json()
    assert (joined["name"], joined["workshop"], joined["role"]) == ("Ben Moor", "Fernmoor", "viewer")
    assert client.get("/api/me").json()["username"] == "ben"
    again = send(Client(), "POST", f"/join/{made['secret']}", {**NEW, "username": "eve"})
    assert again.status_code == 404 and "used" in again.json()["text"]
    assert not User.objects.filter(username="eve").exists()


def test_who_signed_in_before_an_upgrade_stays_signed_in(olga: User) -> None:
    client = Client()
    client.force_login(olga, "django.contrib.auth.backends.ModelBackend")
    assert client.get("/api/me").json()["workshop"] == "Fernmoor"
    told = {"username": "olga", "password": "river-gauge"}
    assert send(client, "POST", "/sign-in", told).status_code == 200
    assert client.session["_auth_user_backend"] == MEMBERS
    assert client.get("/api/me").json()["role"] == "owner"


def test_an_invitation_expires_and_can_be_taken_back(olga: User) -> None:
    client = signed_in(olga)
    old = send(client, "POST", "/workshop/invitations", {"role": "editor"}).json()
    Invitation.objects.update(expires=timezone.now() - timedelta(seconds=1))
    assert send(Client(), "POST", f"/join/{old['secret']}", NEW).status_code == 404
    fresh = send(client, "POST", "/workshop/invitations", {"role": "editor"}).json()
    assert [i["id"] for i in client.get("/api/workshop").json()["invitations"]] == [fresh["id"]]
    assert send(client, "DELETE", f"/workshop/invitations/{fresh['id']}").status_code == 204
    assert send(Client(), "POST", f"/join/{fresh['secret']}", NEW).status_code == 404


@pytest.mark.parametrize(
    ("change", "why"),
    [
        ({"username": "olga"}, "already"),
        ({"username": "a b"}, "letters"),
        ({"password": "short"}, "short"),
        ({"name": "  "}, "name"),
    ],
)
def test_who_joins_is_told_what_will_not_do(olga: User, change: dict[str, str], why: str) -> None:
    secret = send(signed_in(olga), "POST", "/workshop/invitations", {"role": "editor"}).json()["secret"]
    refused = send(Client(), "POST", f"/join/{secret}", {**NEW, **change})
    assert refused.status_code == 422 and why in refused.json()["text"]
    assert send(Client(), "POST", f"/join/{secret}", NEW).status_code == 200, "the invitation is still there"


def test_only_owners_invite_change_roles_and_remove(olga: User, ines: User) -> None:
    member = Membership.objects.get(user=olga)
    for method, path in (
        ("POST", "/workshop/invitations"),
        ("PATCH", f"/workshop/members/{member.pk}"),
        ("DELETE", f"/workshop/members/{member.pk}"),
    ):
        assert send(signed_in(ines), method, path, {"role": "viewer"}).status_code == 403
    assert signed_in(ines).get("/api/workshop").json()["invitations"] == []


def test_a_removed_person_is_out_at_once_and_the_last_owner_stays(olga: User, ines: User, part: Part) -> None:
    theirs, client = signed_in(ines), signed_in(olga)
    member, own = Membership.objects.get(user=ines), Membership.objects.get(user=olga)
    assert send(client, "PATCH", f"/workshop/members/{member.pk}", {"role": "viewer"}).status_code == 204
    assert send(theirs, "POST", f"/parts/{part.pk}/copy").status_code == 403
    assert send(client, "DELETE", f"/workshop/members/{member.pk}").status_code == 204
    assert theirs.get("/api/parts").status_code == 401
    for method in ("PATCH", "DELETE"):
        refused = send(client, method, f"/workshop/members/{own.pk}", {"role": "editor"})
        assert refused.status_code == 403 and "last owner" in refused.json()["text"]
    assert [p["name"] for p in client.get("/api/parts").json()] == ["Plate"], "what was recorded stays"


def test_a_changed_password_ends_every_other_session(ines: User) -> None:
    here, there = signed_in(ines), signed_in(ines)
    wrong = send(here, "POST", "/me/password", {"old": "guess", "new": "another long one"})
    assert wrong.status_code == 422
    assert send(here, "POST", "/me/password", {"old": "river-gauge", "new": "another long one"}).status_code == 204
    assert (here.get("/api/me").status_code, there.get("/api/me").status_code) == (200, 401)


def test_signing_out_everywhere(ines: User, olga: User) -> None:
    here, there, other = signed_in(ines), signed_in(ines), signed_in(olga)
    assert send(here, "POST", "/me/sign-out-everywhere").status_code == 204
    assert [c.get("/api/me").status_code for c in (here, there, other)] == [401, 401, 200]


def test_what_people_did_is_listed(olga: User, ines: User, part: Part) -> None:
    client = signed_in(ines)
    card = client.get(f"/api/parts/{part.pk}").json()["card"]
    card["steps"].append({"number": 20, "kind": "material", "params": {}})
    saved = send(client, "PUT", f"/parts/{part.pk}/card", {"based_on": 1, "card": card, "change": "It is of brass"})
    assert saved.status_code == 200, saved.content
    send(client, "PATCH", f"/parts/{part.pk}", {"archived": True})
    told = [(d["who"], d["words"], d["part_name"]) for d in signed_in(olga).get("/api/workshop/deeds").json()]
    assert told == [
        ("ines", "Removed “Plate”", ""),
        ("ines", "It is of brass", "Plate"),
        ("ines", "Made the part", "Plate"),
    ]


def test_name_number_and_labels_of_a_part(ines: User, part: Part) -> None:
    client = signed_in(ines)
    given = {"name": "Cover plate", "number": "FM-1042", "labels": ["sonde", "brass", "sonde"]}
    assert send(client, "PATCH", f"/parts/{part.pk}", given).json()["number"] == "FM-1042"
    (row,) = client.get("/api/parts").json()
    assert (row["name"], row["number"], row["labels"], row["files"], row["steps"]) == (
        "Cover plate",
        "FM-1042",
        ["sonde", "brass"],
        ["plate.dxf"],
        1,
    )
    assert send(client, "PATCH", f"/parts/{part.pk}", {"labels": [" "]}).status_code == 422


def test_a_copy_goes_its_own_way(ines: User, part: Part) -> None:
    client = signed_in(ines)
    made = send(client, "POST", f"/parts/{part.pk}/copy").json()
    assert (made["name"], made["revision"]) == ("Plate (copy)", 1)
    card = {**made["card"], "steps": made["card"]["steps"][:0]}
    send(client, "PUT", f"/parts/{made['id']}/card", {"based_on": 1, "card": card, "change": "Emptied"})
    assert len(client.get(f"/api/parts/{part.pk}").json()["card"]["steps"]) == 1


def test_who_has_a_part_open(ines: User, olga: User, part: Part) -> None:
    one, other = signed_in(ines), signed_in(olga)
    here = f"/parts/{part.pk}/presence"
    assert send(one, "POST", here).json() == ["ines"]
    assert send(other, "POST", here).json() == ["ines", "olga"]
    Presence.objects.filter(user=ines).update(seen=timezone.now() - timedelta(minutes=1))
    assert send(other, "POST", here).json() == ["olga"], "who is not heard of has left"
    assert send(other, "POST", here, {"leaving": True}).json() == []


def test_a_new_password_comes_by_a_link_that_works_once(ines: User, mailoutbox: list[Any]) -> None:
    client = Client()
    here = signed_in(ines)  # before the link: signing in makes it void
    sent(here, "patch", "/api/me", {"mail": "ines@example.com", "password": "river-gauge"})
    for name in ("nobody", "ines", "INES@example.com"):  # one mail in five minutes, whoever asks
        sent(client, "post", "/api/reset", {"name": name}, 204)
    assert len(mailoutbox) == 1 and mailoutbox[0].to == ["ines@example.com"]
    user, token = re.search(r"/reset/([^/]+)/(\S+)", mailoutbox[0].body).groups()  # type: ignore[union-attr]
    body = {"user": user, "token": token, "password": "weir-and-sluice-9"}
    assert "short" in sent(client, "post", "/api/reset/password", {**body, "password": "weir"}, 422)["text"]
    sent(client, "post", "/api/reset/password", body, 204)
    assert here.get("/api/me").status_code == 401, "whoever was in is out"
    assert "too old" in sent(client, "post", "/api/reset/password", body, 404)["text"]
    sent(client, "post", "/api/sign-in", {"username": "ines", "password": "weir-and-sluice-9"})


def test_who_changes_the_way_in_is_told_by_mail(ines: User, mailoutbox: list[Any]) -> None:
    client = signed_in(ines)
    sent(client, "patch", "/api/me", {"mail": "ines@example.com", "password": "river-gauge"})
    new = {"old": "river-gauge", "new": "weir-and-sluice-9"}
    client.post("/api/me/password", new, content_type="application/json", HTTP_ACCEPT_LANGUAGE="de")
    sent(client, "post", "/api/me/second-factor", {})
    sent(client, "put", "/api/me/second-factor", {"code": _code(TOTPDevice.objects.get(user=ines))}, 204)
    sent(client, "patch", "/api/me", {"mail": "ines@example.org", "password": "weir-and-sluice-9"})
    told = [(m.to[0], m.subject, m.body.split("\n\n")[1]) for m in mailoutbox]
    assert told == [
        ("ines@example.com", "Ihr Konto bei Tectogon", "Ihr Passwort wurde eben geändert."),
        ("ines@example.com", "Your account at Tectogon", "A second factor is wanted at signing in from now on."),
        ("ines@example.com", "Your account at Tectogon", "Mail for this account goes to another address from now on."),
    ], "the last one goes to where mail went before"


def test_places_where_one_is_signed_in_are_listed_and_ended(ines: User, olga: User) -> None:
    clients = [Client(HTTP_USER_AGENT=f"Browser {n}") for n in (1, 2)]
    for one in clients:
        sent(one, "post", "/api/sign-in", {"username": "ines", "password": "river-gauge"})
    listed = clients[0].get("/api/me/sessions").json()
    assert [(s["browser"], s["here"]) for s in listed] == [("Browser 2", False), ("Browser 1", True)]
    assert signed_in(olga).delete(f"/api/me/sessions/{listed[0]['key']}").status_code == 404
    assert clients[0].delete(f"/api/me/sessions/{listed[0]['key']}").status_code == 204
    assert clients[1].get("/api/me").status_code == 401 and clients[0].get("/api/me").status_code == 200


def test_a_second_factor_is_wanted_once_it_was_confirmed(ines: User, olga: User) -> None:
    client = signed_in(ines)
    begun = sent(client, "post", "/api/me/second-factor", {})
    assert begun["picture"].startswith("<svg")
    device = TOTPDevice.objects.get(user=ines)
    assert "not the code" in sent(client, "put", "/api/me/second-factor", {"code": "000000"}, 422)["text"]
    TOTPDevice.objects.update(throttling_failure_count=0, throttling_failure_timestamp=None)
    sent(client, "put", "/api/me/second-factor", {"code": _code(device)}, 204)
    entering = {"username": "ines", "password": "river-gauge"}
    assert sent(Client(), "post", "/api/sign-in", entering, 403)["code"] == "second_factor"
    assert sent(Client(), "post", "/api/sign-in", {**entering, "password": "x"}, 403)["code"] != "second_factor"
    TOTPDevice.objects.update(last_t=-1, throttling_failure_count=0, throttling_failure_timestamp=None)
    sent(Client(), "post", "/api/sign-in", {**entering, "code": _code(device)})
    again = sent(Client(), "post", "/api/sign-in", {**entering, "code": _code(device)}, 403)
    assert "was used" in again["text"], "each code counts once"
    member = Membership.objects.get(user=ines).pk
    assert client.delete(f"/api/workshop/members/{member}/second-factor").status_code == 403
    assert signed_in(olga).delete(f"/api/workshop/members/{member}/second-factor").status_code == 204
    sent(Client(), "post", "/api/sign-in", entering)


def _code(device: TOTPDevice) -> str:
    totp = TOTP(device.bin_key, device.step, device.t0, device.digits, device.drift)
    return f"{totp.token():06d}"


def test_a_person_takes_all_that_is_kept_of_them_and_leaves(ines: User, olga: User, part: Part) -> None:
    client = signed_in(ines)
    told = json.loads(client.get("/api/me/file").content)
    assert told["username"] == "ines" and told["recorded"][0]["part__name"] == "Plate"
    sent(client, "post", "/api/me/leave", {"password": "wrong"}, 422)
    sent(client, "post", "/api/me/leave", {"password": "river-gauge"}, 204)
    assert not User.objects.filter(username="ines").exists()
    assert signed_in(olga).get(f"/api/parts/{part.pk}").json()["who"] is None, "what was recorded stays"
    make_person("edna", "Fernmoor")
    assert "last owner" in sent(signed_in(olga), "post", "/api/me/leave", {"password": "river-gauge"}, 403)["text"]


def test_a_workshop_has_so_much_room_and_lets_go_of_what_was_put_away(
    olga: User, ines: User, part: Part, plate_dxf: bytes
) -> None:
    client = signed_in(olga)
    taken = client.get("/api/workshop/sizes").json()
    assert taken["files"] == len(plate_dxf) and taken["parts"] == 1 and taken["put_away_bytes"] == 0
    Workshop.objects.update(most_bytes=len(plate_dxf) + 30)
    more = SimpleUploadedFile("more.dxf", plate_dxf + b" " * 20)
    refused = signed_in(ines).post("/api/parts", {"file": more, "name": "More"})
    assert refused.status_code == 413 and "no room" in refused.json()["text"]
    sent(client, "patch", f"/api/parts/{part.pk}", {"archived": True})
    assert client.get("/api/workshop/sizes").json()["put_away_bytes"] == len(plate_dxf)
    left = client.post("/api/workshop/let-go").json()
    assert (left["files"], left["parts"], left["revisions"]) == (0, 0, 0)
    more.seek(0)
    assert signed_in(ines).post("/api/parts", {"file": more, "name": "More"}).status_code == 200


def test_owners_take_what_people_did_as_a_table(olga: User, part: Part) -> None:
    lines = signed_in(olga).get("/api/workshop/deeds/file").content.decode("utf-8-sig").splitlines()
    assert lines[0] == "at,who,part,what" and lines[-1].endswith(",ines,Plate,revision 1: Made the part")


def test_a_stolen_session_does_not_take_the_account(ines: User, client: Client) -> None:
    here = signed_in(ines)
    assert send(here, "PATCH", "/me", {"mail": "thief@example.com"}).status_code == 422
    assert send(here, "PATCH", "/me", {"mail": "thief@example.com", "password": "guess"}).status_code == 422
    ines.refresh_from_db()
    assert ines.email != "thief@example.com"
    for _ in range(12):
        last = send(here, "POST", "/me/password", {"old": "guess", "new": "weir-and-sluice-9"})
    assert last.status_code == 429, "guesses are slowed"


def test_a_confirmed_second_factor_is_replaced_by_the_password_alone(ines: User) -> None:
    here = signed_in(ines)
    sent(here, "post", "/api/me/second-factor", {})
    device = TOTPDevice.objects.get(user=ines)
    sent(here, "put", "/api/me/second-factor", {"code": _code(device)}, 204)
    assert send(here, "POST", "/me/second-factor", {}).status_code == 422
    assert send(here, "POST", "/me/second-factor", {"password": "river-gauge"}).status_code == 200


def test_a_mail_server_that_is_away_tells_nobody_who_is_here(
    ines: User, client: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    ines.email = "ines@example.com"
    ines.save()

    def away(*_: object) -> None:
        raise ConnectionRefusedError

    monkeypatch.setattr("tectogon_server.accounts.actions.account.send", away)
    asked = [client.post("/api/reset", json.dumps({"name": name}), "application/json") for name in ("ines", "nobody")]
    assert [a.status_code for a in asked] == [204, 204]


def test_hashing_is_bounded_and_the_rest_is_told_at_once(monkeypatch: pytest.MonkeyPatch, ines: User) -> None:
    monkeypatch.setattr(passwords, "_turns", threading.BoundedSemaphore(1))
    with passwords.hashing():
        answer = send(Client(), "POST", "/sign-in", {"username": "ines", "password": "river-gauge"})
    assert (answer.status_code, answer.json()["code"]) == (429, "too_many")


def test_ever_new_names_from_one_address_are_counted_together(ines: User, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(passwords, "_MOST_FROM_AN_ADDRESS", 5)
    answers = [send(Client(), "POST", "/sign-in", {"username": f"x{n}", "password": "y"}).status_code for n in range(8)]
    assert answers[:4] == [403] * 4 and answers[-1] == 429


def test_a_persons_sessions_are_found_without_reading_everybodys(
    ines: User, olga: User, django_assert_max_num_queries: Any
) -> None:
    here, there = signed_in(ines), signed_in(ines)
    others = [signed_in(olga) for _ in range(5)]
    for client in (here, there):
        client.get("/api/me")
    with (
        django_assert_max_num_queries(6),
        patch.object(Session, "get_decoded", autospec=True, side_effect=decoded) as read,
    ):
        assert len(here.get("/api/me/sessions").json()) == 2
    assert read.call_count <= 3
    changed = {"old": "river-gauge", "new": "weir-and-sluice-9"}
    sent(here, "post", "/api/me/password", changed, 204)
    assert here.get("/api/me").status_code == 200, "the one that changed it goes on"
    assert there.get("/api/me").status_code == 401
    assert others[0].get("/api/me").status_code == 200


@pytest.mark.django_db(transaction=True)
def test_two_owners_can_not_both_make_each_other_viewers() -> None:
    """At one moment: who comes second finds that there is no other owner left."""
    people = [make_person(name, "Fernmoor", "owner") for name in ("ines", "olga")]
    numbers = [Membership.objects.get(user=user).pk for user in people]
    together = threading.Barrier(2)
    refused: list[str] = []

    def step(user: User, other: int) -> None:
        together.wait()
        try:
            set_role(user, other, "viewer")
        except NotAllowed as no:
            refused.append(str(no))
        finally:
            connection.close()

    threads = [threading.Thread(target=step, args=(people[n], numbers[1 - n])) for n in (0, 1)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    assert Membership.objects.filter(role="owner").count() == 1
    assert len(refused) == 1
