"""Names as people see them."""

from __future__ import annotations

import unicodedata

_UNSEEN = ("Cc", "Cf", "Co", "Cn")
"""Categories of Unicode whose signs are not seen."""


def visible(name: str) -> str:
    """A name without what nobody sees: signs that turn the direction of writing, joiners of nothing, controls; and with
    single spaces between its words."""
    return " ".join("".join(c for c in name if c.isspace() or unicodedata.category(c) not in _UNSEEN).split())
