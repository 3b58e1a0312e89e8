"""A second factor at signing in: a code that changes twice a minute, from an application on a phone (RFC 6238)."""

from __future__ import annotations

import base64
import io

import segno
from django.contrib.auth.models import User
from django.db import transaction
from django_otp.plugins.otp_totp.models import TOTPDevice

from tectogon_server.accounts.actions.deeds import record
from tectogon_server.accounts.actions.mail import notify
from tectogon_server.errors import BadName

_ISSUER = "Tectogon"


def has_second_factor(user: User) -> bool:
    return bool(TOTPDevice.objects.filter(user=user, confirmed=True).exists())


def guarded(users: list[int]) -> set[int]:
    """Which of some people have one."""
    return set(TOTPDevice.objects.filter(user__in=users, confirmed=True).values_list("user_id", flat=True))


@transaction.atomic
def begin(user: User) -> tuple[str, str]:
    """A new secret, to be typed (base32) or read from a picture (SVG). It counts once a code of it was given."""
    TOTPDevice.objects.filter(user=user, confirmed=False).delete()
    device = TOTPDevice.objects.create(user=user, name=_ISSUER, confirmed=False)
    secret = base64.b32encode(device.bin_key).decode().rstrip("=")
    address = f"otpauth://totp/{_ISSUER}:{user.username}?secret={secret}&issuer={_ISSUER}&digits=6&period=30"
    picture = io.BytesIO()
    segno.make(address, error="m").save(picture, kind="svg", xmldecl=False, svgns=True, scale=4, border=3)
    return secret, picture.getvalue().decode()


@transaction.atomic
def confirm(user: User, code: str) -> None:
    """From now on a code is wanted at signing in. Raises BadName for a wrong one."""
    device = TOTPDevice.objects.select_for_update().filter(user=user, confirmed=False).first()
    if device is None or not _fits(device, code):
        raise BadName("That is not the code that the application shows now; wait for the next one.")
    TOTPDevice.objects.filter(user=user, confirmed=True).delete()
    device.confirmed = True
    device.save()
    record(user, "Took a second factor")
    notify(user, "A second factor is wanted at signing in from now on.")


def check(user: User, code: str) -> bool:
    """Whether a code is right just now; each counts once, and after wrong ones there is a wait that grows."""
    with transaction.atomic():
        device = TOTPDevice.objects.select_for_update().filter(user=user, confirmed=True).first()
        return device is not None and _fits(device, code)


def take_off(user: User, by: User) -> None:
    """The password alone is wanted again."""
    TOTPDevice.objects.filter(user=user).delete()
    record(by, "Took the second factor off" + ("" if user == by else f" {user.get_full_name() or user.username}"))
    notify(user, "No second factor is wanted at signing in any more.")


def _fits(device: TOTPDevice, code: str) -> bool:
    allowed, _ = device.verify_is_allowed()
    return bool(allowed and device.verify_token("".join(code.split())[:12]))
