"""Small figures to test with, and drawings written on the fly."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ezdxf
import pytest
from figures import Figure
from hypothesis import settings
from tectogon.route import Card, Run, run_card

# Generated cases are the same on every run; `make fuzz` draws new ones.
settings.register_profile("alike", derandomize=True)
settings.register_profile("explore")
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "alike"))


@pytest.fixture
def drawing(tmp_path: Path) -> Callable[..., Path]:
    """Write a DXF: `drawing(lambda space, document: ...)` gives its path."""

    def write(
        draw: Callable[[Any, Any], None],
        version: str = "R2010",
        name: str = "drawing.dxf",
        binary: bool = False,
        units: int = 4,
    ) -> Path:
        document = ezdxf.new(version, units=units)
        draw(document.modelspace(), document)
        path = tmp_path / name
        document.saveas(path, fmt="bin" if binary else "asc")
        return path

    return write


@pytest.fixture
def on_card() -> Callable[..., Run]:
    """Run steps, given as (kind, parameters), on a drawing."""

    def run(path: Path, *steps: tuple[str, dict[str, Any]], **more: Any) -> Run:
        numbered = [{"number": 10, "kind": "read", "params": {"source": path.name}}]
        numbered += [{"number": 20 + 10 * n, "kind": kind, "params": params} for n, (kind, params) in enumerate(steps)]
        return run_card(
            Card.model_validate({"steps": numbered, "sources": {path.name: "x"}}), {path.name: path}, **more
        )

    return run


@pytest.fixture
def plate() -> Figure:
    return Figure().rectangle(0, 0, 100, 50).circle(30, 25, 10).circle(70, 25, 5)
