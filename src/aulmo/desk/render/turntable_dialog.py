"""What a turntable for the web should be, asked before it is put in the list."""

from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QCheckBox, QDialog, QFileDialog, QLineEdit, QVBoxLayout

from aulmo.desk.render.bench import RenderBench
from aulmo.desk.widgets.fields import Choice, button, dialog_end, label, row
from aulmo.errors import AulmoError, BadValue

LIGHTS = [("Stays with the set", "set"), ("Goes with the product", "product"), ("Goes with the camera", "camera")]


class TurntableDialog(QDialog):
    """Pictures a turn, heights, who carries the light, the choices on the page, the folder."""

    def __init__(self, bench: RenderBench, folder: Path) -> None:
        super().__init__(bench.window())
        self.bench = bench
        self.setWindowTitle("Turntable for the web")
        self.frames, self.heights, self.background = QLineEdit("36"), QLineEdit("0"), QLineEdit("#ffffff")
        self.heights.setToolTip("Degrees above the shot’s own height, one row of pictures for each: 0, 25, 50")
        self.light = Choice()
        self.light.fill(LIGHTS, "set")  # type: ignore[arg-type]
        self.folder = QLineEdit(str(folder))
        for field, name in (
            (self.frames, "Pictures a turn"), (self.heights, "Heights"), (self.background, "Page"), (self.light, "Light"), (self.folder, "Folder"),
        ):  # fmt: skip
            field.setAccessibleName(name)
        layout = QVBoxLayout(self)
        for title, field in (("Pictures a turn", self.frames), ("Heights, °", self.heights), ("Light", self.light), ("Page colour", self.background)):
            layout.addWidget(row(title, field))
        self.axes: dict[str, QCheckBox] = {}
        for axis in bench.session.document.axes:
            if axis.choices:
                made = self.axes[axis.name] = QCheckBox(f"{axis.name}: all {len(axis.choices)} on the page")
                layout.addWidget(row("", made))
        choose = button("Choose…", self._choose)
        choose.setAutoDefault(False)
        layout.addWidget(row("Folder", self.folder))
        layout.addWidget(row("", choose))
        self.trouble = label("", "heading", True)
        layout.addWidget(self.trouble)
        layout.addLayout(dialog_end(self, "Put in the list", self.take))
        self.setMinimumWidth(360)

    def _choose(self) -> None:
        found = QFileDialog.getExistingDirectory(self, "Where the page goes", self.folder.text())
        if found:
            self.folder.setText(found)

    def take(self) -> None:
        """Put it in the list, or say what is wrong."""
        try:
            turn: dict[str, Any] = {
                "frames": int(self.frames.text()), "heights": tuple(float(h) for h in self.heights.text().split(",")),
                "background": self.background.text().strip(), "light": self.light.currentData(), "kind": "jpg",
            }  # fmt: skip
            folder = Path(self.folder.text()).expanduser()
            if not folder.parent.is_dir():
                raise BadValue(f"There is no folder {folder.parent}.")
            folder.mkdir(exist_ok=True)
        except ValueError:
            self.trouble.setText("That is no number; heights are written as 0, 25, 50.")
            return
        except (AulmoError, OSError) as error:
            self.trouble.setText(str(error))
            return
        if self.bench.start_turntable(folder, turn, [name for name, box in self.axes.items() if box.isChecked()]) is not None:
            self.close()
