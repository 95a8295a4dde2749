"""Light's bench, the dome: the flat map with softboxes on it, their list in order, and what the light check says in short."""

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from aulmo.desk.light.check_watch import CheckWatch
from aulmo.desk.light.dome_map import DomeMap
from aulmo.desk.light.softbox_commands import SoftboxCommands
from aulmo.desk.light.softbox_list import SoftboxList
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import button, label
from aulmo.document.quantity import show
from aulmo.light.staying import goes_along


class LightBench(QWidget):
    """The dome, what lies on it, and how the light does."""

    def __init__(self, session: Session, commands: SoftboxCommands, watch: CheckWatch) -> None:
        super().__init__()
        self.session, self.commands, self.watch = session, commands, watch
        self.head = BenchHead("Dome")
        self.words = label("")
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        self.map = DomeMap(session)
        self.map.add_at = lambda azimuth, elevation: commands.new("plain", azimuth, elevation)
        self.map.take_at = commands.drop_picture
        self.list = SoftboxList(session)
        self.empty = label("No softboxes yet. Double-click the map, or take Aim (A) and click where a highlight should be.", wrap=True)
        add = QHBoxLayout()
        add.setSpacing(2)
        self.add_buttons = {kind: button(text, lambda k=kind: commands.new(k), "link") for kind, text in
            (("plain", "+ Plain"), ("graded", "+ Graded"), ("picture", "+ Picture"))}  # fmt: skip
        for made in self.add_buttons.values():
            add.addWidget(made)
        self.aim = button("Aim", lambda: session.toggle_tool("aim"), "link", "Click where the highlight should be · A")
        add.addWidget(self.aim)
        add.addStretch(1)
        column = QVBoxLayout()
        column.setSpacing(2)
        column.addWidget(self.list, 1)
        column.addWidget(self.empty, 1)
        column.addLayout(add)
        self.check = watch.summary()
        line = QHBoxLayout()
        line.setContentsMargins(12, 0, 8, 8)
        line.setSpacing(12)
        line.addWidget(self.map, 5)
        line.addLayout(column, 4)
        line.addWidget(self.check)
        layout = under_head(self)
        layout.addLayout(line, 1)
        self._later = QTimer(self)  # a hand that drags softboxes gets the picture first, then the map
        self._later.setSingleShot(True)
        self._later.setInterval(0)
        self._later.timeout.connect(self._draw)
        session.changed.connect(lambda old, new: self._changed(old, new))
        session.selection_changed.connect(self.list.refresh)
        session.shot_changed.connect(self.refresh)
        session.view_changed.connect(lambda: goes_along(session.resolved) and self.refresh())
        session.opened.connect(self.refresh)

    def _changed(self, old, new) -> None:
        if old.environment is not new.environment or old.shots is not new.shots or old.lamps is not new.lamps or old.keys is not new.keys:
            self.refresh()
        elif goes_along(new):
            self.refresh()

    def refresh(self) -> None:
        """Show the dome as it is now."""
        environment = self.session.resolved.environment
        self.list.refresh()
        self.list.setVisible(bool(environment.softboxes))
        self.empty.setVisible(not environment.softboxes)
        ground = {"sky": "Sun and sky", "colour": "One colour", "gradient": "Gradient"}.get(environment.kind)
        ground = ground or (environment.image if environment.shipped else "Own file")
        turned = f" · turned {show(environment.turn, '°', 0)}" if environment.kind in ("picture", "sky") and environment.turn else ""
        self.words.setText(f"{ground}{turned}")
        self._later.start()

    def _draw(self) -> None:
        if self.isVisible():
            self.map.refresh()

    def showEvent(self, event) -> None:  # noqa: N802
        """Seen again."""
        self.refresh()
