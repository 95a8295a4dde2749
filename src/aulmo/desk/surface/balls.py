"""Materials as they look on a ball, pictured beside the work and kept by what they look like."""

import msgspec
from msgspec.structs import replace
from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QImage, QPixmap

from aulmo.desk.shell.session import Session
from aulmo.document.assets import AssetStore
from aulmo.document.records import Material


def ball_image(material: Material, width: int, height: int, samples: int, assets: AssetStore) -> QImage:
    """A material on a ball; takes a while."""
    from aulmo.trace.swatch_ball import swatch_picture

    pixels = swatch_picture(material, width, height, samples, assets)
    return QImage(pixels.data, width, height, 4 * width, QImage.Format.Format_RGB32).copy()


class Balls(QObject):
    """Pictures of a size. `came` tells that another is there."""

    came = Signal()

    def __init__(self, session: Session, width: int, height: int, samples: int) -> None:
        super().__init__(session)
        self.session, self._size = session, (width, height, samples)
        self._kept: dict[bytes, QPixmap] = {}
        self._asked: set[bytes] = set()
        self._looks: dict[str, tuple[Material, bytes]] = {}  # of the materials last asked for
        session.opened.connect(self._asked.clear)

    def of(self, material: Material) -> QPixmap | None:
        """The picture of a material, None until it is there."""
        look = self._look(material)
        if look not in self._kept and look not in self._asked:
            self._asked.add(look)
            width, height, samples = self._size
            assets = self.session.assets

            def done(image: QImage) -> None:
                self._kept[look] = QPixmap.fromImage(image)
                self.came.emit()

            def begin() -> None:
                self.session.start_task("Picturing materials", lambda task: ball_image(material, width, height, samples, assets), done)

            # who asks may be painting: a task that shows itself in the hint line would paint the window within that, and take it down
            QTimer.singleShot(0, self, begin)
        return self._kept.get(look)

    def _look(self, material: Material) -> bytes:
        """What decides how a material looks, and nothing of where its cards lie."""
        known = self._looks.get(material.id)
        if known is None or known[0] is not material:
            nodes = [replace(n, place=None, group="", name="") for n in material.nodes]
            told = (material.surface, nodes, material.wires, material.lays, [replace(one, place=None) for one in material.layers])
            known = self._looks[material.id] = (material, msgspec.json.encode(told))
        return known[1]
