"""What a full sphere should be, asked before it is put in the list."""

from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QDialog, QFileDialog, QLineEdit, QVBoxLayout

from aulmo.desk.render.bench import RenderBench
from aulmo.desk.widgets.fields import Choice, button, dialog_end, label, row
from aulmo.errors import BadValue

EYES = [("One", ""), ("Two, the left above", "top-bottom"), ("Two, side by side", "left-right")]
KINDS = [
    ("Page to look around in", ".html"), ("Picture", ".jpg"), ("Picture, PNG", ".png"), ("Light, EXR", ".exr"), ("Six faces of a cube", "cube"),
    ("Film, MP4", ".mp4"),
]  # fmt: skip


class SphereDialog(QDialog):
    """As what, how wide, for how many eyes, and where to."""

    def __init__(self, bench: RenderBench, stem: Path) -> None:
        super().__init__(bench.window())
        self.bench = bench
        self.setWindowTitle("Full sphere")
        self.kind, self.eyes = Choice(), Choice()
        self.kind.fill(KINDS, ".html")  # type: ignore[arg-type]
        self.eyes.fill(EYES, "")  # type: ignore[arg-type]
        self.width_field, self.apart = QLineEdit("4096"), QLineEdit("64")
        self.apart.setToolTip("People’s eyes are about 64 mm from each other; nearer ones make the product seem larger")
        self.out = QLineEdit(str(stem.with_suffix(".html")))
        fields = (
            ("As", self.kind), ("Pixels round", self.width_field), ("Eyes", self.eyes), ("Apart, mm", self.apart), ("File", self.out),
        )  # fmt: skip
        layout = QVBoxLayout(self)
        for name, field in fields:
            field.setAccessibleName(name)
            layout.addWidget(row(name, field))
        choose = button("Choose…", self._choose)
        choose.setAutoDefault(False)
        layout.addWidget(row("", choose))
        self.trouble = label("", "heading", True)
        layout.addWidget(self.trouble)
        layout.addLayout(dialog_end(self, "Put in the list", self.take))
        self.kind.chosen.connect(lambda _: self._suit())
        self.eyes.chosen.connect(lambda _: self._suit())
        self._suit()
        self.setMinimumWidth(380)

    def _suit(self) -> None:
        kind = self.kind.currentData()
        self.eyes.setEnabled(kind != "cube")
        self.apart.setEnabled(kind != "cube" and bool(self.eyes.currentData()))
        self.out.setText(str(Path(self.out.text()).with_suffix(".png" if kind == "cube" else kind)))

    def _choose(self) -> None:
        found, _ = QFileDialog.getSaveFileName(self, "Where the full sphere goes", self.out.text())
        if found:
            self.out.setText(found)

    def take(self) -> None:
        """Put it in the list, or say what is wrong."""
        cube = self.kind.currentData() == "cube"
        try:
            turn: dict[str, Any] = {"layout": "" if cube else self.eyes.currentData(), "eyes_mm": float(self.apart.text()), "cube": cube}
            width = int(self.width_field.text())
            out = Path(self.out.text()).expanduser()
            if not out.parent.is_dir():
                raise BadValue(f"There is no folder {out.parent}.")
        except ValueError:
            self.trouble.setText("That is no number; the pixels round are a whole one, as 4096.")
            return
        except BadValue as error:
            self.trouble.setText(str(error))
            return
        if self.bench.start_sphere(out, width, turn) is not None:
            self.close()
