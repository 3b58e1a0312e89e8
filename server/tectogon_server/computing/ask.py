"""Ask for a computation: answered at once from the cache, else put into the queue."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from tectogon.route.cache import key_of
from tectogon.route.card import Card

from tectogon_server.computing import tasks
from tectogon_server.computing.models import Computation
from tectogon_server.computing.results import path_of, report_of
from tectogon_server.computing.shelf import keep_on_shelf
from tectogon_server.parts.models import Part


def ask_run(user: User, part: Part, card: Card, purpose: str) -> Computation:
    """Run a card for a part: `saved` for the card on record, `preview` for one that is being written."""
    key = key_of(card)
    with transaction.atomic():
        if purpose == "preview":
            _supersede(user, part)
        found = report_of(key)
        computation = Computation.objects.create(
            workshop=part.workshop, part=part, user=user, kind="run", purpose=purpose, card=card.model_dump(mode="json"), key=key,
            state=Computation.State.DONE if found else Computation.State.QUEUED,
        )  # fmt: skip
    if found is None:
        tasks.put_in_queue(computation)
    elif purpose == "saved" and part.computed_key != key:
        keep_on_shelf(part, found)
        tasks.draw_picture.defer(part_id=part.pk)
    return computation


def ask_export(user: User, part: Part, card: Card, options: dict[str, Any], kind: str = "export") -> Computation:
    """Write a file of the part: an `export`, a `distance` between two of its pieces, a `check` of its views against it, the `depths` that other
    views propose for a profile, or the `steps` that build it from its views."""
    text = json.dumps([key_of(card), options], sort_keys=True)
    key = hashlib.blake2b(text.encode(), digest_size=16).hexdigest()
    done = path_of(key, "file").exists()
    computation = Computation.objects.create(
        workshop=part.workshop, part=part, user=user, kind=kind, purpose="export", card=card.model_dump(mode="json"), options=options, key=key,
        state=Computation.State.DONE if done else Computation.State.QUEUED,
    )  # fmt: skip
    if not done:
        tasks.put_in_queue(computation)
    return computation


def stop(computation: Computation) -> None:
    """Ask a computation to stop; the worker kills it within a moment."""
    Computation.objects.filter(pk=computation.pk, state__in=(Computation.State.QUEUED, Computation.State.RUNNING)).update(
        state=Computation.State.STOPPED, code="stopped", message="Stopped."
    )


def _supersede(user: User, part: Part) -> None:
    """A newer preview by the same person takes the place of those that are not done yet."""
    Computation.objects.filter(part=part, user=user, purpose="preview", state__in=(Computation.State.QUEUED, Computation.State.RUNNING)).update(
        state=Computation.State.STOPPED, code="superseded", message="A newer preview took its place."
    )
