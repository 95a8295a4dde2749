"""Finish's bench, the passes: all that the render holds, as small pictures; one is laid over the picture by a double click."""

from typing import Any

import numpy as np
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QWidget

from aulmo.desk.finish.finish_desk import FinishDesk
from aulmo.desk.finish.marks import thumbnail
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.widgets.fields import button, label, show_as_pictures
from aulmo.document.quantity import counted
from aulmo.finish.planes import Planes, resized
from aulmo.trace.view import show

ID = Qt.ItemDataRole.UserRole
LIGHT = ("group.", "path.", "raw", "albedo", "albedo_first")


def seen_pass(planes: Planes, name: str, view: str) -> np.ndarray:
    """(h, w, 3) display values by which a pass is recognised: light through the view, numbers from their least to their most."""
    data = planes.layers[name]
    h, w = data.shape[:2]
    share = min(1.0, 120 / max(h, w))
    size = (max(1, round(h * share)), max(1, round(w * share)))
    small = resized(np.ascontiguousarray(data[..., :3]), size, not name.startswith(LIGHT)) if share < 1 else data[..., :3]
    small = np.repeat(small[..., :1], 3, -1) if small.shape[-1] < 3 else small
    if name.startswith(LIGHT):
        return show(np.ascontiguousarray(small, np.float32), 1.0, view)
    if name.startswith("normal"):
        return small * 0.5 + 0.5
    fine = np.abs(small) < 1e9
    low, high = (float(np.percentile(small[fine], p)) for p in (1, 99)) if fine.any() else (0.0, 1.0)
    return np.clip((small - low) / max(high - low, 1e-9), 0, 1)


class PassesBench(QWidget):
    """What the render holds."""

    def __init__(self, desk: FinishDesk) -> None:
        super().__init__()
        self.desk = desk
        self.head = BenchHead("Passes")
        self.words = label("")
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        self.lay = button("Lay over the picture", self._lay, "link", "The pass that is chosen, as a layer")
        self.head.addWidget(self.lay)
        self.list = QListWidget()
        show_as_pictures(self.list, "Passes", QSize(96, 84), QSize(124, 116))
        self.list.itemDoubleClicked.connect(lambda _: self._lay())
        self.list.itemSelectionChanged.connect(lambda: self.lay.setEnabled(bool(self.list.selectedItems())))
        self.lay.setEnabled(False)
        self.none = label("", "quiet", True)
        line = QHBoxLayout()
        line.setContentsMargins(8, 0, 8, 4)
        line.addWidget(self.none)
        line.addWidget(self.list, 1)
        layout = under_head(self)
        layout.addLayout(line, 1)
        self._shown: Any = None
        desk.changed.connect(self.refresh)
        desk.made.connect(self.refresh)

    def showEvent(self, event: Any) -> None:  # noqa: N802
        """Seen: what is there should be shown."""
        self.refresh()

    def refresh(self) -> None:
        """What the render holds; the small pictures are made beside."""
        whole = self.desk.whole
        live = self.desk.path is None
        names = [n for n in whole.layers if not n.startswith("Matte") and not n.endswith(".denoised")] if whole is not None else []
        self.none.setVisible(not names)
        self.list.setVisible(bool(names))
        none = "This picture has no passes; Render’s page says what is kept." if whole is not None else "The passes come with the traced picture."
        self.none.setText(none)
        self.words.setText(counted(len(names), "pass", "passes") if names else "")
        if not self.isVisible() or not names or whole is None:
            return
        key = (tuple(names), None if live else whole.rgb.ctypes.data)
        if key == self._shown:
            return
        self._shown = key
        shot = self.desk.session.shot
        view = shot.view if shot is not None else "Product neutral"
        self.list.clear()
        planes = whole

        def done(found: dict[str, np.ndarray]) -> None:
            self.list.clear()
            for name, pixels in found.items():
                item = QListWidgetItem(QIcon(thumbnail(pixels, 96, 84)), name.replace("group.", "").replace("path.", "").replace("_", " "))
                item.setData(ID, name)
                item.setToolTip(name)
                item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom)
                self.list.addItem(item)

        self.desk.session.start_task("Drawing the passes", lambda task: {n: seen_pass(planes, n, view) for n in names}, done)

    def _lay(self) -> None:
        chosen = self.list.selectedItems()
        if not chosen:
            return
        name = str(chosen[0].data(ID))
        if name.startswith("group."):
            self.desk.add_layer("group", name[6:], source=name[6:])
        else:
            self.desk.add_layer("pass", chosen[0].text(), source=name)
