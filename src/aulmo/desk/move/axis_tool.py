"""One click on something round: a motion turns about its axis."""

import numpy as np
from PySide6.QtCore import QPoint, Qt

from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.picture.tools.tool import Tool
from aulmo.document.placement import world_matrix
from aulmo.document.quantity import show
from aulmo.document.records import Document
from aulmo.motion import ready
from aulmo.prepare.roundness import bend_at

FLATTEST = 1e4  # times its own reach: beyond that nothing is round


class AxisTool(Tool):
    """Click a bore, a rim, a shaft: its axis and middle become those of the motion that is selected."""

    name = "motion axis"
    hint = "Click something round, a bore, a rim or a shaft: the motion turns about its axis · Esc gives up"
    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, picture, desk: FilmDesk) -> None:
        super().__init__(picture)
        self.desk = desk

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Take the axis of what is round there."""
        motion, session = self.desk.motion, self.session
        hit = self.picture.pick(at)
        if motion is None or hit is None or hit.part is None or self.picture.scene is None:
            session.hint.emit("There is nothing round there")
            return
        mesh = self.picture.scene.meshes[hit.instance]
        size = float(np.ptp(mesh.vertices, axis=0).max())
        normal = np.cross(*(np.diff(mesh.vertices[mesh.triangles[hit.triangle]].astype(float), axis=0)))
        bend = bend_at(mesh, hit.triangle, hit.own, normal / max(float(np.linalg.norm(normal)), 1e-12), 0.5 * size)
        if not np.isfinite(bend.radius) or abs(bend.radius) > FLATTEST * size:
            session.hint.emit("That is flat; click something round")
            return
        document = session.document
        part = self.picture.stored(hit.part) or hit.part
        made = about(document, session.resolved, motion.id, part, bend.centre, bend.other_way)
        self.desk.run(f"Turns about a circle of {show(2 * abs(bend.radius), 'mm', 1)}", lambda: made)
        session.set_tool("")


def about(document: Document, now: Document, motion_id: str, part: str, centre: np.ndarray, axis: np.ndarray) -> Document:
    """The document with a motion about an axis through a point, both given in the axes of a part as it stands now; they are kept in the axes of what
    wears the motion."""
    from msgspec.structs import replace

    motion = document.motions[motion_id]
    matrix = world_matrix(now, part)
    point, way = matrix[:3, :3] @ centre + matrix[:3, 3], matrix[:3, :3] @ axis
    worn = next((a[6:] for a in motion.wears if a.startswith("parts/") and a[6:] in document.parts), None)
    if worn is not None:
        back = np.linalg.inv(world_matrix(now, worn))
        point, way = back[:3, :3] @ point + back[:3, 3], back[:3, :3] @ way
    way = way / max(float(np.linalg.norm(way)), 1e-12)
    x, y, z = (float(round(v, 6)) for v in point)
    a, b, c = (float(round(v, 9)) for v in way)
    return ready.put_motion(document, replace(motion, centre=(x, y, z), axis=(a, b, c), axis_of="own" if worn is not None else "world"))
