"""The layer in hand in Details: its grade, or what it shows; and its mask."""

from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QComboBox, QFileDialog, QGridLayout, QHBoxLayout, QLineEdit, QWidget

from aulmo.desk.finish.curve_field import CurveField, HueBar
from aulmo.desk.finish.finish_desk import FinishDesk
from aulmo.desk.finish.marks import FinishMarks
from aulmo.desk.finish.scopes import INKS
from aulmo.desk.finish.tones_bar import TONES, TonesBar
from aulmo.desk.finish.tools import BrushTool
from aulmo.desk.shell.bound import Bound, BoundNumber
from aulmo.desk.shell.details import Page
from aulmo.desk.widgets.fields import Choice, NumberField, Section, Segments, SliderRow, button, button_row, label, row
from aulmo.document import edits
from aulmo.document.finish_records import Grade, HueBand, Layer, Mask
from aulmo.document.property_table import TABLE, sections
from aulmo.trace.passes import PATH_NAMES

G = "finishes/{layer}/grade"
SECTIONS = sections(Grade)
CURVES = {"curve": "All", "red": "Red", "green": "Green", "blue": "Blue"}
RANGES = {"depth": "mm", "facing": "", "luminance": "", "hue": "°"}


BAND_WORDS = {"turn": "turned", "saturation": "stronger", "lightness": "lighter"}


def _in_columns(fields: list[tuple[QWidget, str]]) -> QWidget:
    """Fields side by side, each under a word."""
    box = QWidget()
    grid = QGridLayout(box)
    grid.setContentsMargins(9, 0, 0, 2)
    grid.setHorizontalSpacing(4)
    grid.setVerticalSpacing(1)
    for k, (field, word) in enumerate(fields):
        field.setMaximumWidth(10_000)
        field.setMinimumWidth(36)
        above = label(word)
        above.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        grid.addWidget(above, 0, k)
        grid.addWidget(field, 1, k)
        grid.setColumnStretch(k, 1)
    return box


class LayerPage(Page):
    """The layer that is selected."""

    def __init__(self, desk: FinishDesk, marks: FinishMarks, brush: BrushTool, commands: Any) -> None:
        super().__init__(desk.session)
        self.desk, self.marks, self.brush, self.commands = desk, marks, brush, commands
        self.words = label("", "quiet", True)
        self.words.setContentsMargins(9, 0, 0, 2)
        self.body.addWidget(self.words)
        self.add(None, "finishes/{layer}/opacity")
        self.blend = self.add(None, "finishes/{layer}/blend")
        self.rows: dict[str, Bound] = {}
        self.graded = self._grade()
        self.shown = self._content()
        self.masked = self.section("Mask", "finish/mask")
        self._mask(self.masked)
        self.body.addStretch(1)

    # a grade

    def _rows(self, section: Section, title: str) -> None:
        """The rows that the record of a grade has under a title."""
        for name in SECTIONS[title]:
            self.rows[name] = self.add(section, f"{G}/{name}", kind=BoundNumber if TABLE[Grade][name].row.small else None)

    def _grade(self) -> list[Section]:
        tone = self.section("Tones", "finish/tones")
        self.tones = TonesBar()
        self.tones.changed.connect(self._tone)
        self.tones.key_wanted.connect(lambda field: self.rows[field].turn_key())
        tone.add(self.tones)
        self._rows(tone, "Tones")
        tone.add(self._side_by_side([(self.rows[t.field], t.word) for t in TONES]))
        hues = self.section("Hues", "finish/hues")
        self.hues = HueBar()
        self.hues.changed.connect(self._hues)
        hues.add(self.hues)
        self.band = {"turn": NumberField("°", -180, 180, 0), "saturation": NumberField("", -1, 10, 2), "lightness": NumberField("", -1, 10, 2)}
        for name, one in self.band.items():
            one.setAccessibleName(BAND_WORDS[name].capitalize())
            one.edited.connect(lambda v, n=name: self._band(False, **{n: v}))
            one.trouble.connect(self.session.trouble)
        self.band_row = hues.add(_in_columns([(one, BAND_WORDS[name]) for name, one in self.band.items()]))
        self.no_band = button("No band here", self._drop_band, "link", "Takes the chosen band away")
        self.no_band_row = hues.add(button_row(self.no_band))
        colour = self.section("Light and colour", "finish/colour")
        self._rows(colour, "Light and colour")
        colour.add(button_row(
            button("Grey is here", lambda: self.session.toggle_tool("finish_grey"), "link", "Click something grey in the picture"),
            button("Black is here", lambda: self.session.toggle_tool("finish_black"), "link", "Click something black in the picture"),
        ))  # fmt: skip
        self._rows(colour, "Tints")
        curves = self.section("Curves", "finish/curves")
        self.which = Segments(CURVES)
        self.which.set_value("curve")
        self.which.chosen.connect(lambda _: self.refresh())
        curves.add(self.which)
        self.curve = CurveField()
        self.curve.changed.connect(self._curve)
        curves.add(self.curve)
        detail = self.section("Detail", "finish/detail")
        self._rows(detail, "Detail")
        lens = self.section("Lens and film", "finish/lens")
        self._rows(lens, "Lens and film")
        table = self.section("Table", "finish/table")
        self.lut = label("None", "quiet", True)
        self.lut.setContentsMargins(9, 0, 0, 0)
        table.add(self.lut)
        table.add(button_row(
            button("Choose…", self._choose_table, "link", "A .cube file"), button("None", lambda: self.desk.set_grade("No table", lut=None), "link"),
            button("Save…", self.commands.save_cube, "link", "The grade’s tones and colours as a table for other programs"),
        ))  # fmt: skip
        self._rows(table, "Table")
        match = self.section("Toward the reference", "finish/match")
        self.strength = SliderRow("Strength", 0, 1, "", 1.0, 2, 0, 1)
        self.strength.set_value(1.0)
        match.add(self.strength)
        self.suggest = button("Suggest toward the reference", self._suggest, "main")
        match.add(button_row(self.suggest))
        self.told = label("", "quiet", True)
        self.told.setContentsMargins(9, 0, 0, 0)
        match.add(self.told)
        return [tone, hues, colour, curves, detail, lens, table, match]

    def _side_by_side(self, rows: list[tuple[Bound, str]]) -> QWidget:
        """The fields of some rows in columns, each under its word; a right click on the bar keys them."""
        made = _in_columns([(one.field, word) for one, word in rows])
        for one, _ in rows:
            one.widget.hide()
            one.widget = one.field
        return made

    def _tone(self, field: str, amount: float, busy: bool) -> None:
        self.rows[field].put(amount, busy)

    def _layer(self) -> Layer:
        found = self.desk.layer
        assert found is not None
        return found

    def _curve(self, points: tuple, busy: bool) -> None:
        which = next(k for k, b in self.which.buttons.items() if b.isChecked())
        self.desk.set_grade("Drew a curve", ("curve", which), **{which: points})
        if not busy:
            self.session.history.end_merge()

    def _hues(self, bands: tuple[HueBand, ...], chosen: int, busy: bool) -> None:
        layer = self.desk.layer
        if layer is not None and bands != layer.grade.hues:
            self.desk.set_grade("Only hues", "hues", hues=bands)
        if not busy:
            self.session.history.end_merge()
        self.refresh()

    def _band(self, busy: bool, **values: float) -> None:
        bands = self._layer().grade.hues
        k = self.hues.chosen
        if k < len(bands):
            made = tuple(replace(b, **values) if n == k else b for n, b in enumerate(bands))
            self.desk.set_grade("Only hues", ("band", k, *values), hues=made)
            if not busy:
                self.session.history.end_merge()

    def _drop_band(self) -> None:
        bands = self._layer().grade.hues
        self.desk.set_grade("A band of hues less", hues=tuple(b for n, b in enumerate(bands) if n != self.hues.chosen))

    def _choose_table(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self.window(), "A table of colours", "", "Tables (*.cube)")
        if path:
            self.commands.take_table(path)

    def _suggest(self) -> None:
        self.commands.suggest(self.strength.field.value())

    # what is no grade

    def _content(self) -> dict[str, list[QWidget]]:
        what = self.section("Layer", "finish/layer")
        self.what = what
        self.source = Choice()
        self.source.setAccessibleName("Light or pass")
        self.source.chosen.connect(lambda v: self.desk.put_layer("Another light or pass", replace(self._layer(), source=v)))
        source = what.add(row("Of", self.source))
        self.text = QLineEdit()
        self.text.setAccessibleName("Text")
        self.text.editingFinished.connect(self._typed)
        text = what.add(row("Text", self.text))
        picture = what.add(button_row(button("Choose a picture…", self._choose_picture, "link"), button("Fill the frame", self._fill, "link")))
        rows = {name: self.add(what, f"finishes/{{layer}}/{name}").widget for name in ("colour", "colour_to", "soften", "strength", "raw")}
        place = [self.add(what, f"finishes/{{layer}}/{name}").widget for name in ("across", "down", "width", "turn")]
        return {
            "group": [source], "pass": [source], "text": [text, rows["colour"], *place], "picture": [picture, *place], "colour": [rows["colour"]],
            "gradient": [rows["colour"], rows["colour_to"]], "shadow": [rows["strength"], rows["soften"], rows["colour"]], "render": [rows["raw"]],
        }  # fmt: skip

    def _typed(self) -> None:
        layer = self.desk.layer
        if layer is not None and layer.kind == "text" and self.text.text() != layer.source:
            self.desk.put_layer("Another text", replace(layer, source=self.text.text()))

    def _choose_picture(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self.window(), "A picture", "", "Pictures (*.png *.jpg *.jpeg *.tif *.tiff *.exr *.hdr *.webp *.svg)")
        if path:
            self.commands.take_picture(path)

    def _fill(self) -> None:
        self.desk.put_layer("Fills the frame", replace(self._layer(), across=0.5, down=0.5, width=1.0, turn=0.0))

    # its mask

    def _mask(self, section: Section) -> None:
        self.masks = Choice()
        self.masks.setAccessibleName("Mask")
        self.masks.chosen.connect(lambda i: self.desk.choose(self._layer().id, i))
        self.mask_row = section.add(row("Mask", self.masks))
        self.how = self.add(section, "finishes/{mask}/how")
        self.names = QComboBox()
        self.names.setAccessibleName("Masked by")
        self.names.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.names.setMinimumContentsLength(5)
        self.names.activated.connect(self._named)
        self.of = label("", "quiet", True)
        self.of.setContentsMargins(9, 0, 0, 0)
        names = QWidget()
        line = QHBoxLayout(names)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self.names, 1)
        self.of_row, self.names_row = section.add(self.of), section.add(row("Add", names))
        tip = "The parts that are selected in the tree or the picture"
        self.chosen_row = section.add(button_row(button("What is selected", self._selected, "link", tip)))
        ends = {name: self.add(section, f"finishes/{{mask}}/{name}", kind=BoundNumber) for name in ("low", "high", "soft")}
        shape = {name: self.add(section, f"finishes/{{mask}}/{name}", kind=BoundNumber) for name in ("across", "down", "width", "height", "turn")}
        self.brushed = {
            "size": SliderRow("Size", 2, 300, "‰", None, 0, 1, 2000, 2.0), "flow": SliderRow("Flow", 0.05, 1, "", None, 2, 0.01, 1),
            "soft": SliderRow("Soft", 0, 1, "", None, 2, 0, 1), "edges": SliderRow("Follows edges", 0, 1, "", None, 2, 0, 1),
        }  # fmt: skip
        for name, one in self.brushed.items():
            one.changed.connect(lambda v, busy, n=name: setattr(self.brush, n, v))
            section.add(one)
        self.paint = section.add(button_row(
            button("Paint", lambda: self.session.toggle_tool("finish_brush"), "link"), button("Wipe all", self._wipe, "link"),
        ))  # fmt: skip
        self.follows = Choice()
        self.follows.setAccessibleName("Follows")
        self.follows.chosen.connect(self.commands.follow)
        follows = section.add(row("Follows", self.follows, tip="The shape stays with a part, wherever that is in a film"))
        feather, feather_mm = self.add(section, "finishes/{mask}/feather"), self.add(section, "finishes/{mask}/feather_mm")
        outside = self.add(section, "finishes/{mask}/outside")
        self.stripes = button("Show it", self._overlay, "chip", "Stripes over the picture where the layer holds")
        self.stripes.setCheckable(True)
        self.end = section.add(button_row(self.stripes, button("Delete mask", self.delete_mask, "link")))
        named = [self.of_row, self.names_row, self.chosen_row]
        ranged = [e.widget for e in ends.values()]
        self.mask_rows: dict[str, list[QWidget]] = {
            **dict.fromkeys(("part", "group", "material", "decal"), named), **dict.fromkeys(RANGES, ranged),
            **dict.fromkeys(("ellipse", "rectangle"), [s.widget for s in shape.values()] + [follows]),
            "gradient": [shape[n].widget for n in ("across", "down", "height", "turn")] + [follows], "polygon": [follows],
            "brush": [*self.brushed.values(), self.paint, follows],
        }  # fmt: skip
        self.every_mask = [feather.widget, feather_mm.widget, outside.widget, self.end, self.how.widget]

    def delete_mask(self) -> None:
        """Take the mask out."""
        layer, mask = self.desk.layer, self.desk.mask
        if layer is not None and mask is not None:
            self.desk.choose(layer.id, mask.id)
            self.desk.delete()

    def _overlay(self) -> None:
        self.desk.overlay = self.stripes.isChecked()
        self.desk.picture.update()

    def _wipe(self) -> None:
        mask = self.desk.mask
        if mask is not None:
            self.desk.put_mask("Wiped a mask", replace(mask, strokes=()))

    def _named(self, index: int) -> None:
        mask, name = self.desk.mask, self.names.itemData(index)
        if mask is None or not name:
            return
        names = tuple(n for n in mask.names if n != name) if name in mask.names else (*mask.names, name)
        self.desk.put_mask(f"Masked by {name}", replace(mask, names=names))

    def _selected(self) -> None:
        mask, session = self.desk.mask, self.session
        chosen = self.commands.selected_names(mask.kind) if mask is not None else ()
        if mask is None or not chosen:
            session.hint.emit("Select parts in the tree or the picture first")
            return
        self.desk.put_mask(f"Masked by {chosen[0]}", replace(mask, names=tuple(dict.fromkeys((*mask.names, *chosen)))))

    # as things are

    def show_document(self) -> None:
        """Bring it up to date."""
        layer = self.desk.layer
        if layer is None:
            return
        self.title.setText(layer.name)
        seen = self.desk.seen
        fault = seen.faults.get(layer.id, "") if seen is not None else ""
        self.words.setText(f"Left out: {fault}" if fault else "")
        self.words.setVisible(bool(fault))
        self.blend.set_visible(layer.kind != "grade" or layer.blend != "over")
        for section in self.graded:
            section.setVisible(layer.kind == "grade")
        wanted = self.shown.get(layer.kind, [])
        self.what.setVisible(bool(wanted))
        for widget in {w for many in self.shown.values() for w in many}:
            widget.setVisible(widget in wanted)
        if layer.kind in ("group", "pass"):
            self._fill_sources(layer)
        if layer.kind == "text" and not self.text.hasFocus():
            self.text.setText(layer.source)
        if layer.kind == "grade":
            self._show_grade(layer.grade)
        self._show_mask(layer, self.desk.mask)

    def _fill_sources(self, layer: Layer) -> None:
        there = self.desk.whole
        lights = self.desk.lights() or sorted({lamp.group for lamp in self.session.document.lamps.values()} | {"Environment", "Glow"})
        known = there.layers if there is not None else ()
        passes = [n for n in known if not n.startswith(("group.", "Matte", "raw"))] or [f"path.{n}" for n in PATH_NAMES]
        offered = lights if layer.kind == "group" else passes
        if layer.source and layer.source not in offered:
            offered = [*offered, layer.source]
        self.source.fill([("Choose one", "")] * (not layer.source) + [(n.replace("path.", "").replace("_", " "), n) for n in offered], layer.source)

    def _show_grade(self, grade: Grade) -> None:
        seen = self.desk.seen
        which = next((k for k, b in self.which.buttons.items() if b.isChecked()), "curve")
        ink = {"red": INKS[0], "green": INKS[1], "blue": INKS[2]}.get(which, QColor("#e6e6e6"))
        tones = None if seen is None else seen.scopes.tones[{"red": 0, "green": 1, "blue": 2}.get(which, 3)]
        self.curve.set_points(getattr(grade, which), ink, tones)
        self.hues.set_bands(grade.hues)
        place = self.desk.address()
        held = frozenset(t.field for t in TONES if f"{place}/grade/{t.field}" in self.session.document.keys)
        now = self.session.resolved.finishes.get(self.desk.finish.id)
        seen_grade = next((x.grade for x in now.layers if x.id == self._layer().id), grade) if now is not None else grade
        self.tones.show_grade({t.field: getattr(seen_grade, t.field) for t in TONES}, held, None if seen is None else seen.scopes.tones)
        there = bool(grade.hues)
        self.band_row.setVisible(there)
        for name, one in self.band.items():
            if there:
                one.set_value(getattr(grade.hues[min(self.hues.chosen, len(grade.hues) - 1)], name))
        self.no_band_row.setVisible(there)
        self.lut.setText(self.commands.table_names.get(grade.lut or "", "A table of this project") if grade.lut else "None")
        ready = self.desk.reference is not None
        self.suggest.setEnabled(ready and self.desk.seen is not None)
        pairs = len(self.marks.pairs)
        told = self.commands.suggestion_words or ("Moves exposure, white, contrast, tones and saturation of this grade; all can be changed after")
        if pairs:
            told = f"By {pairs} {'pair' if pairs == 1 else 'pairs'} of places. {told}"
        self.told.setText(told if ready else "Choose a reference first: drop a picture on Finish’s page, or on the picture.")

    def _show_mask(self, layer: Layer, mask: Mask | None) -> None:
        self.masked.setVisible(mask is not None)
        if mask is None:
            return
        words = TABLE[Mask]["kind"].choices
        self.masks.fill([(f"{words[m.kind]}{' ' + str(k) if len(layer.masks) > 1 else ''}", m.id) for k, m in enumerate(layer.masks, 1)], mask.id)
        self.mask_row.setVisible(len(layer.masks) > 1)
        wanted = self.mask_rows.get(mask.kind, [])
        for widget in {w for many in self.mask_rows.values() for w in many}:
            widget.setVisible(widget in wanted)
        self.stripes.setChecked(self.desk.overlay)
        if mask.names or mask.kind in ("part", "group", "material", "decal"):
            self.of.setText(", ".join(mask.names) or "None yet")
            self._fill_names(mask)
        if mask.kind == "brush":
            for name, one in self.brushed.items():
                one.set_value(getattr(self.brush, name))
        parts = self.session.document.parts
        followed = [parts[i].name for i in edits.leaves(self.session.document, self.session.document.roots)]
        self.follows.fill([("Nothing", ""), *[(n, n) for n in dict.fromkeys(followed)]], mask.follows)

    def _fill_names(self, mask: Mask) -> None:
        document = self.session.document
        leaves = set(edits.leaves(document, document.roots))
        offered = {
            "part": [p.name for i, p in document.parts.items() if i in leaves], "group": [p.name for p in document.parts.values() if p.children],
            "material": [m.name for m in document.materials.values()], "decal": [d.name for d in document.decals.values()],
        }.get(mask.kind, [])  # fmt: skip
        key = (mask.kind, tuple(offered), mask.names)
        if getattr(self, "_offered", None) == key:
            return
        self._offered = key
        self.names.clear()
        self.names.addItem("Choose", "")
        for name in dict.fromkeys(offered):
            self.names.addItem(f"{'✓ ' if name in mask.names else ''}{name}", name)
