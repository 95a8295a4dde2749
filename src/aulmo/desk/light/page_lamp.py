"""One lamp: what it is, how bright, what colour, where it stands, what it lights."""

from pathlib import Path

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QWidget

from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.colour_field import ColourRow
from aulmo.desk.widgets.fields import Choice, NumberField, Section, SliderRow, button, label, row
from aulmo.document import edits
from aulmo.document.records import Lamp
from aulmo.light.place_lamp import KINDS, pointed_at
from aulmo.prepare import arrange

_DEFAULT = Lamp(id="", name="")
UNITS = {"lumen": "lm", "candela": "cd", "nit": "nits", "lux": "lux"}
_SIZES = {
    "rectangle": ("Width", "Height"), "portal": ("Width", "Height"), "disc": ("Diameter", ""), "ring": ("Outside", "Inside"),
    "sphere": ("Diameter", ""), "tube": ("Diameter", "Length"), "point": ("Diameter", ""), "spot": ("Diameter", ""),
    "photometric": ("Diameter", ""), "distant": ("", ""), "sun": ("", ""),
}  # fmt: skip


class LampPage(Page):
    """The selected lamp."""

    def __init__(self, session: Session, open_profile) -> None:
        super().__init__(session)
        self.name = QLineEdit()
        self.name.setAccessibleName("Lamp name")
        self.name.editingFinished.connect(self._rename)
        self.on = QCheckBox("On")
        self.on.clicked.connect(lambda on: self._set("Switched on" if on else "Switched off", on=on))
        self.body.addWidget(row("Lamp", self.name))
        self.body.addWidget(row("", self.on))
        light = Section("Light", "lamp/light")
        self.kind = Choice()
        self.kind.setAccessibleName("Lamp kind")
        self.kind.chosen.connect(self._kind)
        light.add(row("Kind", self.kind))
        self.power = NumberField("", 0, 1e12, 1)
        self.power.setAccessibleName("Power")
        self.power.edited.connect(lambda v: self._set("Power", power=v))
        self.unit = Choice()
        self.unit.setAccessibleName("Unit of power")
        self.unit.chosen.connect(self._unit)
        self.power_row = row("Power", self.power, self.unit)
        light.add(self.power_row)
        self.stops = self._slider(light, "stops", "Brightness", -6, 6, "stops", 2, hard_low=-30, hard_high=30)
        self.kelvin = self._slider(light, "kelvin", "Temperature", 1700, 12000, "K", 0, hard_low=1667, hard_high=25000)
        self.colour = ColourRow("Filter", _DEFAULT.colour)
        self.colour.changed.connect(lambda c, busy: self._set("Filter", self.merge("colour", busy), colour=tuple(c)))
        light.add(self.colour)
        self.profile = label("", wrap=True)
        self.profile_row = row("Measured", self.profile)
        light.add(self.profile_row)
        self.profile_button = row("", button("Open photometric file…", open_profile))
        light.add(self.profile_button)
        self.body.addWidget(light)
        shape = Section("Shape", "lamp/shape")
        self.width_ = self._slider(shape, "width", "Width", 0, 1000, "mm", 1, curve=2, hard_high=1e7)
        self.height_ = self._slider(shape, "height", "Height", 0, 1000, "mm", 1, curve=2, hard_high=1e7)
        self.cone = self._slider(shape, "cone", "Cone", 1, 170, "°", 1, hard_high=179)
        self.softness = self._slider(shape, "softness", "Soft edge", 0, 1, "", 2)
        self.angle = self._slider(shape, "angle", "Looks wide", 0, 60, "°", 2, curve=2, hard_high=179)
        self.seen = QCheckBox("Seen by the camera")
        self.seen.clicked.connect(lambda on: self._set("Seen" if on else "Not seen", seen=on))
        shape.add(row("", self.seen))
        self.body.addWidget(shape)
        self.shape = shape
        place = Section("Place", "lamp/place")
        self.place = [NumberField("mm", -1e7, 1e7, 0) for _ in range(3)]
        self.turn = [NumberField("°", -3600, 3600, 0) for _ in range(3)]
        for fields, key, title in ((self.place, "position", "Position"), (self.turn, "turn", "Turn")):
            for axis, field in enumerate(fields):
                field.bare = True
                field.setAccessibleName(f"Lamp {title} {'xyz'[axis]}")
                field.edited.connect(lambda v, k=key, a=axis: self._axis(k, a, v))
                self.watch(field)
            place.add(row(title, *fields))
        buttons = QWidget()
        line = QHBoxLayout(buttons)
        line.setContentsMargins(9, 2, 0, 2)
        line.addWidget(button("Point at the product", self.point_at_product))
        line.addWidget(button("Put here", self.put_at_view, tip="Put the lamp where the view is, shining the same way"))
        line.addStretch(1)
        place.add(buttons)
        self.body.addWidget(place)
        reach = Section("Reach", "lamp/reach")
        self.group = QLineEdit()
        self.group.setAccessibleName("Light group")
        self.group.editingFinished.connect(self._group)
        reach.add(row("Group", self.group, tip="Lamps of one group share a pass, so their light can be balanced after rendering"))
        self.lights = label("", wrap=True)
        reach.add(row("Lights", self.lights))
        chosen = QWidget()
        line = QHBoxLayout(chosen)
        line.setContentsMargins(9, 2, 0, 2)
        self.only = button("Only some parts…", self._only, tip="Then click the parts it should light, and Done")
        self.everything = button("Everything", lambda: self._set("Lights everything", lights=()))
        line.addWidget(self.only)
        line.addWidget(self.everything)
        line.addStretch(1)
        reach.add(chosen)
        self.body.addWidget(reach)
        self.body.addStretch(1)

    def _slider(self, section, key, title, low, high, unit, decimals, **more) -> SliderRow:
        made = SliderRow(title, low, high, unit, getattr(_DEFAULT, key), decimals, **more)
        made.changed.connect(lambda v, busy, k=key, t=title: self._set(t, self.merge(k, busy), **{k: v}))
        section.add(self.watch(made))
        return made

    def show_document(self) -> None:
        """Bring every row up to date."""
        lamp = self.session.lamp
        if lamp is None:
            return
        self.title.setText(lamp.name)
        for field, text in ((self.name, lamp.name), (self.group, lamp.group)):
            if not field.hasFocus():
                field.setText(text)
        self.on.setChecked(lamp.on)
        self.kind.fill([(text, key) for key, text in KINDS.items()], lamp.kind)
        self.power.set_value(lamp.power)
        units = ["lux"] if lamp.kind in ("distant", "sun") else ["lumen", "candela", "nit"]
        self.unit.fill([(UNITS[u], u) for u in units], lamp.unit)
        for made in (self.stops, self.kelvin, self.colour, self.power_row):
            made.setVisible(lamp.kind != "portal")
        for made, value in ((self.stops, lamp.stops), (self.kelvin, lamp.kelvin), (self.width_, lamp.width), (self.height_, lamp.height)):
            made.set_value(value)
        for made, value in ((self.cone, lamp.cone), (self.softness, lamp.softness), (self.angle, lamp.angle)):
            made.set_value(value)
        self.colour.set_value(lamp.colour)
        first, second = _SIZES[lamp.kind]
        self.width_.set_title(first or "Width")
        self.height_.set_title(second or "Height")
        self.width_.setVisible(bool(first))
        self.height_.setVisible(bool(second))
        self.cone.setVisible(lamp.kind == "spot")
        self.softness.setVisible(lamp.kind == "spot")
        self.angle.setVisible(lamp.kind in ("distant", "sun"))
        self.seen.setVisible(lamp.kind not in ("distant", "sun", "portal"))
        self.seen.setChecked(lamp.seen)
        self.profile_row.setVisible(lamp.kind == "photometric")
        self.profile_button.setVisible(lamp.kind == "photometric")
        self.profile.setText("No file yet: shines evenly" if not lamp.profile else "Own file, kept in the project")
        for fields, values in ((self.place, lamp.position), (self.turn, lamp.turn)):
            for field, value in zip(fields, values):
                field.set_value(value)
        names = [self.session.document.parts[i].name for i in lamp.lights if i in self.session.document.parts]
        self.lights.setText("Everything" if not lamp.lights else ", ".join(names) or "Nothing that is still there")
        self.everything.setVisible(bool(lamp.lights))

    def _set(self, what: str, merge_key: object = None, **changes) -> None:
        lamp = self.session.lamp
        if lamp is not None:
            self.session.change_lamp(f"{what}: {lamp.name}", replace(lamp, **changes), merge_key)
            if merge_key is None:
                self.session.history.end_merge()

    def _kind(self, kind: str) -> None:
        lamp = self.session.lamp
        if lamp is None:
            return
        far = kind in ("distant", "sun")
        changes: dict = {"kind": kind}
        if far != (lamp.kind in ("distant", "sun")):
            changes |= {"unit": "lux", "power": 3000.0} if far else {"unit": "lumen", "power": 1000.0}
        self._set(KINDS[kind], **changes)

    def _unit(self, unit: str) -> None:
        """Another unit for the same light."""
        from aulmo.surface.colour import luminance
        from aulmo.trace.compile.arrays import LAMP_RGB
        from aulmo.trace.lamp.lamp_rows import lamp_row

        lamp = self.session.lamp
        if lamp is None or unit == lamp.unit:
            return
        before, after = (luminance(lamp_row(replace(lamp, unit=u, power=1.0))[LAMP_RGB : LAMP_RGB + 3]) for u in (lamp.unit, unit))
        if not (before > 0 and after > 0):
            self.session.hint.emit("A lamp without size has no nits; give it a diameter first")
            self.show_document()
            return
        self._set("Unit", unit=unit, power=float(f"{lamp.power * before / after:.6g}"))

    def _axis(self, key: str, axis: int, value: float) -> None:
        lamp = self.session.lamp
        if lamp is not None:
            values = list(getattr(lamp, key))
            values[axis] = value
            self._set("Moved" if key == "position" else "Turned", **{key: tuple(values)})

    def _rename(self) -> None:
        lamp, name = self.session.lamp, self.name.text().strip()
        if lamp is not None and name and name != lamp.name:
            self._set(f"Renamed to {name}", name=name)

    def _group(self) -> None:
        lamp, name = self.session.lamp, self.group.text().strip()
        if lamp is not None and name and name != lamp.group:
            self._set(f"Group {name}", group=name)

    def _only(self) -> None:
        """The parts selected last light up alone; asks for a selection when there was none."""
        session, lamp = self.session, self.session.lamp
        if lamp is None:
            return
        if not session.last_selection:
            session.hint.emit("Select parts first, then the lamp, then this")
            return
        kept = tuple(i for i in session.last_selection if i in session.document.parts)
        names = ", ".join(session.document.parts[i].name for i in kept[:3])
        self._set(f"Lights only {names}", lights=kept)

    def point_at_product(self) -> None:
        """Shine at the middle of what is shown."""
        session, lamp = self.session, self.session.lamp
        box = arrange.bounds(session.document, session.assets, session.document.roots)
        if lamp is not None and box is not None:
            self._set("Pointed", turn=pointed_at(lamp, 0.5 * (box[0] + box[1])).turn)

    def put_at_view(self) -> None:
        """The lamp goes where the view is."""
        session, lamp = self.session, self.session.lamp
        if lamp is not None:
            moved = replace(lamp, position=session.view.position)
            self._set("Put at the view", position=moved.position, turn=pointed_at(moved, session.view.target).turn)


def read_profile(session: Session, path: Path) -> str:
    """Keep a photometric file in the project; its asset's name. Raises BadFile."""
    from aulmo.errors import BadFile
    from aulmo.light.photometry import read_ies

    try:
        blob = path.read_bytes()
    except OSError as error:
        raise BadFile(f"{path.name} could not be read: {error.strerror}.") from error
    read_ies(blob, path.name)
    return session.assets.add(blob, ".ies")


def add_lamp(session: Session, kind: str, **changes) -> Lamp:
    """Put a new lamp into the set and select it."""
    from aulmo.light.place_lamp import new_lamp

    box = arrange.bounds(session.document, session.assets, session.document.roots) or ((-50.0, -50.0, 0.0), (50.0, 50.0, 100.0))
    name = edits.free_name(changes.pop("name", KINDS[kind]), (lamp.name for lamp in session.document.lamps.values()))
    lamp = replace(new_lamp(kind, name, edits.new_id(), *box, session.camera), **changes)
    session.change_lamp(f"New lamp {name}", lamp)
    session.select((), f"lamp:{lamp.id}")
    return lamp
