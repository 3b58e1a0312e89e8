"""Ask for a computation: answered at once from the cache, else put into the queue. One run per key, whoever asks."""

from __future__ import annotations

import hashlib
import json
from datetime import timedelta
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone
from tectogon.route.card import Card
from tectogon.route.keys import key_of

from tectogon_server.accounts.models import membership_of
from tectogon_server.computing import queue
from tectogon_server.computing.models import Computation
from tectogon_server.computing.results import found, report_of, scope_of
from tectogon_server.computing.shelf import keep_on_shelf
from tectogon_server.errors import NotAllowed
from tectogon_server.parts.actions.save_card import check_sources
from tectogon_server.parts.models import Part

State = Computation.State
_LEFT_ALONE = timedelta(seconds=10)
OPEN = (State.QUEUED, State.RUNNING)


def ask_run(user: User, part: Part, card: Card, purpose: str) -> Computation:
    """Run a card for a part: `saved` for the card on record, whose files were looked up when it was recorded, `preview`
    for one that is being written. A run of the same card that is under way is joined. Raises CardUnreadable where a
    preview names a file that the workshop does not have."""
    if purpose == "preview":
        check_sources(user, card, part.head)
    key = key_of(card, scope_of(part.workshop_id))
    with transaction.atomic():
        shown_key = _lock(part)
        under_way = _under_way(user, part, key, purpose)
        if under_way is not None:
            return under_way
        report = report_of(key)
        computation = _row(user, part, card, key, "run", purpose, {}, done=report is not None)
        if report is None:
            queue.wake()
        elif purpose == "saved" and shown_key != key:
            keep_on_shelf(part.pk, report)
            ask_picture(computation)
    return computation


def ask_export(user: User, part: Part, card: Card, options: dict[str, Any], kind: str = "export") -> Computation:
    """Write a file of the part: an `export`, a `distance` between two of its pieces, a `check` of its views against it,
    the `depths` that other views propose for a profile, the `steps` that build it from its views, its `drawing`
    sheet, whether it can be printed, or its `weights`. Raises CardUnreadable as `ask_run` does.
    """
    check_sources(user, card, part.head)
    text = json.dumps([key_of(card, scope_of(part.workshop_id)), kind, options], sort_keys=True)
    key = hashlib.blake2b(text.encode("utf-8", "surrogatepass"), digest_size=16).hexdigest()
    with transaction.atomic():
        _lock(part)
        under_way = Computation.objects.filter(part=part, kind=kind, key=key, state__in=OPEN).first()
        if under_way is not None:
            return under_way
        done = found(key, "file").exists()
        computation = _row(user, part, card, key, kind, "export", options, done=done)
        if not done:
            queue.wake()
    return computation


def stop(user: User, computation: Computation) -> None:
    """Ask a computation to stop; the worker kills it within a moment. Raises NotAllowed for one that another asked for,
    unless the person may edit."""
    membership = membership_of(user)
    if computation.user_id != user.pk and not (membership and membership.may_edit):
        raise NotAllowed("Somebody else asked for this computation; you may look at it, but not stop it.")
    Computation.objects.filter(pk=computation.pk, state__in=OPEN).update(
        state=State.STOPPED, code="stopped", message="Stopped."
    )
    computation.tell("computation", state=State.STOPPED)


def _row(
    user: User, part: Part, card: Card, key: str, kind: str, purpose: str, options: dict[str, Any], *, done: bool
) -> Computation:
    row: Computation = Computation.objects.create(
        workshop_id=part.workshop_id,
        part=part,
        user=user,
        kind=kind,
        purpose=purpose,
        card=card.model_dump(mode="json"),
        options=options,
        key=key,
        state=State.DONE if done else State.QUEUED,
    )
    return row


def _lock(part: Part) -> str:
    """Have a part to oneself until the transaction is through; returns the key of what the shelf shows of it."""
    shown_key: str = Part.objects.select_for_update().values_list("computed_key", flat=True).get(pk=part.pk)
    return shown_key


def _under_way(user: User, part: Part, key: str, purpose: str) -> Computation | None:
    """A run of this card for this part that is not done yet: the one on record, or a preview of the same person, which
    becomes the one on record when that is what is asked for.

    What is asked for takes the place of older ones: a preview that of the same person's, a record that of any."""
    rows = list(Computation.objects.filter(part=part, kind="run", state__in=OPEN).defer("card").order_by("asked"))
    of_mine = [row for row in rows if row.user_id == user.pk]
    older = [row.pk for row in (rows if purpose == "saved" else of_mine) if row.purpose == purpose and row.key != key]
    if older:
        Computation.objects.filter(pk__in=older, state__in=OPEN).update(
            state=State.STOPPED, code="superseded", message=f"A newer {_CALLED[purpose]} took its place."
        )
    same = [row for row in rows if row.key == key and row.purpose == "saved"] + [r for r in of_mine if r.key == key]
    if not same or same[0].purpose == purpose or purpose == "preview":
        return same[0] if same else None
    same[0].purpose = purpose
    became = Computation.objects.filter(pk=same[0].pk, state__in=OPEN).update(purpose=purpose)
    return same[0] if became else None  # else it ended in this moment


_CALLED = {"preview": "preview", "saved": "record"}


def ask_picture(run: Computation) -> None:
    """The picture of a part whose card was computed, made once the part was left alone for a moment, or is looked at on
    the shelf; an older one that is not made yet is not wanted any more."""
    Computation.objects.filter(part=run.part_id, kind="picture", state=State.QUEUED).delete()
    Computation.objects.create(
        workshop_id=run.workshop_id,
        part_id=run.part_id,
        user_id=run.user_id,
        kind="picture",
        purpose="picture",
        card=run.card,
        key=run.key,
        asked=timezone.now() + _LEFT_ALONE,
    )


def hurry_picture(part: Part) -> None:
    """The picture of a part is looked at: one that waits for the part to be left alone is made now."""
    now = timezone.now()
    waiting = Computation.objects.filter(part=part, kind="picture", state=State.QUEUED, asked__gt=now)
    if waiting.update(asked=now):
        queue.wake()
