"""Refusals of the server's own, in the same shape as the core's errors."""

from __future__ import annotations

from tectogon.errors import TectogonError


class NotAllowed(TectogonError):
    """The person's role does not allow it."""

    code = "not_allowed"


class Clash(TectogonError):
    """The card was changed by somebody else since."""

    code = "clash"


class BadName(TectogonError):
    """A name that can't be used."""

    code = "bad_name"


class TooMany(TectogonError):
    """Too much is asked for at once, or too often."""

    code = "too_many"


class NothingThere(TectogonError):
    """There is nothing to undo, redo or fetch."""

    code = "nothing_there"
