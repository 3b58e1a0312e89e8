"""What is written for people outside of the pages, such as the labels of a drawing sheet, in another language: by the
catalogues that the pages read (words/*.po)."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Literal

Language = Literal["en", "de"]
FOLDER = Path(__file__).resolve().parents[2] / "words"


def told(text: str, language: str) -> str:
    """A text as it stands in the source, values in it as {0}, {1}, …, in a language; as it is where that has no
    translation of it."""
    return text if language == "en" else _catalogue(language).get(text, text)


@cache
def _catalogue(language: str) -> Mapping[str, str]:
    from babel.messages.pofile import read_po

    path = FOLDER / f"{language}.po"
    if not path.is_file():
        return {}
    with path.open("rb") as file:
        return {str(m.id): str(m.string) for m in read_po(file) if m.id and m.string and not m.context}
