"""What a workshop keeps of its machines: the bed of its printer, the K of its press brake."""

from __future__ import annotations

import re

from django.contrib.auth.models import User
from tectogon.errors import BadValue
from tectogon.workpiece.bend_allowance import Rule

from tectogon_server.accounts.actions.permission import editor
from tectogon_server.errors import BadName

_NUMBER = re.compile(r"\d+(?:[.,]\d+)?")
_MOST = 60
_MOST_TABLE = 400


def keep_bed(user: User, text: str) -> None:
    """Keep the bed as typed: three sizes in mm, or nothing. Raises NotAllowed, BadName."""
    mine = editor(user)
    sizes = [float(n.replace(",", ".")) for n in _NUMBER.findall(text)]
    if text.strip() and (len(sizes) != 3 or min(sizes) <= 0.0 or len(text) > _MOST):
        raise BadName("A bed has three sizes, each more than nothing, such as 220 × 220 × 250.")
    mine.workshop.bed = text.strip()
    mine.workshop.save(update_fields=["bed"])


def keep_bend_table(user: User, text: str) -> None:
    """Keep the table of K as typed: "1: 0.38, 2: 0.42" by radius / thickness, or nothing. Raises NotAllowed,
    BadName."""
    mine = editor(user)
    rows = bend_rows(text)
    if text.strip() and (not rows or len(text) > _MOST_TABLE):
        raise BadName("A table of K has rows such as “1: 0.38, 2: 0.42”: radius / thickness, then K.")
    try:
        if rows:
            Rule(table=rows)
    except BadValue as bad:
        raise BadName(bad.sentence) from None
    mine.workshop.bend_table = text.strip()
    mine.workshop.save(update_fields=["bend_table"])


def bend_rows(text: str) -> list[tuple[float, float]]:
    """The rows (radius / thickness, K) of a table as typed; none where it is no table."""
    parts = [p for p in re.split(r"[;\n]|,(?=\s*\d+(?:\.\d+)?\s*:)", text) if p.strip()]
    found = [re.fullmatch(r"\s*(\d+(?:[.,]\d+)?)\s*:\s*(\d+(?:[.,]\d+)?)\s*,?\s*", p) for p in parts]
    return [(_number(m[1]), _number(m[2])) for m in found if m] if all(found) else []


def _number(text: str) -> float:
    return float(text.replace(",", "."))
