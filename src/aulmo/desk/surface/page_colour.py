"""A colour of the project: its numbers in whatever way they are given, its tolerance, and what follows it."""

import colorsys
from typing import Any

import numpy as np
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtWidgets import QGridLayout, QLabel, QWidget

from aulmo.desk.picture.tools.tool import Tool
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.stage import Desk
from aulmo.desk.widgets.fields import NumberField, button, button_row, label, row
from aulmo.document import colours, edits
from aulmo.document.records import ProjectColour
from aulmo.surface.colour import ACESCG_TO_SRGB, decode_srgb, difference, encode_srgb, from_hex, from_lab, from_srgb, to_lab

SUBJECT = "colours"
LEAST_PIXELS = 40


class ColourCommands:
    """New colours, and the tool that measures one in the picture."""

    def __init__(self, desk: Desk) -> None:
        self.desk, self.session, self.picture = desk, desk.session, desk.picture
        self.picture.add_tool(MeasureColour(self.picture))
        there = lambda: desk.working() and self.colour is not None  # noqa: E731
        desk.registry.add("colour_new", "New colour of the project", "Materials", "", self.new, desk.working, break_before=True)
        desk.registry.handle("delete", there, self.delete, sooner=True)

    @property
    def colour(self) -> ProjectColour | None:
        """The one that is worked on."""
        root, _, held = self.session.subject.partition("/")
        return self.session.document.colours.get(held) if root == SUBJECT else None

    def new(self) -> None:
        """A colour: of what is selected where that has one, which follows it then."""
        session = self.session
        material = session.document.materials.get(session.material_id or "")
        rgb = material.surface.base_color if material is not None else from_hex("#7a1f14")
        name = f"{material.name} colour" if material is not None else "Colour"
        made, colour_id = colours.add_colour(session.document, name, rgb)
        session.apply(f"New colour {made.colours[colour_id].name}", made)
        session.select((), f"{SUBJECT}/{colour_id}")

    def delete(self) -> None:
        """Take it away; what followed it stays as it is."""
        colour = self.colour
        if colour is not None:
            self.session.apply(f"Took away the colour {colour.name}", colours.delete_colour(self.session.document, colour.id))


class MeasureColour(Tool):
    """A click in the picture gives the colour in hand what is seen there."""

    name = "measure_colour"
    hint = "Click where the colour is seen as it should be: a photograph, a print, a sample · Esc puts it away"
    pointer = Qt.CursorShape.CrossCursor

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Take it."""
        root, _, held = self.session.subject.partition("/")
        x, y = at.x(), at.y()
        seen = [self.picture.pixel_at(QPoint(x + dx, y + dy)) for dx in (-2, 0, 2) for dy in (-2, 0, 2)]
        values = [v for v in seen if v is not None]
        if root == SUBJECT and held in self.session.document.colours and values:
            mean = np.mean([decode_srgb(np.array(v) / 255) for v in values], 0)
            name = self.session.document.colours[held].name
            self.session.put({f"{SUBJECT}/{held}/rgb": from_srgb(mean)}, told=f"Measured {name} in the picture")
            self.session.set_tool("")


class ColourPage(Page):
    """Its rows."""

    def __init__(self, desk: Desk, commands: ColourCommands) -> None:
        super().__init__(desk.session)
        self.picture, self.commands = desk.picture, commands
        self.add(None, "colours/{colour}/name")
        own = self.section("Colour")
        self.add(own, "colours/{colour}/rgb")
        self.fields: dict[str, NumberField] = {}
        for title, names, decimals, low, high in (
            ("Hue, S, V", ("Hue", "Saturation", "Value"), 1, 0.0, 360.0), ("Lightness", ("Lightness",), 1, 0.0, 100.0),
            ("Lab", ("L*", "a*", "b*"), 1, -200.0, 200.0),
        ):  # fmt: skip
            made = []
            for name in names:
                field = NumberField("", low if name != "L*" else 0.0, {"Saturation": 100.0, "Value": 100.0, "L*": 100.0}.get(name, high), decimals)
                field.setAccessibleName(name)
                field.setToolTip(TIPS.get(name, name))
                field.trouble.connect(self.session.trouble)
                field.edited.connect(lambda _, n=name: self._typed(n))
                self.fields[name] = field
                made.append(field)
            own.add(row(title, *made))
        own.add(button_row(button("Measure it in the picture", lambda: self.session.toggle_tool("measure_colour"))))
        self.add(own, "colours/{colour}/note")
        follow = self.section("Follows it")
        self.add(follow, "colours/{colour}/tolerance")
        self.rows = QWidget()
        self.grid = QGridLayout(self.rows)
        self.grid.setContentsMargins(9, 2, 0, 2)
        self.grid.setHorizontalSpacing(8)
        self.grid.setColumnStretch(0, 1)
        follow.add(self.rows)
        self.told = label("", wrap=True)
        self.told.setContentsMargins(9, 0, 0, 0)
        follow.add(self.told)
        self.body.addStretch(1)
        self._shown: object = None
        self._again = QTimer(self)
        self._again.setSingleShot(True)
        self._again.setInterval(400)
        self._again.timeout.connect(self._measure)
        desk.picture.status_changed.connect(lambda: self.isVisible() and not self._again.isActive() and self._again.start())

    def show_document(self) -> None:
        """The numbers, and who follows."""
        colour = self.commands.colour
        if colour is None:
            return
        self.title.setText(colour.name)
        srgb = self._srgb(colour)
        hue, saturation, value = colorsys.rgb_to_hsv(*srgb)
        lightness = 50 * (max(srgb) + min(srgb))
        lab = to_lab(np.array(colour.rgb))
        shown = (360 * hue, 100 * saturation, 100 * value, lightness, *(float(v) for v in lab))
        for field, number in zip(self.fields.values(), shown):
            field.set_value(round(number, 2))
        self._measure()

    def _typed(self, name: str) -> None:
        """Another colour by one of its numbers, the others of its way as they were."""
        colour = self.commands.colour
        if colour is None:
            return
        value = {n: f.value() for n, f in self.fields.items()}
        if name in ("L*", "a*", "b*"):
            rgb = self.session.attempt(lambda: from_lab((value["L*"], value["a*"], value["b*"])))
            if rgb is None:
                return
        elif name == "Lightness":
            hue, _, saturation = colorsys.rgb_to_hls(*self._srgb(colour))
            rgb = from_srgb(decode_srgb(np.array(colorsys.hls_to_rgb(hue, value[name] / 100, saturation))))
        else:
            rgb = from_srgb(decode_srgb(np.array(colorsys.hsv_to_rgb((value["Hue"] / 360) % 1.0, value["Saturation"] / 100, value["Value"] / 100))))
        self.session.put({f"{SUBJECT}/{colour.id}/rgb": rgb}, told=f"{name} of {colour.name}")

    @staticmethod
    def _srgb(colour: ProjectColour) -> tuple[float, float, float]:
        r, g, b = (float(v) for v in np.clip(encode_srgb(ACESCG_TO_SRGB @ np.array(colour.rgb)), 0, 1))
        return r, g, b

    # what follows

    def followers(self) -> list[tuple[str, str, float | None]]:
        """What follows: its name, what it is, and how far what is seen of it is from the colour (CIEDE2000); None where nothing of it is seen."""
        colour = self.commands.colour
        if colour is None:
            return []
        document, found = self.session.document, []
        wanted = to_lab(np.array(colour.rgb))
        for address in colours.followers(document, colour.id):
            steps = address.split("/")
            if steps[0] == "materials":
                material = document.materials[steps[1]]
                found.append((material.name, "material", self._apart(edits.users_of(document, material.id), wanted)))
            elif steps[0] == "environment":
                found.append((next(b.name for b in document.environment.softboxes if b.id == steps[2]), "light", None))
            elif steps[0] == "backdrop":
                found.append((f"Backdrop, {steps[1]}", "backdrop", None))
            else:
                held = getattr(document, steps[0])[steps[1]]
                found.append((held.name, "decal" if steps[0] == "decals" else "light", None))
        return found

    def _apart(self, part_ids: list[str], wanted: np.ndarray) -> float | None:
        draft, pixels = self.picture.draft, self.picture.picture_pixels()
        if draft is None or pixels is None:
            return None
        ids = set(part_ids)
        numbers = [k for k, part in enumerate(self.picture.draft_parts) if self.picture.stored(part) in ids]
        mask = np.isin(draft.parts, numbers)
        if mask.sum() < LEAST_PIXELS:
            return None
        rows, columns = np.nonzero(mask)
        step = max(1, len(rows) // 4000)
        rows, columns = rows[::step] * pixels.shape[0] // mask.shape[0], columns[::step] * pixels.shape[1] // mask.shape[1]
        middle = np.median(pixels[rows, columns], 0) / 255
        return difference(to_lab(np.array(from_srgb(decode_srgb(middle)))), wanted)

    def _measure(self) -> None:
        colour = self.commands.colour
        found = self.followers()
        key = (colour, tuple((n, k, None if d is None else round(d, 1)) for n, k, d in found))
        if key == self._shown:
            return
        self._shown = key
        while self.grid.count():
            item = self.grid.takeAt(0)
            held = item.widget() if item is not None else None
            if held is not None:
                held.deleteLater()
        for line, (name, kind, far) in enumerate(found[:40]):
            first, second = label(name, ""), label(kind if far is None else f"{far:.1f} apart", "quiet")
            if far is not None and colour is not None and far > colour.tolerance:
                second.setObjectName("caution")
                second.setToolTip("Farther than its tolerance as it is seen in this light")
            second.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.grid.addWidget(first, line, 0)
            self.grid.addWidget(second, line, 1)
        measured = any(far is not None for _, _, far in found)
        if not found:
            self.told.setText("Nothing follows it yet: drag it from the shelf onto a part, a light or the tree, or choose it at any colour’s mark.")
        elif measured:
            self.told.setText("How far the middle of what is seen of each lies from the colour, by CIEDE2000: light and view count.")
        else:
            self.told.setText("")

    def rows_told(self) -> list[str]:
        """The lines as they are shown."""
        widgets: list[Any] = [self.grid.itemAt(k).widget() for k in range(self.grid.count())]  # type: ignore[union-attr]
        return [w.text() for w in widgets if isinstance(w, QLabel)]


TIPS = {
    "Hue": "0 to 360 degrees", "Saturation": "Share of the most there can be, in %", "Value": "The largest of red, green and blue, in %",
    "Lightness": "Halfway between the largest and the smallest of red, green and blue, in %", "L*": "CIELAB under D50, as print has it",
        "a*": "Green to red", "b*": "Blue to yellow",
}  # fmt: skip

