"""What the server says outside of the pages, such as mail, in the language of the request. What goes to the pages they
read by the same catalogues themselves."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache

from babel.messages.pofile import read_po
from django.conf import settings
from django.utils.translation import get_language


def told(text: str, *values: object) -> str:
    """A text with values in it ({0}, {1}, …) in the language of the request; in English where it has no translation."""
    return _catalogue((get_language() or "en").partition("-")[0]).get(text, text).format(*values)


@cache
def _catalogue(language: str) -> Mapping[str, str]:
    path = settings.BASE / "words" / f"{language}.po"
    if not path.is_file():
        return {}
    with path.open("rb") as file:
        return {str(m.id): str(m.string) for m in read_po(file) if m.id and m.string and not m.context}
