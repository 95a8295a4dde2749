"""The motions there are: each with what it does, one click from what is selected; and the ones in this film with who wears them."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QListWidget, QListWidgetItem, QPushButton, QScrollArea, QWidget

from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.widgets.fields import label
from aulmo.document.property_table import MOTION_KINDS
from aulmo.document.quantity import counted, show
from aulmo.motion import ready
from aulmo.motion.lanes import name_of

TOLD = {
    "spin": "Turns about its own axis, or the world's", "slide": "Goes straight, out and back if wanted", "lift": "Rises or sinks",
    "swing": "To and fro about an axis", "fade": "Its materials fade, shadows too", "glow": "Brighter or darker by stops",
    "turntable": "Round on an upright axis, looped", "orbit": "Round what the camera looks at", "dolly": "Nearer or farther",
    "zoom": "Another lens, the size kept", "fly": "Through saved cameras", "follow": "Along a path, or with a part",
    "roll": "A wheel turns by how far it goes", "steer": "Front wheels turn with the bend", "ride": "A body on its springs",
    "shake": "A hand, an engine, the wind",
}  # fmt: skip
ICONS = {
    "spin": "arrows-clockwise", "slide": "arrow-right", "lift": "arrow-up", "swing": "bell", "fade": "drop-half", "glow": "sun",
    "turntable": "disc", "orbit": "planet", "dolly": "arrows-in", "zoom": "magnifying-glass-plus", "fly": "paper-plane-tilt",
    "follow": "path",
    "roll": "nut", "steer": "arrow-arc-left", "ride": "waves", "shake": "vibrate",
}  # fmt: skip


class MotionsBench(QWidget):
    """Choosing motions."""

    def __init__(self, desk: FilmDesk) -> None:
        super().__init__()
        self.desk, self.session = desk, desk.session
        self.head = BenchHead("Motions")
        self.words = label("")
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        self.buttons: dict[str, QPushButton] = {}
        grid = QGridLayout()
        grid.setContentsMargins(8, 0, 8, 6)
        grid.setSpacing(4)
        for k, (kind, name) in enumerate(MOTION_KINDS.items()):
            made = QPushButton(name)
            made.setIcon(theme.icon(ICONS[kind], theme.current().quiet))
            made.setToolTip(TOLD[kind])
            made.setStyleSheet("text-align: left; padding: 5px 8px;")
            made.clicked.connect(lambda _=False, key=kind: desk.add_motion(key))
            self.buttons[kind] = made
            grid.addWidget(made, k // 4, k % 4)
        grid.setRowStretch(4, 1)
        inner = QWidget()
        inner.setLayout(grid)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(scroll.Shape.NoFrame)
        scroll.setWidget(inner)
        self.list = QListWidget()
        self.list.setAccessibleName("Motions of this film")
        self.list.setMinimumWidth(230)
        self.list.itemClicked.connect(self._take)
        body = QHBoxLayout()
        body.setContentsMargins(0, 0, 8, 6)
        body.addWidget(scroll, 3)
        body.addWidget(self.list, 2)
        layout = under_head(self)
        layout.addLayout(body, 1)
        self._shown: tuple = ()
        desk.changed.connect(self.refresh)
        self.refresh()

    def showEvent(self, event) -> None:  # noqa: N802
        """Seen: up to date."""
        self.refresh()

    def refresh(self) -> None:
        """What fits what is selected, and what there is."""
        if not self.isVisible():
            return
        document, things = self.session.document, self.desk.things()
        names = [name_of(document, t) for t in things]
        self.words.setText(f"for {names[0] if len(names) == 1 else counted(len(names), 'thing')}" if names else "Select what should move")
        for kind, made in self.buttons.items():
            made.setEnabled(bool(things) and all(kind in ready.KINDS_OF.get(t.split("/")[0], ()) for t in things))
        wanted = tuple((m.id, ready.words(document, m), m.wears, m.start, m.on) for m in document.motions.values())
        if wanted != self._shown:
            self._shown = wanted
            self.list.clear()
            for motion_id, words, wears, start, on in wanted:
                who = name_of(document, wears[0]) + (f" and {len(wears) - 1} more" if len(wears) > 1 else "")
                item = QListWidgetItem(f"{who}: {words[:1].lower()}{words[1:]}{'' if on else ' (off)'}")
                item.setToolTip(f"From {show(start, 's', 2)}")
                item.setData(Qt.ItemDataRole.UserRole, motion_id)
                self.list.addItem(item)
        for k in range(self.list.count()):
            item = self.list.item(k)
            item.setSelected(self.session.subject == f"motions/{item.data(Qt.ItemDataRole.UserRole)}")

    def _take(self, item: QListWidgetItem) -> None:
        self.session.select(self.session.selection, f"motions/{item.data(Qt.ItemDataRole.UserRole)}")
