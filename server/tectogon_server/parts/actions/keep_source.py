"""Keep a file's bytes, once for each content."""

from __future__ import annotations

import hashlib

from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import UploadedFile
from tectogon.errors import OverLimit, UnreadableFile, UnsupportedFile
from tectogon.formats import FORMATS, format_of

from tectogon_server.parts.actions.permission import editor
from tectogon_server.parts.errors import BadName
from tectogon_server.parts.models import Source

MAX_NAME = 120


def keep_source(user: User, file: UploadedFile) -> Source:
    """Raises OverLimit, UnreadableFile or BadName before anything is kept."""
    membership = editor(user)
    check_name(file.name or "")
    size = file.size or 0
    if size == 0:
        raise UnreadableFile(f"{file.name} is empty: it holds no bytes at all.")
    if size > settings.MAX_UPLOAD_BYTES:
        raise OverLimit(f"{file.name} has {size / 1e6:.0f} MB; files up to {settings.MAX_UPLOAD_BYTES / 1e6:.0f} MB are taken.")
    data = file.read()
    if format_of(data[:4096]) is None:
        kinds = ", ".join(f.name for f in FORMATS if f.reads)
        raise UnsupportedFile(f"{file.name} is not a drawing that can be read here, whatever its name says; kinds that are read: {kinds}.")
    source, _ = Source.objects.get_or_create(workshop=membership.workshop, sha256=hashlib.sha256(data).hexdigest(), defaults={"size": len(data), "data": data})
    return source


def check_name(name: str) -> str:
    """A name without surrounding blanks. Raises BadName for none, or one that is too long."""
    name = " ".join(name.replace("\x00", "").split())
    if not name:
        raise BadName("A name is missing.")
    if len(name) > MAX_NAME:
        raise BadName(f"A name may have up to {MAX_NAME} characters; this one has {len(name):,}.")
    return name
