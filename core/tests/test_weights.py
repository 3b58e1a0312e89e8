"""Mass, centroid and moments of inertia against closed forms, and against the mesh that stands in for the kernel."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from drawn_parts import made_part
from figures import Figure
from tectogon.display.part import weights_told
from tectogon.errors import NothingToBuild
from tectogon.solids.body import Body
from tectogon.solids.mesh import mesh_of
from tectogon.solids.prism import prism
from tectogon.solids.weights import _by_mesh, weights_of
from tectogon.views import frame_of
from tectogon.workpiece.model import Material, Workpiece


def raised(figure: Figure, high: float, key: str = "1:a") -> Body:
    regions = figure.regions()
    return Body.of(key, key, prism(regions, regions.profiles[0], frame_of("top"), 0.0, high, 1))


def test_a_block_and_a_cylinder_as_the_books_have_them() -> None:
    a, b, c = 30.0, 20.0, 10.0
    block = weights_of([raised(Figure().rectangle(5, 0, a, b), c)], [7.85])
    assert block.mass == pytest.approx(a * b * c * 7.85e-3)
    assert block.centroid == pytest.approx([20, 10, 5])
    assert np.diag(block.inertia) == pytest.approx(
        block.mass / 12 * np.array([b * b + c * c, a * a + c * c, a * a + b * b])
    )
    r, h = 8.0, 25.0
    bar = weights_of([raised(Figure().circle(0, 0, r), h)], [1.0])
    across, along = bar.mass * (3 * r * r + h * h) / 12, bar.mass * r * r / 2
    assert np.diag(bar.inertia) == pytest.approx([across, across, along]) and bar.principal[0] == pytest.approx(along)


def test_two_bodies_together_by_the_parallel_axis_theorem() -> None:
    bodies = [raised(Figure().rectangle(0, 0, 20, 20), 20, "1:a"), raised(Figure().rectangle(60, 0, 20, 20), 20, "1:b")]
    both = weights_of(bodies, [1.0, 3.0])
    assert both.mass == pytest.approx(32.0) and both.centroid == pytest.approx([55, 10, 10])
    own = 20 * 20 * 2 / 12
    assert both.inertia[2, 2] == pytest.approx(8 * (own + 45**2) + 24 * (own + 15**2))
    with pytest.raises(NothingToBuild):
        weights_of([], [])


@pytest.mark.parametrize("seed", range(4))
def test_generated_parts_against_a_second_library_and_the_stand_in(seed: int) -> None:
    body = made_part(seed)
    found, stand_in = weights_of([body], [1.0]), _by_mesh(body)
    fine = mesh_of(body.shape, chord_tol=0.002, angle_tol=0.05).triangles
    other = trimesh.Trimesh(fine.reshape(-1, 3), np.arange(3 * len(fine)).reshape(-1, 3))
    assert found.centroid == pytest.approx(other.center_mass, rel=1e-3, abs=1e-3)
    scale = found.inertia.max()
    assert np.abs(found.inertia - other.moment_inertia * 1e-3).max() < 2e-3 * scale
    assert np.abs(stand_in.inertia * 1e-3 - found.inertia).max() < 2e-3 * scale
    assert stand_in.centroid == pytest.approx(found.centroid, rel=1e-3, abs=1e-3)


def test_bodies_without_a_material_are_told() -> None:
    body = raised(Figure().rectangle(0, 0, 10, 10), 10)
    assert weights_told(Workpiece(bodies=(body,)))["unknown"] == 1
    told = weights_told(Workpiece(bodies=(body,), material=Material("steel", 7.85)))
    assert told["unknown"] == 0 and told["mass_g"] == pytest.approx(7.85)
