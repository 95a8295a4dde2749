"""The card that says what each picture of a dropped set is for, before it is laid."""

from pathlib import Path
from typing import Any

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QCheckBox, QFrame, QGridLayout, QHBoxLayout, QVBoxLayout

from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, NumberField, button, label
from aulmo.document import edits
from aulmo.document.properties import get
from aulmo.document.quantity import counted
from aulmo.surface import laying
from aulmo.surface.picture_set import ROLES, Found

LAID = {
    "": "As it fits",
    "box": "As a box",
    "flat": "Flat",
    "cylinder": "As a cylinder",
    "sphere": "As a ball",
    "axis": "Round an axis",
    "uv": "As the file has it",
}
MOST_ROWS = 10  # that the card shows; a set has no more


class SetCard(QFrame):
    """Floats over the picture beside the drop. `found` can be changed row by row; *Lay* takes it as one step."""

    def __init__(self, picture: Any, place_decal) -> None:
        super().__init__(picture)
        self.picture, self.session, self.place_decal = picture, picture.session, place_decal
        self.setObjectName("setCard")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.ArrowCursor)
        self.found: list[Found] = []
        self.files: list[Path] = []
        self.addresses: list[str] = []
        self.at = QPoint()
        self.title, self.words = label("", "title"), label("", wrap=True)
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(10)
        self.grid.setVerticalSpacing(3)
        self.width_field = NumberField("mm", 1e-4, 1e6, 1)
        self.width_field.setAccessibleName("Width of the pictures")
        self.width_field.setFixedWidth(84)
        self.laid = Choice()
        self.laid.setAccessibleName("Laid")
        self.laid.setFixedWidth(130)
        self.only = QCheckBox("Only this part")
        self.lay_button = button("Lay", self.lay, "main")
        self.decal_button = button("As a decal", self._as_decal, "", "Stick it on at this place, over what is there")
        self.leave = button("Leave it", self.hide, "link")
        size = QHBoxLayout()
        size.setSpacing(8)
        for widget in (label("Width"), self.width_field, label("Laid"), self.laid):
            size.addWidget(widget)
        size.addStretch(1)
        line = QHBoxLayout()
        line.setSpacing(8)
        line.addWidget(self.only)
        line.addStretch(1)
        for pressed in (self.leave, self.decal_button, self.lay_button):
            line.addWidget(pressed)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 14, 12)
        column.setSpacing(7)
        column.addWidget(self.title)
        column.addLayout(self.grid)
        column.addLayout(size)
        column.addWidget(self.words)
        column.addLayout(line)
        self.rows: list[tuple[Choice, Choice]] = []
        self.hide()

    def offer(self, found: list[Found], files: list[Path], addresses: list[str], at: QPoint, trouble: list[str]) -> None:
        """Show what a set is taken for on surfaces by address, beside a point of the picture."""
        document = self.session.document
        self.found, self.files, self.addresses, self.at = found, files, addresses, at
        part = document.parts[addresses[0].split("/")[1]]
        worn = get(document, f"{addresses[0]}/material")
        sharing = len(edits.users_of(document, worn)) if worn else 1
        material = document.materials[worn].name if worn else "a new material"
        self.title.setText(f"{counted(len(found), 'picture')} on {part.name}")
        self.only.setVisible(sharing > 1)
        self.only.setText(f"Only on {part.name}, not on all {sharing} that wear {material}")
        self.only.setChecked(False)
        self.decal_button.setVisible(len(found) == 1)
        width = next((f.width_mm for f in found if f.width_mm), 0.0)
        self.width_field.set_value(width or float(max(laying.part_size(document, self.session.assets, part.id))))
        self.laid.fill([(text, key) for key, text in LAID.items()], "")
        told = [f"{f.file}: {f.note}" for f in found if f.note] + trouble
        told.append("Width by the dots per inch of the file" if width else "The files do not say how large they are: as wide as the part")
        self.words.setText(" · ".join(told))
        self._fill()
        self.adjustSize()
        x = min(max(6, at.x() + 20), max(6, self.picture.width() - self.width() - 6))
        y = min(max(6, at.y() - 30), max(6, self.picture.height() - self.height() - 6))
        self.move(x, y)
        self.show()
        self.raise_()
        self.lay_button.setFocus()

    def _fill(self) -> None:
        while self.grid.count():
            item = self.grid.takeAt(0)
            gone = item.widget() if item is not None else None
            if gone is not None:
                gone.hide()
                gone.deleteLater()
        self.rows = []
        for k, one in enumerate(self.found[:MOST_ROWS]):
            name = label(one.file if len(one.file) < 34 else f"{one.file[:18]}…{one.file[-13:]}", "")
            name.setToolTip(f"{one.file}, {one.width} × {one.height} pixels")
            role, green = Choice(), Choice()
            role.setAccessibleName(f"What {one.file} is")
            role.setFixedWidth(176)
            role.fill([(text, key) for key, text in ROLES.items()], one.role)
            role.chosen.connect(lambda value, k=k: self._changed(k, role=value, sure=1.0, by="hand"))
            green.fill([("Green up", False), ("Green down", True)], one.green_down)
            green.setFixedWidth(92)
            green.setAccessibleName(f"Which way the green of {one.file} points")
            green.chosen.connect(lambda value, k=k: self._changed(k, green_down=value, sure_green=1.0))
            sure = label(self._sure(one))
            self.grid.addWidget(name, k, 0)
            self.grid.addWidget(role, k, 1)
            self.grid.addWidget(green, k, 2)
            self.grid.addWidget(sure, k, 3)
            green.setVisible(one.role == "normal")
            self.rows.append((role, green))

    @staticmethod
    def _sure(one: Found) -> str:
        if one.role == "none":
            return ""
        if one.role == "normal" and one.by != "hand":
            return f"{round(100 * one.sure_green)} % sure of green"
        return "" if one.by == "hand" else f"by its {one.by}, {round(100 * one.sure)} %"

    def _changed(self, number: int, **changes: Any) -> None:
        self.found[number] = self.found[number]._replace(**changes)
        self._fill()
        self.adjustSize()

    def lay(self) -> None:
        """Wire them all, as one step."""
        session: Session = self.session

        def run() -> None:
            width = self.width_field.value()
            document, material_id = laying.lay_set(
                session.document, session.assets, self.addresses, self.found, width, self.laid.currentData() or "", not self.only.isChecked()
            )
            used = [f for f in self.found if f.role != "none"]
            session.apply(f"Laid {counted(len(used), 'picture')} on {document.materials[material_id].name}", document)
            session.select([self.addresses[0].split("/")[1]])
            self.hide()

        session.attempt(run)

    def _as_decal(self) -> None:
        self.hide()
        self.place_decal(self.files[0], self.at)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        """Esc leaves it."""
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event) -> None:  # noqa: N802
        """Clicks on the card are not for the picture under it."""
        event.accept()
