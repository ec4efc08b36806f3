"""Files of rigid props: OBJ and glTF, read by trimesh."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import Refusal

KINDS = {".obj": "obj", ".glb": "glb", ".gltf": "gltf"}
MOST_FACES = 200_000

Piece = tuple[str, NDArray[np.float64], NDArray[np.int64]]
"""Name, (n, 3) points with y down and z away from the eye, and (m, 3) faces of a part of a file."""


def read(name: str, body: bytes) -> list[Piece]:
    """The parts of a file, those without faces left out. Raises Refusal naming the file and the remedy."""
    kind = next((kind for end, kind in KINDS.items() if name.lower().endswith(end)), None)
    if kind is None:
        raise Refusal(f"{name} is no OBJ or glTF file; save the prop as .obj or .glb")
    # With all it brings it takes half a second and 30 MB of every process that never reads a prop.
    import trimesh

    try:
        scene = trimesh.load_scene(io.BytesIO(body), file_type=kind, process=False)
        found = [piece for node in scene.graph.nodes_geometry if (piece := _piece(scene, node))]
    except Exception as error:
        # A broken file fails anywhere in the reader, and what it says is for programmers.
        more = (
            "; textures and buffers have to lie in the file itself: save it as .glb" if kind == "gltf" else ""
        )
        raise Refusal(
            f"{name} could not be read as {kind.upper()}{more or '; save it again and bring that'}"
        ) from error
    faces = sum(len(piece[2]) for piece in found)
    if not faces:
        raise Refusal(f"{name} has no faces; save the prop as a mesh")
    if faces > MOST_FACES:
        raise Refusal(f"{name} has {faces} faces, the limit is {MOST_FACES}; save it with fewer")
    if not all(np.isfinite(points).all() for _, points, _ in found):
        raise Refusal(f"{name} has points that lie nowhere; save it again")
    return found


def _piece(scene: Any, node: str) -> Piece | None:
    place, name = scene.graph[node]
    mesh = scene.geometry[name]
    faces = getattr(mesh, "faces", None)
    if faces is None or not len(faces):
        return None
    mesh = mesh.copy()
    mesh.apply_transform(place)
    # Files keep points apart where texture or shading changes; lines come of the body alone.
    mesh.merge_vertices(merge_tex=True, merge_norm=True)
    mesh.update_faces(mesh.nondegenerate_faces())
    mesh.remove_unreferenced_vertices()
    points = np.asarray(mesh.vertices, float) * np.array([1.0, -1.0, -1.0])
    return str(name)[:60] or "form", points, np.asarray(mesh.faces, np.int64)
