"""One lamp: what it is, how bright, what colour, where it stands, what it lights."""

import numpy as np
from msgspec.structs import replace
from PySide6.QtWidgets import QHBoxLayout, QWidget

from aulmo.desk.light.aim_choices import AimChoices
from aulmo.desk.light.candela_curve import CandelaCurve
from aulmo.desk.light.stays import StaysWith, product_of
from aulmo.desk.shell.bound import BoundNumber
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, button, label, row
from aulmo.document.property_table import LAMP_KINDS
from aulmo.document.records import Copies
from aulmo.light.place_lamp import aim_of, pointed_at
from aulmo.light.staying import lamp_in_world, lamp_stays
from aulmo.prepare import arrange

UNITS = {"lumen": "lm", "candela": "cd", "nit": "nits", "lux": "lux"}
_SIZES = {
    "rectangle": ("Width", "Height"), "portal": ("Width", "Height"), "disc": ("Diameter", ""), "ring": ("Outside", "Inside"),
    "sphere": ("Diameter", ""), "tube": ("Diameter", "Length"), "point": ("Diameter", ""), "spot": ("Diameter", ""),
    "photometric": ("Diameter", ""), "distant": ("", ""), "sun": ("", ""),
}  # fmt: skip


class LampPage(Page):
    """The selected lamp."""

    def __init__(self, session: Session, open_profile, aim) -> None:
        super().__init__(session)
        self.name = self.add(None, "lamps/{lamp}/name", "Lamp")
        self.name.field.setAccessibleName("Lamp name")
        self.on, self.solo, self.locked = self.add_ticks("lamps/{lamp}", ("on", "solo", "locked"))
        light = self.section("Light", "lamp/light")
        self.kind = Choice()
        self.kind.setAccessibleName("Lamp kind")
        self.kind.chosen.connect(self.set_kind)
        light.add(row("Kind", self.kind))
        self.power = self.add(light, "lamps/{lamp}/power", kind=BoundNumber)
        self.unit = Choice()
        self.unit.setAccessibleName("Unit of power")
        self.unit.chosen.connect(self.set_unit)
        self.power.widget.layout().insertWidget(3, self.unit)
        self.stops = self.add(light, "lamps/{lamp}/stops")
        self.kelvin = self.add(light, "lamps/{lamp}/kelvin")
        self.colour = self.add(light, "lamps/{lamp}/colour")
        self.profile = label("", wrap=True)
        self.profile_row = row("Measured", self.profile)
        light.add(self.profile_row)
        self.curve = CandelaCurve()
        light.add(self.curve)
        self.profile_button = row("", button("Open photometric file…", open_profile))
        light.add(self.profile_button)
        shape = self.section("Shape", "lamp/shape")
        self.width_, self.height_, self.cone, self.softness, self.angle, self.seen = (
            self.add(shape, f"lamps/{{lamp}}/{key}") for key in ("width", "height", "cone", "softness", "angle", "seen")
        )
        place = self.section("Place", "lamp/place")
        self.position, self.turn = self.add(place, "lamps/{lamp}/position"), self.add(place, "lamps/{lamp}/turn")
        self.stays = StaysWith("Lamp", "lamps/{lamp}/stays_with", self.set_stays)
        place.add(row("Stays with", self.stays))
        self.aim = AimChoices(aim, True)
        place.add(self.aim)
        buttons = QWidget()
        line = QHBoxLayout(buttons)
        line.setContentsMargins(9, 2, 0, 2)
        line.setSpacing(3)
        line.addWidget(button("Point", self.point_at_product, "small", "Point at the product"))
        line.addWidget(button("Put here", self.put_at_view, "small", "Put the lamp where the view is, shining the same way"))
        line.addWidget(button("Look through", self.look_through, "small", "A free view from the lamp, shining the same way"))
        line.addStretch(1)
        place.add(buttons)
        copies = self.section("Copies", "lamp/copies")
        self.rule = Choice()
        self.rule.setAccessibleName("Copies of the lamp")
        self.rule.fill([("None", ""), ("Row", "row"), ("Grid", "grid"), ("Ring", "ring")], "")
        self.rule.chosen.connect(self.set_rule)
        copies.add(row("Copies", self.rule))
        self.copy_rows = {key: self.add(copies, f"lamps/{{lamp}}/copies/{key}") for key in ("count", "step", "columns", "rows", "centre", "sweep")}
        reach = self.section("Reach", "lamp/reach")
        self.group = self.add(reach, "lamps/{lamp}/group")
        self.group.widget.setToolTip("Lamps of one group share a pass, so their light can be balanced after rendering")
        self.lights = label("", wrap=True)
        reach.add(row("Lights", self.lights))
        chosen = QWidget()
        line = QHBoxLayout(chosen)
        line.setContentsMargins(9, 2, 0, 2)
        self.only = button("Only some parts…", self.light_only, tip="The parts that were selected last")
        self.saved = Choice()
        self.saved.setAccessibleName("Lights a saved selection")
        self.saved.setToolTip("Only the parts of a saved selection")
        self.saved.chosen.connect(self.light_saved)
        self.everything = button("Everything", lambda: self._set("Lights everything", lights=()))
        line.addWidget(self.only)
        line.addWidget(self.everything)
        line.addStretch(1)
        reach.add(chosen)
        self.saved_row = row("Saved", self.saved)
        reach.add(self.saved_row)
        self.body.addStretch(1)

    def show_document(self) -> None:
        """What this kind of lamp has."""
        lamp = self.session.lamp
        if lamp is None:
            return
        self.title.setText(lamp.name)
        far, portal = lamp.kind in ("distant", "sun"), lamp.kind == "portal"
        self.kind.fill([(text, key) for key, text in LAMP_KINDS.items()], lamp.kind)
        self.unit.fill([(UNITS[u], u) for u in (["lux"] if far else ["lumen", "candela", "nit"])], lamp.unit)
        first, second = _SIZES[lamp.kind]
        self.width_.widget.set_title(first or "Width")
        self.height_.widget.set_title(second or "Height")
        for made, on in (
            (self.power, not portal), (self.stops, not portal), (self.kelvin, not portal), (self.colour, not portal),
            (self.width_, bool(first)), (self.height_, bool(second)), (self.cone, lamp.kind == "spot"), (self.softness, lamp.kind == "spot"),
            (self.angle, far), (self.seen, not far and not portal),
        ):  # fmt: skip
            made.set_visible(on)
        for widget in (self.profile_row, self.profile_button):
            widget.setVisible(lamp.kind == "photometric")
        self.curve.setVisible(lamp.kind == "photometric" and bool(lamp.profile))
        self.curve.show_profile(self.session.assets, lamp.profile)
        self.stays.show_value(lamp.stays_with)
        rule = lamp.copies.kind if lamp.copies is not None else ""
        self.rule.fill([("None", ""), ("Row", "row"), ("Grid", "grid"), ("Ring", "ring")], rule)
        wanted = {"row": ("count", "step"), "grid": ("count", "step", "columns", "rows"), "ring": ("count", "centre", "sweep")}.get(rule, ())
        for key, made in self.copy_rows.items():
            made.set_visible(key in wanted)
        self.profile.setText("No file yet: shines evenly" if not lamp.profile else "Own file, kept in the project; its curve:")
        names = [self.session.document.parts[i].name for i in lamp.lights if i in self.session.document.parts]
        self.lights.setText("Everything" if not lamp.lights else ", ".join(names) or "Nothing that is still there")
        self.everything.setVisible(bool(lamp.lights))
        held = self.session.document.selections.values()
        self.saved_row.setVisible(bool(held))
        current = next((s.id for s in held if s.parts == lamp.lights), None)
        self.saved.fill([("choose one", None), *((s.name, s.id) for s in held)], current)

    def _set(self, what: str, **changes) -> None:
        lamp = self.session.lamp
        if lamp is not None:
            self.session.change_lamp(f"{what}: {lamp.name}", replace(lamp, **changes))
            self.session.history.end_merge()

    def set_kind(self, kind: str) -> None:
        """Another kind of lamp; one that is far away is told in lux."""
        lamp = self.session.lamp
        if lamp is None:
            return
        far = kind in ("distant", "sun")
        changes: dict = {"kind": kind}
        if far != (lamp.kind in ("distant", "sun")):
            changes |= {"unit": "lux", "power": 3000.0} if far else {"unit": "lumen", "power": 1000.0}
        self._set(LAMP_KINDS[kind], **changes)

    def set_stays(self, stays_with: str) -> None:
        """Stay with something else, without moving now."""
        session, lamp = self.session, self.session.lamp
        if lamp is not None and stays_with != lamp.stays_with:
            part = product_of(session) if stays_with == "part" else None
            made = lamp_stays(session.resolved, lamp, stays_with, part, session.camera)
            session.change_lamp(self.stays.told(lamp.name, stays_with), made)
            session.history.end_merge()

    def set_rule(self, kind: str) -> None:
        """Repeat the lamp by a rule, or not at all."""
        lamp = self.session.lamp
        if lamp is None:
            return
        step = round(max(100.0, 2.0 * max(lamp.width, lamp.height)), 1)
        started = {
            "row": Copies(kind="row", count=4, step=(step, 0.0, 0.0)), "ring": Copies(kind="ring", count=6),
            "grid": Copies(kind="grid", count=9, step=(step, step, 0.0), columns=3, rows=3),
        }  # fmt: skip
        self._set(f"Copies of {lamp.name}" if kind else "No copies", copies=started.get(kind))

    def look_through(self) -> None:
        """A free view from where the lamp is, along its light."""
        session, lamp = self.session, self.session.lamp
        if lamp is not None:
            world = lamp_in_world(session.resolved, lamp, session.view)
            aim = aim_of(world)
            target = tuple(float(v) for v in np.array(world.position) + 500.0 * aim)
            session.set_view(replace(session.camera, position=world.position, target=target, shift_x=0.0, shift_y=0.0, roll=0.0))

    def set_unit(self, unit: str) -> None:
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
            self.refresh()
            return
        self._set("Unit", unit=unit, power=float(f"{lamp.power * before / after:.6g}"))

    def light_only(self) -> None:
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

    def light_saved(self, selection_id: str | None) -> None:
        """Light up the parts of a saved selection alone."""
        held = self.session.document.selections.get(selection_id or "")
        if held is not None:
            self._set(f"Lights only {held.name}", lights=held.parts)

    def point_at_product(self) -> None:
        """Shine at the middle of what is shown."""
        session, lamp = self.session, self.session.lamp
        box = arrange.bounds(session.resolved, session.assets, session.document.roots)
        if lamp is not None and box is not None:
            self._set("Pointed", turn=pointed_at(lamp, 0.5 * (box[0] + box[1])).turn)

    def put_at_view(self) -> None:
        """The lamp goes where the view is."""
        session, lamp = self.session, self.session.lamp
        if lamp is not None:
            moved = replace(lamp, position=session.view.position)
            self._set("Put at the view", position=moved.position, turn=pointed_at(moved, session.view.target).turn)
