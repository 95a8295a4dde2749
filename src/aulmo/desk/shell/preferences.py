"""Preferences: theme, navigation, units, how CAD comes in, memory for pictures. They act at once."""

from typing import cast

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication, QDialog, QDialogButtonBox, QVBoxLayout, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Segments, label, row
from aulmo.document import beside


class Preferences(QDialog):
    """A small window beside the picture."""

    def __init__(self, parent: QWidget, session: Session, changed) -> None:
        super().__init__(parent)
        self.setWindowTitle("Preferences")
        self.setMinimumWidth(380)
        self.session, self._changed = session, changed
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 12)
        layout.setSpacing(10)
        self.theme = Segments({"Dusk": "Dusk", "Daylight": "Daylight"})
        self.theme.set_value(str(QSettings().value("theme", "Dusk")))
        self.theme.chosen.connect(self._theme)
        self.navigation = Segments({"mouse": "Mouse", "trackpad": "Trackpad"})
        self.navigation.set_value(str(QSettings().value("navigation", "mouse")))
        self.navigation.chosen.connect(self._navigation)
        self.words = label("", wrap=True)
        self.units = Segments({"mm": "mm", "cm": "cm", "in": "in"})
        self.units.set_value(str(QSettings().value("units", "mm")))
        self.units.chosen.connect(self._units)
        for title, widget in (("Theme", self.theme), ("Hand", self.navigation)):
            layout.addWidget(row(title, widget))
        layout.addWidget(self.words)
        layout.addWidget(row("Units", self.units))
        self.solids = Segments({"group": "A group", "one": "One part"})
        self.solids.set_value(str(QSettings().value("solids", "group")))
        self.solids.chosen.connect(lambda value: QSettings().setValue("solids", value))
        layout.addWidget(row("Several solids", self.solids, tip="What a CAD product of several solids comes in as"))
        self.pictures = Segments({"2": "2 GB", "4": "4 GB", "8": "8 GB", "16": "16 GB"})
        self.pictures.set_value(str(QSettings().value("picture_gb", "4")))
        self.pictures.chosen.connect(self._pictures)
        layout.addWidget(
            row("Pictures take", self.pictures, tip="Memory for all pictures of a project; beyond it the largest lose their finest copies")
        )
        self.along = Segments({"beside": "From beside them", "anywhere": "From anywhere"})
        self.along.set_value(str(QSettings().value("along", "beside")))
        self.along.chosen.connect(self._along)
        layout.addWidget(row("Bring along", self.along, tip="Where pictures and buffers may lie that a model or material names"))
        close = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        close.rejected.connect(self.close)
        layout.addWidget(close)
        self._describe()

    def _along(self, value: str) -> None:
        QSettings().setValue("along", value)
        beside.anywhere = value == "anywhere"

    def _describe(self) -> None:
        pad = QSettings().value("navigation", "mouse") == "trackpad"
        self.words.setText(
            "Alt and drag turns, Alt, Shift and drag slides, two fingers go nearer."
            if pad
            else "Right-drag turns, middle-drag slides, the wheel goes nearer. Shift slows."
        )

    def _theme(self, name: str) -> None:
        QSettings().setValue("theme", name)
        theme.use(cast(QApplication, QApplication.instance()), name)
        self._changed()

    def _navigation(self, name: str) -> None:
        QSettings().setValue("navigation", name)
        self._describe()

    def _pictures(self, gigabytes: str) -> None:
        QSettings().setValue("picture_gb", gigabytes)
        self._changed()

    def _units(self, name: str) -> None:
        QSettings().setValue("units", name)
        self._changed()
