"""Things that stand inside a carton: inserts and contents, on its lowest panel, in the middle of it."""

from typing import Sequence

import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.made import carton as folding
from aulmo.document.placement import world_matrix
from aulmo.document.records import Document
from aulmo.errors import BadValue
from aulmo.prepare.arrange import bounds, move_in_world
from aulmo.prepare.carton.make import carton_of

LEVEL = 0.9  # how straight up a panel has to face to be stood on


def bottom_of(document: Document, part_id: str) -> tuple[np.ndarray, float]:
    """The middle of the inside of a carton, x and y in the world, and the height of what is stood on. Raises BadValue while nothing is level."""
    carton = carton_of(document, part_id)
    made = folding.ready_of(carton)
    places = world_matrix(document, part_id) @ folding.folded_of_name(folding.name_of_mesh(carton)).panels
    kept = [made.front, *(h.child for h in made.hinges)]
    level = [k for k in kept if abs(places[k][2, 2]) > LEVEL]
    if not level:
        raise BadValue("Nothing of the carton is level to stand on; fold its bottom first.")
    middles = {k: (places[k] @ [*np.array(made.flat.panels[k].rings[0]).mean(0), 0.0, 1.0])[:3] for k in level}
    lowest = min(m[2] for m in middles.values())
    reach = 6 * carton.thickness + 1.0
    floor = [k for k in level if middles[k][2] < lowest + reach]  # flaps that lie on one another: the uppermost is stood on
    height = max(float(middles[k][2]) for k in floor) + 0.5 * carton.thickness
    walls = [k for k in kept if abs(places[k][2, 2]) < 0.3]
    ends = [(places[k] @ np.column_stack([np.array(made.flat.panels[k].rings[0]), np.zeros(len(made.flat.panels[k].rings[0])),
                                          np.ones(len(made.flat.panels[k].rings[0]))]).T).T[:, :2] for k in walls or floor]  # fmt: skip
    points = np.concatenate(ends)
    return 0.5 * (points.min(0) + points.max(0)), height


def put_inside(document: Document, assets: AssetStore, part_id: str, others: Sequence[str]) -> Document:
    """Parts moved together so that they stand on the bottom of a carton, in its middle. Raises BadValue."""
    middle, height = bottom_of(document, part_id)
    ends = bounds(document, assets, others)
    if ends is None:
        raise BadValue("Choose something that can be seen to stand inside the carton.")
    low, high = ends
    return move_in_world(document, others, [*(middle - 0.5 * (low[:2] + high[:2])), height - low[2]])
