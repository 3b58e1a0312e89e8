"""Cells of tables for other programs."""

from __future__ import annotations


def plain_cell(text: str) -> str:
    """A text that no table program takes for a formula."""
    return f"'{text}" if text[:1] in tuple("=+-@\t\r") else text
