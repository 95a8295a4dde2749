"""Movement that comes with a file: what readers tell of it, and the keys it becomes."""

import math
from typing import Any, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document.moving.between import unwound
from aulmo.document.placement import from_matrix
from aulmo.document.records import Document, Key

MOST_SAMPLES = 20_000  # of one node


def samples(times: Sequence[float], matrices: Sequence[np.ndarray], held: bool = False) -> list[list]:
    """What a reader says of a node that moves: [seconds, the sixteen numbers of its local matrix, whether it jumps], in order of time."""
    found: list[list[Any]] = []
    for time, matrix in sorted(zip(times, matrices), key=lambda p: p[0]):
        if math.isfinite(time) and np.isfinite(matrix).all() and abs(np.linalg.det(matrix[:3, :3])) > 1e-18:
            if not found or time > found[-1][0] + 5e-4:
                found.append([float(time), np.asarray(matrix, float).ravel().tolist(), held])
    step = max(1, -(-len(found) // MOST_SAMPLES))
    return found[::step] if len(found) > 1 else []


def with_file_keys(document: Document, moving: dict[str, list[list]]) -> Document:
    """The document with keys for parts by what their file says of them, and a film that is long enough. Places, turns and sizes that do not change
    get none."""
    keys = dict(document.keys)
    last = 0.0
    for part_id, told in moving.items():
        placements = [from_matrix(np.array(m, float).reshape(4, 4)) for _, m, _ in told]
        last = max(last, told[-1][0])
        for field in ("position", "turn", "scale"):
            values: list[Any] = [getattr(p, field) for p in placements]
            if field == "turn":
                values = unwound(values)
            if all(np.allclose(v, values[0], atol=1e-7) for v in values):
                continue
            after = "held" if told[0][2] else "even"
            keys[f"parts/{part_id}/placement/{field}"] = tuple(
                Key(time, value, after=after)  # type: ignore[arg-type]
                for (time, _, _), value in zip(told, values)
            )
    film = document.film
    if last > film.end or (not document.keys and not document.motions and last > film.start):
        film = replace(film, end=last, play_end=last)
    return replace(document, keys=keys, film=film)

