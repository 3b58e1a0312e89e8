"""Say what the part, or one of its bodies, is made of, so that its mass is known."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from tectogon.workpiece.model import Material, Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import BodyPick, Params
from tectogon.workpiece.sentence import Sentence, body_token, choice_token, words

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
COPPERS = frozenset({"brass", "copper", "bronze"})
METALS = frozenset({"aluminium", "steel", "stainless steel", "titanium", "zinc"})
"""By the names that bodies keep them under."""

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
    body: BodyPick = None


def apply(workpiece: Workpiece, params: MaterialParams, context: Context) -> Workpiece:
    """Say what the part, or one body, is made of; densities in g/cm³. Raises PickGone."""
    material = Material(params.material.replace("_", " "), DENSITIES[params.material])
    if params.body is None:
        return replace(workpiece, material=material, materials={})
    from tectogon.solids.body_keys import body_called

    body = body_called(workpiece.bodies, params.body)
    return replace(workpiece, materials={**workpiece.materials, body.key: material})


def sentence(params: MaterialParams, workpiece: Workpiece | None) -> Sentence:
    several = params.body is not None or (workpiece is not None and len(workpiece.bodies) > 1)
    what = [words("Make "), body_token("body", params.body, workpiece, "the whole part"), words(" of ")]
    return [
        *(what if several else [words("Make it of ")]),
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
    serves="says_material",
)
