"""Keep a file's bytes, once for each content, chunk by chunk: a file of any size takes a few megabytes of memory."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Iterator

from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from tectogon.errors import OverLimit, UnreadableFile, UnsupportedFile
from tectogon.formats import FORMATS, format_of
from tectogon.units import show_count

from tectogon_server.accounts.actions.permission import editor
from tectogon_server.accounts.models import Workshop
from tectogon_server.errors import BadName
from tectogon_server.names import visible
from tectogon_server.parts.actions.rooms import check_room
from tectogon_server.parts.models import Source, SourceChunk

MAX_NAME = 120


def keep_source(user: User, file: UploadedFile) -> Source:
    """Raises OverLimit, UnreadableFile, UnsupportedFile or BadName before anything is kept."""
    membership = editor(user)
    check_name(file.name or "")
    size = file.size or 0
    if size == 0:
        raise UnreadableFile(f"{file.name} is empty: it holds no bytes at all.")
    if size > settings.MAX_UPLOAD_BYTES:
        raise OverLimit(
            f"{file.name} has {size / 1e6:.0f} MB; files up to {settings.MAX_UPLOAD_BYTES / 1e6:.0f} MB are taken."
        )
    if format_of(head_of(file)) is None:
        kinds = ", ".join(f.name for f in FORMATS if f.reads)
        raise UnsupportedFile(
            f"{file.name} is not a drawing that can be read here, whatever its name says; kinds that are read: {kinds}."
        )
    return kept(membership.workshop, lambda: _chunks_of(file))


def head_of(file: UploadedFile) -> bytes:
    """The first bytes of a file, by which its format is known."""
    file.seek(0)
    return bytes(file.read(4096))


def kept(workshop: Workshop, chunks: Callable[[], Iterable[bytes]]) -> Source:
    """The source of a workshop with these bytes; `chunks` gives them anew each time it is called, in pieces of
    `SourceChunk.CHUNK`. Raises OverLimit where the workshop has no room for more."""
    digest, size = hashlib.sha256(), 0
    for chunk in chunks():
        digest.update(chunk)
        size += len(chunk)
    sha = digest.hexdigest()
    if not Source.objects.filter(workshop=workshop, sha256=sha).exists():
        check_room(workshop, size)
    with transaction.atomic():
        source, fresh = Source.objects.get_or_create(workshop=workshop, sha256=sha, defaults={"size": size})
        if fresh:
            for number, chunk in enumerate(chunks()):
                SourceChunk.objects.create(source=source, number=number, data=chunk)
    return source


def chunks_of_source(source: Source) -> Iterator[bytes]:
    """The bytes of a source, chunk by chunk."""
    for number in range((source.size + SourceChunk.CHUNK - 1) // SourceChunk.CHUNK):
        yield bytes(SourceChunk.objects.values_list("data", flat=True).get(source=source, number=number))


def in_chunks(data: bytes) -> list[bytes]:
    """Bytes that are in memory anyhow, as chunks."""
    return [data[at : at + SourceChunk.CHUNK] for at in range(0, len(data), SourceChunk.CHUNK)]


def _chunks_of(file: UploadedFile) -> Iterable[bytes]:
    file.seek(0)
    while chunk := file.read(SourceChunk.CHUNK):
        yield chunk


def check_name(name: str) -> str:
    """A name without surrounding blanks. Raises BadName for none, one that is too long, or one with characters that no
    text has."""
    name = visible(name)
    if not name:
        raise BadName("A name is missing.")
    if len(name) > MAX_NAME:
        raise BadName(f"A name may have up to {MAX_NAME} characters; this one has {show_count(len(name))}.")
    if any("\ud800" <= c <= "\udfff" for c in name):
        raise BadName("The name holds half a character (a lone surrogate); type it anew.")
    return name
