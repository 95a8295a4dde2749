"""What all files for other programs ask of a project: colours as they have them, which triangles wear what, what moves and when."""

from typing import Container

import numpy as np

from aulmo.document.meshes import Mesh
from aulmo.document.moving.movers import mover_of
from aulmo.document.records import Document, Material, Part, Surface
from aulmo.surface.colour import ACESCG_TO_SRGB
from aulmo.surface.program import RELIEF


def rgb(colour: tuple, scale: float = 1.0) -> list[float]:
    """Linear sRGB within 0..1 of an ACEScg colour."""
    return [float(v) for v in np.clip(ACESCG_TO_SRGB @ np.array(colour, float) * scale, 0.0, 1.0)]


def body_colour(surface: Surface) -> np.ndarray:
    """(3,) ACEScg of what a body looks like where light cannot go below its surface."""
    base = np.array(surface.base_color) * surface.base_weight
    if surface.subsurface_weight > 0:
        base = base * (1 - surface.subsurface_weight) + np.array(surface.subsurface_color) * surface.subsurface_weight
    return base


def lost(material: Material, baked: bool) -> list[str]:
    """Sentences on what of a material's nodes and layers a file for others does not have."""
    told = []
    if not baked and (material.wires or material.layers):
        told.append(f"{material.name}: its nodes, pictures and layers are left out; the values below them stand in their place.")
    if baked and set(material.wires) & set(RELIEF):
        told.append(f"{material.name}: its relief is left out; what it is coloured with is baked.")
    if baked and {w for w in material.wires if w.startswith("emission")}:
        told.append(f"{material.name}: what nodes do to its glow is left out.")
    return told


def faces_worn(part: Part, mesh: Mesh) -> list[tuple[str | None, np.ndarray]]:
    """(material, triangles) of a part: its body, and each face set; of a face in two the later one counts."""
    if not part.face_sets or not len(mesh.faces):
        return [(part.material, mesh.triangles)]
    owner = np.full(len(mesh.triangles), -1)
    for k, held in enumerate(part.face_sets):
        owner[np.isin(mesh.faces, held.faces)] = k
    names = [part.material, *(s.material for s in part.face_sets)]
    return [(names[k + 1], mesh.triangles[owner == k]) for k in range(-1, len(part.face_sets)) if (owner == k).any()]


def moving_things(document: Document, known: Container[str]) -> tuple[list[str], list[str]]:
    """Ids of the parts and of the cameras that keys or motions move, of those that are `known` (a camera as "cameras/<id>")."""
    eyes = {a.split("/")[1] for a in document.keys if a.startswith("cameras/")}
    eyes |= {w[8:] for m in document.motions.values() for w in m.wears if w.startswith("cameras/")}
    return sorted(i for i in mover_of(document).moving() if i in known), sorted(i for i in eyes if f"cameras/{i}" in known)


def frame_times(document: Document) -> np.ndarray:
    """(n,) seconds of every frame of the film, its end included; two at least."""
    film = document.film
    count = max(2, round((film.end - film.start) * document.frames_per_second) + 1)
    return np.asarray(film.start + np.arange(count) / document.frames_per_second)
