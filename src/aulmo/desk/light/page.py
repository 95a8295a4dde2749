"""Light: new lamps; the dome's picture or the sky and how it is turned; the backdrop; the floor."""

import math

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QLineEdit

from aulmo.desk.light.page_lamp import add_lamp
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.colour_field import ColourRow
from aulmo.desk.widgets.fields import Choice, Section, Segments, SliderRow, button, label, row
from aulmo.document import edits
from aulmo.document.quantity import show
from aulmo.document.records import Backdrop, Environment, Floor, Sky
from aulmo.errors import BadValue
from aulmo.light import daylight, environment_image
from aulmo.light.environment_image import SETS
from aulmo.light.place_lamp import KINDS
from aulmo.surface import swatches
from aulmo.surface.colour import luminance
from aulmo.trace.scene import backdrop_of, floor_of

_ENVIRONMENT, _BACKDROP, _SKY = Environment(), Backdrop(), Sky()
SKY = "sun and sky"


class LightPage(Page):
    """The environment, backdrop and floor of the current shot."""

    def __init__(self, session: Session, open_environment) -> None:
        super().__init__(session)
        self.title.setText("Dome")
        lamps = Section("Lamps", "light/lamps")
        self.new_kind = Choice()
        self.new_kind.setAccessibleName("New lamp kind")
        self.new_kind.fill([(text, key) for key, text in KINDS.items()], "rectangle")
        lamps.add(row("New lamp", self.new_kind, button("Add", lambda: add_lamp(session, self.new_kind.currentData()))))
        self.body.addWidget(lamps)
        dome = Section("Light around the set")
        self.set = Choice()
        self.set.setAccessibleName("Light set")
        self.set.chosen.connect(self._choose)
        dome.add(row("Set", self.set))
        self.turn = SliderRow("Turn", -180, 180, "°", _ENVIRONMENT.turn, 1, hard_low=-3600, hard_high=3600)
        self.tilt = SliderRow("Tilt", -90, 90, "°", _ENVIRONMENT.tilt, 1, hard_low=-360, hard_high=360)
        self.exposure = SliderRow("Exposure", -6, 6, "stops", _ENVIRONMENT.exposure, 2, hard_low=-30, hard_high=30)
        self.saturation = SliderRow("Saturation", 0, 2, "", _ENVIRONMENT.saturation, 2, hard_high=10)
        for key, made in (("turn", self.turn), ("tilt", self.tilt), ("exposure", self.exposure), ("saturation", self.saturation)):
            made.changed.connect(lambda value, busy, k=key: self._environment(k, value, busy))
            dome.add(self.watch(made))
        self.open = row("", button("Open HDR or EXR…", open_environment))
        dome.add(self.open)
        self.body.addWidget(dome)
        sky = Section("Sun and sky", "light/sky")
        self.haze = SliderRow("Haze", 1.7, 10, "", _SKY.turbidity, 1, hard_low=1.7, hard_high=10, tip="Turbidity: 2 very clear, 3 clear, 6 hazy")
        self.azimuth = SliderRow("Sun azimuth", 0, 360, "°", _SKY.azimuth, 1, hard_low=-3600, hard_high=3600)
        self.elevation = SliderRow("Elevation", -10, 90, "°", _SKY.elevation, 1, hard_low=-90)
        self.latitude = SliderRow("Latitude", -90, 90, "°", _SKY.latitude, 2)
        self.longitude = SliderRow("Longitude", -180, 180, "°", _SKY.longitude, 2)
        self.hour = SliderRow("Hour", 0, 24, "h", _SKY.hour, 2)
        self.offset = SliderRow("Clock vs UTC", -12, 14, "h", _SKY.utc_offset, 1)
        self.north = SliderRow("North", -180, 180, "°", _SKY.north, 1, hard_low=-3600, hard_high=3600)
        self.date = QLineEdit()
        self.date.setAccessibleName("Date")
        self.date.editingFinished.connect(self._date)
        self.by = Segments({"angles": "By angles", "place": "By place"})
        self.by.chosen.connect(lambda v: self._sky("Sun by place" if v == "place" else "Sun by angles", False, by_place=v == "place"))
        self.sun = QCheckBox("Direct sun")
        self.sun.clicked.connect(lambda on: self._sky("Sun shines" if on else "Sun hidden", False, sun=on))
        self.date_row = row("Date", self.date)
        sliders = {
            "turbidity": self.haze, "azimuth": self.azimuth, "elevation": self.elevation, "latitude": self.latitude, "longitude": self.longitude,
            "hour": self.hour, "utc_offset": self.offset, "north": self.north,
        }  # fmt: skip
        self._sky_sliders = sliders
        sky.add(self.by)
        for key, made in sliders.items():
            made.changed.connect(lambda value, busy, k=key: self._sky(f"Sky {k.replace('_', ' ')}", busy, **{k: value}))
            sky.add(self.watch(made))
            if key == "longitude":
                sky.add(self.date_row)
        sky.add(row("", self.sun))
        self.sun_words = label("", wrap=True)
        sky.add(row("Sun", self.sun_words))
        self.sky = sky
        self.body.addWidget(sky)
        behind = Section("Backdrop")
        self.kind = Choice()
        self.kind.setAccessibleName("Backdrop kind")
        self.kind.chosen.connect(lambda kind: self._backdrop(f"Backdrop: {kind}", kind=kind))
        behind.add(row("Kind", self.kind))
        self.top = ColourRow("Top", _BACKDROP.top)
        self.bottom = ColourRow("Bottom", _BACKDROP.bottom)
        self.top.changed.connect(lambda c, busy: self._backdrop("Backdrop colour", self.merge("top", busy), top=tuple(c)))
        self.bottom.changed.connect(lambda c, busy: self._backdrop("Backdrop colour", self.merge("bottom", busy), bottom=tuple(c)))
        behind.add(self.top)
        behind.add(self.bottom)
        self.body.addWidget(behind)
        floor = Section("Floor")
        self.floor_kind = Segments({"none": "None", "plain": "Plain", "cove": "Cove", "shadow": "Shadow"})
        self.floor_kind.chosen.connect(lambda kind: self._floor(f"Floor: {kind}", kind=kind))
        floor.add(self.floor_kind)
        self.floor_height = SliderRow("Height", -200, 200, "mm", 0.0, 1, hard_low=-1e6, hard_high=1e6)
        self.floor_height.changed.connect(lambda v, busy: self._floor("Floor height", self.merge("floor height", busy), height=v))
        self.floor_turn = SliderRow("Turn", -180, 180, "°", 0.0, 0, hard_low=-3600, hard_high=3600)
        self.floor_turn.changed.connect(lambda v, busy: self._floor("Turned the cove", self.merge("floor turn", busy), turn=v))
        self.floor_material = Choice()
        self.floor_material.setAccessibleName("Floor material")
        self.floor_material.chosen.connect(self._floor_swatch)
        self.floor_material_row = row("Material", self.floor_material)
        for made in (self.floor_height, self.floor_turn, self.floor_material_row):
            floor.add(made)
        self.body.addWidget(floor)
        self.body.addStretch(1)

    def _current(self) -> tuple[Backdrop, Floor]:
        shot, document = self.session.shot, self.session.document
        return backdrop_of(document, shot), floor_of(document, shot)

    def show_document(self) -> None:
        """Bring every row up to date."""
        environment = self.session.document.environment
        items = [("Sun and sky", SKY), *((n, n) for n in SETS)]
        if not environment.shipped:
            items.append(("Own file", environment.image))
        self.set.fill(items, SKY if environment.sky is not None else environment.image)
        self.saturation.setVisible(environment.sky is None)
        self.open.setVisible(environment.sky is None)
        self._show_sky(environment.sky)
        self.turn.set_value(environment.turn)
        self.tilt.set_value(environment.tilt)
        self.exposure.set_value(environment.exposure)
        self.saturation.set_value(environment.saturation)
        backdrop, floor = self._current()
        self.kind.fill(
            [("The light set", "environment"), ("One colour", "colour"), ("Gradient", "gradient"), ("Transparent", "transparent")], backdrop.kind
        )
        self.top.setVisible(backdrop.kind in ("colour", "gradient"))
        self.bottom.setVisible(backdrop.kind == "gradient")
        self.top.set_value(backdrop.top)
        self.bottom.set_value(backdrop.bottom)
        self.floor_kind.set_value(floor.kind)
        self.floor_height.setVisible(floor.kind != "none")
        self.floor_turn.setVisible(floor.kind == "cove")
        self.floor_material_row.setVisible(floor.kind in ("plain", "cove"))
        self.floor_height.set_value(floor.height)
        self.floor_turn.set_value(floor.turn)
        worn = self.session.document.materials.get(floor.material or "")
        names = [n for n in swatches.names()]
        extra = [(worn.name, worn.name)] if worn and worn.name not in names else []
        self.floor_material.fill([("Studio grey", None), *extra, *[(n, n) for n in names]], worn.name if worn else None)

    def _show_sky(self, sky: Sky | None) -> None:
        self.sky.setVisible(sky is not None)
        if sky is None:
            return
        for key, made in self._sky_sliders.items():
            made.set_value(getattr(sky, key))
            made.setVisible(key == "turbidity" or (key in ("azimuth", "elevation")) != sky.by_place)
        self.by.set_value("place" if sky.by_place else "angles")
        self.date_row.setVisible(sky.by_place)
        self.sun.setChecked(sky.sun)
        if not self.date.hasFocus():
            self.date.setText(sky.date)
        azimuth, elevation = daylight.sun_place(sky)
        lux = luminance(daylight.sun_light(sky))
        where = f"azimuth {show(azimuth % 360, '°', 0)}, {show(elevation, '°', 0)} high"
        self.sun_words.setText(where + (f", {show(lux, 'lux', 0)}" if lux > 0 else ", below the horizon"))

    def _sky(self, sentence: str, busy: bool, **changes) -> None:
        document = self.session.document
        sky = document.environment.sky
        if sky is None:
            return
        changed = replace(document, environment=replace(document.environment, sky=replace(sky, **changes)))
        self.session.apply(sentence, changed, self.merge(f"sky {sorted(changes)}", busy))
        if not busy:
            self.session.history.end_merge()

    def _date(self) -> None:
        if not self.date.isModified():
            return
        self.date.setModified(False)
        text = self.date.text().strip()
        try:
            daylight.sun_angles(text, 12.0, 0.0, 0.0, 0.0)
        except BadValue as error:
            self.session.trouble.emit(str(error))
            self.show_document()
            return
        self._sky("Date", False, date=text)

    def _choose(self, name: str) -> None:
        environment = self.session.document.environment
        if name == SKY and environment.sky is None:
            # daylight is some thirty times the studio sets: lowered to their level, so that the exposure keeps its place
            sky = Sky()
            falling = environment_image.level(daylight.sky_map(sky)) + 0.5 * luminance(daylight.sun_light(sky))
            stops = round(math.log2(environment_image.CARD_LUX / falling), 1)
            self.session.apply("Sun and sky", replace(self.session.document, environment=replace(environment, sky=sky, exposure=stops, tilt=0.0)))
        if name in SETS:
            exposure = 0.0 if environment.sky is not None else environment.exposure
            changed = replace(environment, image=name, shipped=True, sky=None, exposure=exposure)
            self.session.apply(f"Light set {name}", replace(self.session.document, environment=changed))

    def _environment(self, key: str, value: float, busy: bool) -> None:
        document = self.session.document
        changed = replace(document, environment=replace(document.environment, **{key: value}))
        self.session.apply(f"Dome {key}", changed, self.merge(f"dome {key}", busy))
        if not busy:
            self.session.history.end_merge()

    def _backdrop(self, sentence: str, merge_key: object = None, **changes) -> None:
        backdrop, _ = self._current()
        made = replace(backdrop, **changes)
        if self.session.shot and self.session.shot.backdrop:
            self.session.change_shot(sentence, merge_key, backdrop=made)
        else:
            self.session.apply(sentence, replace(self.session.document, backdrop=made), merge_key)

    def _floor(self, sentence: str, merge_key: object = None, **changes) -> None:
        _, floor = self._current()
        made = replace(floor, **changes)
        if self.session.shot and self.session.shot.floor:
            self.session.change_shot(sentence, merge_key, floor=made)
        else:
            self.session.apply(sentence, replace(self.session.document, floor=made), merge_key)

    def _floor_swatch(self, name: str | None) -> None:
        if name is None:
            self._floor("Studio grey floor", material=None)
            return
        if name not in swatches.names():
            return
        material = swatches.material(name)
        document = edits.put_material(self.session.document, material)
        _, floor = self._current()
        made = replace(floor, material=material.id)
        shot = self.session.shot
        if shot and shot.floor:
            document = edits.put_shot(document, replace(shot, floor=made))
        else:
            document = replace(document, floor=made)
        self.session.apply(f"{name} on the floor", edits.drop_unused_materials(document))
