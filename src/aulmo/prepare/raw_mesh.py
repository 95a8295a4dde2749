"""From what a mesh file says to a mesh: bad numbers left out, normals kept where they are good, made where they are not."""

import re
from typing import NamedTuple

import numpy as np

from aulmo.document.meshes import Mesh, joined
from aulmo.errors import BadFile
from aulmo.prepare.normals import clean_triangles, with_crease_normals

_ODD = re.compile(r"^([+-]?(?:\d+[.,]?\d*|[.,]\d+)(?:[eEdD][+-]?\d+)?)[fFdDlL]?$")


class Piece(NamedTuple):
    """Triangles of one material, as a file has them: positions (n, 3), triangles (m, 3); normals (n, 3) and uv (n, 2) or None."""

    positions: np.ndarray
    triangles: np.ndarray
    normals: np.ndarray | None = None
    uv: np.ndarray | None = None


def mesh_of(pieces: list[Piece], scale: float = 1.0, numbered: bool = False) -> tuple[Mesh | None, int, list[int]]:
    """One mesh of pieces, in mm; how many triangles were left out; and which pieces have any. `numbered` gives each piece a face number."""
    made: list[tuple[int, Mesh]] = []
    lost = 0
    for number, piece in enumerate(pieces):
        positions = np.asarray(piece.positions, float).reshape(-1, 3) * scale
        cells = np.asarray(piece.triangles, np.int64).reshape(-1, 3)
        try:
            vertices, kept = clean_triangles(positions, cells)
        except BadFile:
            lost += len(cells)
            continue
        lost += len(cells) - len(kept)
        made.append((number, _one(vertices, kept, piece)))
    if not made:
        return None, lost, []
    mesh = joined([m for _, m in made])
    if numbered:
        mesh = mesh._replace(faces=np.repeat(np.arange(len(made)), [len(m.triangles) for _, m in made]).astype(np.int32))
    return mesh, lost, [number for number, _ in made]


def _one(vertices: np.ndarray, triangles: np.ndarray, piece: Piece) -> Mesh:
    used, places = np.unique(triangles, return_inverse=True)
    places = places.reshape(triangles.shape)
    uv = np.zeros((0, 2), np.float32)
    if piece.uv is not None and len(piece.uv) == len(vertices):
        uv = np.nan_to_num(np.asarray(piece.uv, float)[used], posinf=0.0, neginf=0.0).clip(-1e6, 1e6).astype(np.float32)
    if piece.normals is not None and len(piece.normals) == len(vertices):
        normals = np.asarray(piece.normals, float)[used]
        length = np.linalg.norm(normals, axis=1, keepdims=True)
        if np.isfinite(normals).all() and (length > 0.1).all():
            return Mesh(vertices[used].astype(np.float32), (normals / length).astype(np.float32), places.astype(np.uint32), np.zeros(0, np.int32), uv)
    bare = with_crease_normals(vertices[used], places)
    if not len(uv):
        return bare
    corner_uv = uv[places.reshape(-1)]  # new vertices are made where creases are: their coordinates come from the corners
    if len(bare.triangles) != len(triangles):
        return bare
    # a vertex that lies on a seam of the coordinates is doubled
    pairs = np.concatenate([bare.triangles.reshape(-1, 1).astype(np.float64), corner_uv.astype(np.float64)], 1)
    unique, inverse = np.unique(pairs, axis=0, return_inverse=True)
    origin = unique[:, 0].astype(np.int64)
    spread = unique[:, 1:].astype(np.float32)
    return Mesh(bare.vertices[origin], bare.normals[origin], inverse.reshape(-1, 3).astype(np.uint32), np.zeros(0, np.int32), spread)


def strip(indices: np.ndarray, mode: int) -> np.ndarray:
    """(m, 3) triangles of a list of indices as triangles (4), a strip (5) or a fan (6)."""
    indices = np.asarray(indices, np.int64)
    if mode == 4:
        return indices[: len(indices) // 3 * 3].reshape(-1, 3)
    if len(indices) < 3:
        return np.zeros((0, 3), np.int64)
    if mode == 6:
        return np.stack([np.full(len(indices) - 2, indices[0]), indices[1:-1], indices[2:]], 1)
    cells = np.stack([indices[:-2], indices[1:-1], indices[2:]], 1)
    cells[1::2] = cells[1::2][:, [1, 0, 2]]
    return cells


def fans(counts: np.ndarray) -> np.ndarray:
    """(m, 3) places within a list of corners that cut polygons of so many corners into triangles."""
    counts = np.asarray(counts, np.int64)
    starts = np.concatenate([[0], np.cumsum(counts)[:-1]])
    many = np.maximum(counts - 2, 0)
    first = np.repeat(starts, many)
    step = np.arange(many.sum()) - np.repeat(np.cumsum(many) - many, many)
    return np.stack([first, first + step + 1, first + step + 2], 1)


def worn_by(materials: list[dict | None]) -> dict:
    """What a node says of the materials of its mesh's numbered pieces: the first is the body's, each other one that of a face set."""
    return {"material": materials[0], "dressed_sets": [((m or {}).get("name", ""), m, [k]) for k, m in enumerate(materials) if k > 0]}


def with_geometry(nodes: list[dict]) -> list[dict]:
    """Nodes (parents before children, the first one the file itself) with a mesh or with one below them; a file that holds but one of them gives
    way to it."""
    used = [node["mesh"] is not None for node in nodes]
    for number in range(len(nodes) - 1, 0, -1):
        used[nodes[number]["parent"]] |= used[number]
    place = {number: k for k, number in enumerate(n for n in range(len(nodes)) if used[n])}
    kept = [{**nodes[n], "parent": place.get(nodes[n]["parent"], -1)} for n in place]
    if sum(node["parent"] == 0 for node in kept) == 1 and not kept[1].get("moves"):  # what moves keeps something that rests above it
        kept = [{**node, "parent": node["parent"] - 1} for node in kept[1:]]
    return kept


def number(word: str) -> float:
    """A number however it was written: `1.5`, `1,5`, `1.5f`, `1d3`; not a number when it is none."""
    try:
        return float(word)
    except ValueError:
        found = _ODD.match(word)
        return float(found[1].replace(",", ".").replace("d", "e").replace("D", "e")) if found else float("nan")


def linear(display) -> list[float]:
    """A colour of a display in linear light."""
    from aulmo.surface.colour import decode_srgb

    return [float(v) for v in decode_srgb(np.clip(display, 0, 1))]


def left_out(lost: int, broken: int = 0, missing: int = 0) -> list[str]:
    """What is said of triangles that were no good, of larger pieces, and of pictures that are missing."""
    pictures = [f"{missing} of its pictures {'is' if missing == 1 else 'are'} missing"] if missing else []
    return [f"{n} broken {what}{' was' if n == 1 else 's were'} left out" for n, what in ((lost, "triangle"), (broken, "piece")) if n] + pictures
