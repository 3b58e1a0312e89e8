"""Say what the part is made of, so that its mass is known."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from tectogon.workpiece.model import Material, Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import Params
from tectogon.workpiece.sentence import Sentence, choice_token, words

DENSITIES = {
    "aluminium": 2.70,
    "steel": 7.85,
    "stainless_steel": 7.95,
    "brass": 8.47,
    "copper": 8.94,
    "bronze": 8.80,
    "titanium": 4.43,
    "zinc": 6.60,
    "acetal": 1.41,
    "polyamide": 1.14,
    "PLA": 1.24,
    "PETG": 1.27,
    "ABS": 1.05,
    "acrylic": 1.19,
    "polycarbonate": 1.20,
    "plywood": 0.60,
    "nitrile_rubber": 1.20,
}
"""Usual densities in g/cm³."""

MaterialName = Literal[
    "aluminium",
    "steel",
    "stainless_steel",
    "brass",
    "copper",
    "bronze",
    "titanium",
    "zinc",
    "acetal",
    "polyamide",
    "PLA",
    "PETG",
    "ABS",
    "acrylic",
    "polycarbonate",
    "plywood",
    "nitrile_rubber",
]


class MaterialParams(Params):
    material: MaterialName = "aluminium"


def apply(workpiece: Workpiece, params: MaterialParams, context: Context) -> Workpiece:
    """Say what the part is made of; densities in g/cm³."""
    return replace(workpiece, material=Material(params.material.replace("_", " "), DENSITIES[params.material]))


def sentence(params: MaterialParams, workpiece: Workpiece | None) -> Sentence:
    return [
        words("Make it of "),
        choice_token(
            "material",
            params.material,
            {name: f"{name.replace('_', ' ')}, {density:.2f} g/cm³" for name, density in DENSITIES.items()},
        ),
    ]


OPERATION = Operation(
    "material",
    "build",
    "Material",
    "Say what it is made of, for the mass",
    MaterialParams,
    apply,
    sentence,
    reads=BODIES,
    writes=BODIES,
)
