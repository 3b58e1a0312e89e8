"""Which parts the shelf shows: found, put in order and parted into pages by the database."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

from django.contrib.auth.models import User
from django.db.models import F, FloatField, Q, QuerySet, TextField, Value
from django.db.models.expressions import Combinable
from django.db.models.fields.json import KT
from django.db.models.functions import Cast, Collate, Greatest, NullIf

from tectogon_server.parts.models import REFUSED, Part

Order = Literal["changed", "name", "number", "mass", "size"]
NATURAL = "natural_order"
"""The collation that puts “Plate 9” before “Plate 10”, whatever the case."""
_COLUMNS = (
    "id",
    "name",
    "number",
    "labels",
    "archived",
    "changed",
    "figures",
    "gauges",
    "steps",
    "files",
    "issue",
    "released",
    "head__number",
    "pictured",
)
_IN_FIGURES = ("bounds", "bodies", "mass_g", "material", "drawing", REFUSED)
_MOST_WORDS = 12


@dataclass(frozen=True)
class Wanted:
    """What is looked for: parts that hold every word in their name, number, labels, files or material, have every
    label, and are at hand, or were removed."""

    words: str = ""
    labels: tuple[str, ...] = ()
    removed: bool = False
    order: Order = "changed"


def found(user: User, wanted: Wanted) -> QuerySet[Part]:
    """The parts that are wanted, in their order."""
    parts = Part.objects.of(user).filter(desk=False, archived__isnull=not wanted.removed)
    for label in wanted.labels:
        parts = parts.filter(labels__contains=[label])
    if wanted.words.strip():
        parts = parts.annotate(made_of=KT("figures__material"), tags=_text("labels"), drawn=_text("files"))
    for word in wanted.words.split()[:_MOST_WORDS]:
        parts = parts.filter(
            Q(name__icontains=word)
            | Q(number__icontains=word)
            | Q(tags__icontains=word)
            | Q(drawn__icontains=word)
            | Q(made_of__icontains=word)
        )
    return parts.order_by(*_order(wanted.order), "-pk")


def told(parts: QuerySet[Part]) -> list[dict[str, Any]]:
    """What the shelf shows of parts. Many are read and told at once, so nothing is checked twice on the way."""
    out = []
    for row in parts.annotate(pictured=Q(picture__isnull=False)).values_list(*_COLUMNS):
        one = dict(zip(_COLUMNS, row, strict=True))
        figures = one["figures"]
        out.append(
            {
                **{name: one[name] for name in ("id", "name", "number", "labels", "steps", "files", "issue")},
                "archived": one["archived"] is not None,
                "changed": one["changed"].isoformat(),
                "figures": {field: figures[field] for field in _IN_FIGURES if figures.get(field) is not None},
                "stands": _stands(one["gauges"]),
                "has_picture": one["pictured"],
                "released": one["released"] is not None,
                "revision": one["head__number"] or 0,
            }
        )
    return out


def labels_of(user: User, *, removed: bool) -> list[tuple[str, int]]:
    """All labels of the parts at hand, or of those removed, with how many have each, the commonest first."""
    rows = Part.objects.of(user).filter(desk=False, archived__isnull=not removed).exclude(labels=[])
    counts = Counter(label for labels in rows.values_list("labels", flat=True) for label in labels)
    return sorted(counts.items(), key=lambda item: (-item[1], item[0]))


def _order(order: Order) -> Sequence[Combinable | str]:
    if order == "name":
        return [Collate("name", NATURAL)]
    if order == "number":  # those without one come last
        return [Collate(NullIf("number", Value("")), NATURAL).asc(nulls_last=True), Collate("name", NATURAL)]
    if order == "mass":
        return [Cast(KT("figures__mass_g"), FloatField()).desc(nulls_last=True)]
    if order == "size":
        reach = [_bound(k + 3) - _bound(k) for k in range(3)]
        return [Greatest(*reach).desc(nulls_last=True)]
    return ["-changed"]


def _bound(k: int) -> Combinable:
    return Cast(KT(f"figures__bounds__{k}"), FloatField())


def _text(field: str) -> Combinable:
    return Cast(F(field), TextField())


def _stands(gauges: list[dict[str, Any]]) -> dict[str, str] | None:
    """Where a part stands: the first that is wrong, else what is built, else how far the drawing has come."""
    known = [g for g in gauges if g.get("state") != "none"]
    wrong = next((g for g in known if g["state"] == "wrong"), None)
    built = next((g for g in known if g["stage"] == "build"), None)
    drawn = next((g for g in reversed(known) if g["stage"] != "hand_over"), None)
    best = wrong or built or drawn
    return {field: str(best[field]) for field in ("stage", "state", "figure", "words")} if best else None
