"""The pictures of a material in Details: how they are laid, and beside each how its values are changed."""

from typing import Any, Callable

from msgspec.structs import replace
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.bound import Bound, bound
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, Section, button, label
from aulmo.document import edits
from aulmo.document.property_table import TABLE
from aulmo.document.records import Lay, Material, Node, Surface
from aulmo.errors import AulmoError
from aulmo.surface import laying
from aulmo.surface.node_flow import behind
from aulmo.surface.picture import read_picture

LAY_ROWS = (
    "projection", "width_mm", "height_mm", "keep_shape", "radius_mm", "rotate", "offset_x_mm", "offset_y_mm", "repeat_x", "repeat_y", "shift_x",
    "shift_y", "gap_x_mm", "gap_y_mm", "tile", "mirror", "depth_mm", "blend",
)  # fmt: skip
_BY_FILE = {"repeat_x", "repeat_y", "shift_x", "shift_y"}
_SIZES = {"width_mm", "height_mm", "keep_shape", "offset_x_mm", "offset_y_mm", "gap_x_mm", "gap_y_mm"}
ADJUST_ROWS = ("brightness", "contrast", "saturation", "hue", "tint", "low", "high", "middle", "turned_over")
LEADS = {
    "base_color": "Colour", "specular_roughness": "Roughness", "base_metalness": "Metalness", "normal": "Normal", "height": "Height",
    "geometry_opacity": "Opacity", "base_weight": "Occlusion", "emission_color": "Glow", "coat_weight": "Coat", "coat_roughness": "Coat roughness",
    "coat_normal": "Coat normal", "transmission_weight": "Clearness", "specular_color": "Shine colour", "subsurface_color": "Below",
    "fuzz_weight": "Fuzz", "displacement": "Displacement", "coat_height": "Coat height",
}  # fmt: skip


def leads_of(material: Material, node: Node) -> list[str]:
    """What a picture leads, straight or through other nodes, in words."""
    return [LEADS[target] if target in LEADS else TABLE[Surface][target].label for target in _led_by(material, node.id)]


def _led_by(material: Material, node_id: str) -> list[str]:
    return [target for target, reference in material.wires.items() if node_id in behind(material, [reference])]


class PicturesSection(Section):
    """Rows for the lays and pictures of the material that is worked on; away when it has none."""

    def __init__(self, session: Session, move: Callable[[str], None], fit: Callable[[str, str, str], None]) -> None:
        super().__init__("Pictures", "surface/Pictures")
        self.session, self._move, self._fit = session, move, fit
        self.rows: dict[tuple[str, str], Bound] = {}
        self._widgets: list[QWidget] = []
        self._shape: tuple = ()
        self._icons: dict[str, QIcon] = {}
        self._open: set[str] = set()  # pictures whose adjustments are shown

    def show_material(self, material: Material | None) -> None:
        """Rows for a material's pictures."""
        pictures = [n for n in material.nodes if n.kind == "image"] if material is not None else []
        self.setVisible(bool(pictures))
        if material is None:
            return
        shape = (material.id, tuple((n.id, n.image, n.file, tuple(leads_of(material, n))) for n in pictures), tuple(one.id for one in material.lays))
        if shape != self._shape:
            self._shape = shape
            self._rebuild(material, pictures)
        for lay in material.lays:
            self._show_lay(lay)
        for made in self.rows.values():
            if not made.widget.isHidden():
                made.refresh()

    def _show_lay(self, lay: Lay) -> None:
        for key in LAY_ROWS:
            shown = True
            if key in _BY_FILE:
                shown = lay.projection == "uv"
            elif key in _SIZES:
                shown = lay.projection != "uv"
            if key == "height_mm":
                shown = shown and not lay.keep_shape
            if key == "radius_mm":
                shown = lay.projection in ("cylinder", "sphere")
            if key == "depth_mm":
                shown = lay.projection == "flat"
            if key == "blend":
                shown = lay.projection == "box"
            self.rows[lay.id, key].widget.setVisible(shown)

    def _rebuild(self, material: Material, pictures: list[Node]) -> None:
        for widget in self._widgets:
            self.layout_.removeWidget(widget)
            widget.deleteLater()
        self._widgets, self.rows = [], {}
        for node in pictures:
            rows = [self._bound(f"nodes/{node.id}/adjust/{key}", node.id, key) for key in ADJUST_ROWS]
            if "Normal" in leads_of(material, node):
                rows = [
                    self._bound(f"nodes/{node.id}/inputs/strength", node.id, "strength", 1.0),
                    self._bound(f"nodes/{node.id}/green_down", node.id, "green_down"),
                ]
            part = QWidget()
            column = QVBoxLayout(part)
            column.setContentsMargins(10, 0, 0, 6)
            column.setSpacing(3)
            for made in rows:
                column.addWidget(made.widget)
            self._put(self._picture_row(material, node, part))
            self._put(part)
            part.setVisible(node.id in self._open)
        for number, lay in enumerate(material.lays):
            heading = label("How they are laid" if len(material.lays) == 1 else f"How they are laid, {number + 1}", "")
            heading.setContentsMargins(9, 6, 0, 0)
            self._put(heading)
            self._put(self._lay_buttons(lay))
            for key in LAY_ROWS:
                self._put(self._bound(f"lays/{lay.id}/{key}", lay.id, key).widget)

    def _put(self, widget: QWidget) -> None:
        self._widgets.append(self.add(widget))

    def _bound(self, steps: str, owner: str, key: str, default: Any = None) -> Bound:
        made = bound(self.session, f"materials/{{material}}/{steps}", "", default)
        self.rows[owner, key] = made
        return made

    def _picture_row(self, material: Material, node: Node, adjust: QWidget) -> QWidget:
        box = QWidget()
        line = QHBoxLayout(box)
        line.setContentsMargins(9, 2, 0, 0)
        line.setSpacing(8)
        thumb = QLabel()
        thumb.setFixedSize(30, 30)
        thumb.setPixmap(self._icon(node).pixmap(QSize(30, 30)))
        words = ", ".join(leads_of(material, node)) or "leads nothing"
        name = node.file or "picture"
        text = label(f"{words}\n{name if len(name) < 22 else name[:10] + '…' + name[-10:]}" + ("  (missing)" if node.image is None else ""), "")
        text.setToolTip(name)
        line.addWidget(thumb)
        line.addWidget(text, 1)
        fold = button("Adjust", lambda: None, "link", "Brightness, contrast, colour, levels of this picture")
        fold.setCheckable(True)
        fold.setChecked(node.id in self._open)
        fold.toggled.connect(lambda on: self._fold_adjust(node.id, adjust, on))
        line.addWidget(fold, 0, Qt.AlignmentFlag.AlignTop)
        line.addWidget(button("✕", lambda: self._drop(node.id), "link", f"Take {name} off"), 0, Qt.AlignmentFlag.AlignTop)
        return box

    def _fold_adjust(self, node_id: str, part: QWidget, on: bool) -> None:
        self._open = self._open | {node_id} if on else self._open - {node_id}
        part.setVisible(on)
        for (owner, _), made in self.rows.items():
            if owner == node_id and on:
                made.refresh()

    def _icon(self, node: Node) -> QIcon:
        if node.image is None:
            return theme.icon("warning", theme.current().caution, 30)
        if node.image not in self._icons:
            try:
                pixels = read_picture(self.session.assets.get(node.image), node.file or node.image, 1 << 12, 64)
                shown = pixels.codes if pixels.codes.dtype.itemsize == 1 else (pixels.codes >> 8).astype("uint8")
                shown = shown[..., :3] if shown.shape[2] > 2 else shown[..., [0, 0, 0]]
                shown = shown.copy()
                image = QImage(shown.data, shown.shape[1], shown.shape[0], 3 * shown.shape[1], QImage.Format.Format_RGB888).copy()
                self._icons[node.image] = QIcon(
                    QPixmap.fromImage(image).scaled(30, 30, Qt.AspectRatioMode.KeepAspectRatioByExpanding).copy(0, 0, 30, 30)
                )
            except AulmoError:
                self._icons[node.image] = theme.icon("warning", theme.current().caution, 30)
        return self._icons[node.image]

    def _lay_buttons(self, lay: Lay) -> QWidget:
        box = QWidget()
        column = QVBoxLayout(box)
        column.setContentsMargins(9, 0, 0, 2)
        column.setSpacing(4)
        column.addWidget(
            button("On the picture", lambda: self._move(lay.id), "small", "Move, turn and size it with handles, or pull it on the part"),
            0,
            Qt.AlignmentFlag.AlignLeft,
        )
        line = QHBoxLayout()
        line.setSpacing(4)
        column.addLayout(line)
        what, along = Choice(), Choice()
        what.fill([("Part", "part"), ("Group", "group"), ("Selection", "selection"), ("Face", "face")], "part")
        along.fill([("x", "x"), ("y", "y"), ("z", "z")], "z")
        what.setToolTip("What it is fitted to; a face gives its axis and radius to a cylinder: pick one on the Cut bench")
        along.setFixedWidth(44)
        line.addWidget(button("Fit", lambda: self._fit(lay.id, what.currentData(), along.currentData()), "small", "Cover it once"))
        line.addWidget(label("to"))
        line.addWidget(what, 1)
        line.addWidget(label("along"))
        line.addWidget(along)
        return box

    def _drop(self, node_id: str) -> None:
        material = self.session.document.materials.get(self.session.material_id or "")
        if material is None:
            return
        node = next(n for n in material.nodes if n.id == node_id)
        gone = _led_by(material, node_id)
        kept = {target: reference for target, reference in material.wires.items() if target not in gone}
        made = laying.tidied(replace(material, wires=kept))
        self.session.apply(f"Took {node.file or 'a picture'} off {material.name}", edits.put_material(self.session.document, made))
