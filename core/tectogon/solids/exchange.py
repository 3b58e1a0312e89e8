"""Bodies as files: STEP with names and units, STL, 3MF, GLB. Every writer gives back the file's bytes."""

from __future__ import annotations

import json
import struct
import tempfile
import zipfile
from collections.abc import Sequence
from io import BytesIO
from pathlib import Path
from xml.sax.saxutils import quoteattr

import numpy as np
from OCP.IFSelect import IFSelect_ReturnStatus
from OCP.Interface import Interface_Static
from OCP.STEPCAFControl import STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_StepModelType
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDF import TDF_Label
from OCP.TDocStd import TDocStd_Document
from OCP.TopLoc import TopLoc_Location
from OCP.XCAFDoc import XCAFDoc_DocumentTool

from tectogon.errors import BadValue, KernelRefused, NothingToBuild
from tectogon.solids.body import Body
from tectogon.solids.mesh import Mesh, mesh_of
from tectogon.tolerances import MESH_ANGLE_TOL, MESH_CHORD_TOL, TINY

MESH_FORMATS = ("stl", "3mf", "glb")
FORMATS = ("step", *MESH_FORMATS)


def write(
    bodies: Sequence[Body],
    kind: str,
    name: str,
    *,
    chord_tol: float = MESH_CHORD_TOL,
    angle_tol: float = MESH_ANGLE_TOL,
) -> tuple[bytes, bool | None]:
    """The bodies as a file of a kind, and whether its mesh is watertight (None for STEP). mm.

    Raises NothingToBuild without bodies, BadValue for a tolerance that makes no sense.
    """
    if not bodies:
        raise NothingToBuild("There is no body to write yet; build one first.")
    if kind == "step":
        return step_bytes(bodies, name), None
    if not 1e-4 <= chord_tol <= 100.0 or not 0.01 <= angle_tol <= 1.6:
        raise BadValue("The chord tolerance must lie between 0.0001 and 100 mm, the angle between 0.6° and 90°.")
    meshes = [mesh_of(b.shape, chord_tol=chord_tol, angle_tol=angle_tol) for b in bodies]
    writer = {"stl": _stl, "3mf": _3mf, "glb": _glb}[kind]
    return writer(meshes, [b.name for b in bodies], name), all(m.watertight for m in meshes)


def step_bytes(bodies: Sequence[Body], name: str) -> bytes:
    """STEP AP242 in millimetres. One body is a product of the part's name; several are an assembly of that name, its
    components named as the bodies are, each a product named as what it is counted as. Raises KernelRefused."""
    document = TDocStd_Document(TCollection_ExtendedString("part"))
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    Interface_Static.SetCVal_s("write.step.unit", "MM")
    Interface_Static.SetCVal_s("write.step.schema", "AP242DIS")
    if len(bodies) == 1:
        _call(tool.AddShape(bodies[0].shape, False), name)
    else:
        whole = tool.NewShape()
        _call(whole, name)
        for body in bodies:
            product = tool.AddShape(body.shape, False)
            _call(product, body.item.name if body.item else body.name)
            _call(tool.AddComponent(whole, product, TopLoc_Location()), body.name)
        tool.UpdateAssemblies()
    writer = STEPCAFControl_Writer()
    writer.SetNameMode(True)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "part.step"
        if (
            not writer.Transfer(document, STEPControl_StepModelType.STEPControl_AsIs)
            or writer.Write(str(path)) != IFSelect_ReturnStatus.IFSelect_RetDone
        ):
            raise KernelRefused("The solid kernel could not write these bodies as STEP.")
        return path.read_bytes()


def _call(label: TDF_Label, name: str) -> None:
    TDataStd_Name.Set_s(label, TCollection_ExtendedString(name, True))


def _stl(meshes: list[Mesh], names: list[str], name: str) -> bytes:
    triangles = np.concatenate([_whole(m) for m in meshes]).astype("<f4")
    normal = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), TINY)
    records = np.zeros(
        len(triangles), np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
    )
    records["normal"], records["corners"] = normal, triangles
    header = f"binary, millimetres: {name}".encode("ascii", "replace")[:80].ljust(80)
    return header + struct.pack("<I", len(triangles)) + records.tobytes()


def _whole(mesh: Mesh) -> np.ndarray:  # type: ignore[type-arg]
    points, index = mesh.welded
    return np.asarray(points[index])


def _3mf(meshes: list[Mesh], names: list[str], name: str) -> bytes:
    objects, items = [], []
    for n, (mesh, label) in enumerate(zip(meshes, names, strict=True), 1):
        points, index = mesh.welded
        vertices = "".join(f'<vertex x="{x:.6f}" y="{y:.6f}" z="{z:.6f}"/>' for x, y, z in points.tolist())
        triangles = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in index.tolist())
        objects.append(
            f'<object id="{n}" type="model"'
            f" name={quoteattr(label)}><mesh><vertices>{vertices}</vertices>"
            f"<triangles>{triangles}</triangles></mesh></object>"
        )
        items.append(f'<item objectid="{n}"/>')
    model = (
        '<?xml version="1.0" encoding="UTF-8"?><model unit="millimeter"'
        ' xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02">'
        "<metadata"
        f' name="Title">{quoteattr(name)[1:-1]}</metadata><resources>{"".join(objects)}</resources>'
        f"<build>{''.join(items)}</build></model>"
    )
    types = (
        '<?xml version="1.0" encoding="UTF-8"?><Types'
        ' xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels"'
        ' ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model"'
        ' ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>'
    )
    relations = (
        '<?xml version="1.0" encoding="UTF-8"?><Relationships'
        ' xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1"'
        ' Target="/3D/3dmodel.model"'
        ' Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>'
    )
    out = BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, text in (("[Content_Types].xml", types), ("_rels/.rels", relations), ("3D/3dmodel.model", model)):
            archive.writestr(zipfile.ZipInfo(path), text)
    return out.getvalue()


def _glb(meshes: list[Mesh], names: list[str], name: str) -> bytes:
    """Binary glTF 2.0: metres, Y up, as the standard wants."""
    chunks: list[bytes] = []
    views: list[dict[str, object]] = []
    accessors: list[dict[str, object]] = []
    nodes: list[dict[str, object]] = []
    shapes: list[dict[str, object]] = []
    at = 0
    for mesh, label in zip(meshes, names, strict=True):
        points = mesh.triangles.reshape(-1, 3)[:, [0, 2, 1]] * np.array([0.001, 0.001, -0.001])
        normals = mesh.normals.reshape(-1, 3)[:, [0, 2, 1]] * np.array([1.0, 1.0, -1.0])
        first = len(accessors)
        for values, ranged in ((points, True), (normals, False)):
            data = values.astype("<f4")
            views.append({"buffer": 0, "byteOffset": at, "byteLength": data.nbytes, "target": 34962})
            accessor: dict[str, object] = {
                "bufferView": len(views) - 1,
                "componentType": 5126,
                "count": len(data),
                "type": "VEC3",
            }
            if ranged:
                accessor |= {"min": data.min(axis=0).tolist(), "max": data.max(axis=0).tolist()}
            accessors.append(accessor)
            chunks.append(data.tobytes())
            at += data.nbytes
        nodes.append({"mesh": len(shapes), "name": label})
        shapes.append({"name": label, "primitives": [{"attributes": {"POSITION": first, "NORMAL": first + 1}}]})
    head = {
        "asset": {"version": "2.0", "generator": "tectogon"},
        "scene": 0,
        "scenes": [{"name": name, "nodes": list(range(len(nodes)))}],
        "nodes": nodes,
        "meshes": shapes,
        "accessors": accessors,
        "bufferViews": views,
        "buffers": [{"byteLength": at}],
    }
    text = json.dumps(head, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    body = b"".join(chunks)
    total = 12 + 8 + len(text) + 8 + len(body)
    return (
        struct.pack("<4sII", b"glTF", 2, total)
        + struct.pack("<I4s", len(text), b"JSON")
        + text
        + struct.pack("<I4s", len(body), b"BIN\0")
        + body
    )
