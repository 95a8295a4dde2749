"""Light: the dome's picture or the sky and how it is turned; the backdrop; the floor."""

import math

from msgspec.structs import replace
from PySide6.QtWidgets import QLineEdit

from aulmo.desk.light.stays import StaysWith, product_of
from aulmo.desk.shell.bound import BoundSegments
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.colour_field import ColourRow
from aulmo.desk.widgets.fields import Choice, button, label, row
from aulmo.document import edits
from aulmo.document.properties import about
from aulmo.document.quantity import show
from aulmo.document.records import Environment, Sky, Stop
from aulmo.errors import BadValue
from aulmo.light import daylight, environment_image, travel
from aulmo.light.environment_image import SETS
from aulmo.light.staying import dome_stays
from aulmo.surface import swatches
from aulmo.surface.colour import luminance

_BY_PLACE = ("latitude", "longitude", "date", "hour", "utc_offset", "north")
_ALWAYS = ("turbidity", "sun_stops", "sky_stops")


class LightPage(Page):
    """The environment, backdrop and floor of the current shot."""

    def __init__(self, session: Session, open_environment, expose) -> None:
        super().__init__(session)
        self.title.setText("Dome")
        dome = self.section("Ground of the dome", "light/dome")
        self.ground = Choice()
        self.ground.setAccessibleName("Ground of the dome")
        self.ground.fill([(text, key) for key, text in about("environment/kind").choices.items()], "picture")
        self.ground.chosen.connect(self.set_ground)
        dome.add(row("Ground", self.ground))
        self.set = Choice()
        self.set.setAccessibleName("Light set")
        self.set.chosen.connect(self.choose)
        self.set_row = row("Set", self.set)
        dome.add(self.set_row)
        self.open = row("", button("Open HDR or EXR…", open_environment))
        dome.add(self.open)
        self.colour = self.add(dome, "environment/colour")
        self.gradient = [ColourRow(text, (0.1, 0.1, 0.1)) for text in ("Above", "Horizon", "Below")]
        for k, made in enumerate(self.gradient):
            made.changed.connect(lambda colour, busy, n=k: self._gradient(n, tuple(float(c) for c in colour), busy))
            made.trouble.connect(session.trouble)
            dome.add(made)
        self.turn, self.tilt, self.exposure, self.saturation, self.white, self.blur = (
            self.add(dome, f"environment/{key}") for key in ("turn", "tilt", "exposure", "saturation", "kelvin", "blur")
        )
        self.room = self.section("Place and size", "light/room")
        self.radius, self.centre, self.on_floor = (self.add(self.room, f"environment/{key}") for key in ("radius_mm", "centre", "on_floor"))
        self.stays = StaysWith("Dome", "environment/stays_with", self.set_stays)
        self.room.add(row("Stays with", self.stays))
        self.sky = self.section("Sun and sky", "light/sky")
        self.by = self.add(self.sky, "environment/sky/by_place", kind=BoundSegments)
        self.date = QLineEdit()
        self.date.setAccessibleName("Date")
        self.date.editingFinished.connect(self._date)
        self.date_row = row("Date", self.date)
        self._sky_rows = {}
        for key in (
            "turbidity", "sun_stops", "sky_stops", "azimuth", "elevation", "latitude", "longitude", "date", "hour", "utc_offset", "north",
        ):  # fmt: skip
            if key == "date":
                self.sky.add(self.date_row)
            else:
                self._sky_rows[key] = self.add(self.sky, f"environment/sky/{key}")
        self.hour = self._sky_rows["hour"]
        self.sun = self.add(self.sky, "environment/sky/sun")
        self.sun_words = label("", wrap=True)
        self.sky.add(row("Sun", self.sun_words))
        ways = self.section("How light travels", "light/ways")
        self.ways = Choice()
        self.ways.setAccessibleName("How light travels")
        self.ways.chosen.connect(self.set_ways)
        ways.add(row("For", self.ways))
        self.ways_words = label("", wrap=True)
        self.ways_words.setContentsMargins(15, 0, 0, 0)
        ways.add(self.ways_words)
        ways.add(row("", button("Propose an exposure", expose, "", "Meters what the shot shows, as it is lit now")))
        behind = self.section("Backdrop")
        self.kind, self.top, self.bottom = (self.add(behind, f"backdrop/{key}") for key in ("kind", "top", "bottom"))
        self.kind.field.setAccessibleName("Backdrop kind")
        floor = self.section("Floor")
        self.floor_kind = self.add(floor, "floor/kind", kind=BoundSegments)
        self.floor_height, self.floor_turn = self.add(floor, "floor/height"), self.add(floor, "floor/turn")
        self.shadow_rows = [self.add(floor, f"floor/{key}") for key in ("shadow", "size_mm", "contact", "contact_mm", "reflects", "roughness")]
        self.floor_material = Choice()
        self.floor_material.setAccessibleName("Floor material")
        self.floor_material.chosen.connect(self.dress_floor)
        self.floor_material_row = row("Material", self.floor_material)
        floor.add(self.floor_material_row)
        self.body.addStretch(1)

    def show_document(self) -> None:
        """Which rows there are."""
        document = self.session.resolved
        environment, backdrop, floor = document.environment, document.backdrop, document.floor
        items = [(n, n) for n in SETS]
        if not environment.shipped:
            items.append(("Own file", environment.image))
        self.ground.fill([(text, key) for key, text in about("environment/kind").choices.items()], environment.kind)
        self.set.fill(items, environment.image)
        picture, sky = environment.kind == "picture", environment.kind == "sky"
        self.set_row.setVisible(picture)
        self.open.setVisible(picture)
        self.colour.set_visible(environment.kind == "colour")
        for made in (self.saturation, self.white, self.blur):
            made.set_visible(picture)
        for made in (self.turn, self.tilt):
            made.set_visible(picture or sky)
        self.exposure.set_visible(environment.kind != "colour")
        for k, made in enumerate(self.gradient):
            made.setVisible(environment.kind == "gradient")
            made.set_value(self._mark(environment, k).colour)
        for made in (self.radius, self.centre, self.on_floor):
            made.set_visible(picture)
        self.centre.set_visible(picture and environment.radius_mm > 0)
        self.on_floor.set_visible(picture and environment.radius_mm > 0)
        self.stays.show_value(environment.stays_with)
        self._show_sky(environment.sky if sky else None)
        way = travel.which(document)
        self.ways.fill([(n, n) for n in travel.WAYS] + ([] if way else [("Own numbers", "")]), way)
        self.ways_words.setText(travel.told(document))
        self.top.set_visible(backdrop.kind in ("colour", "gradient"))
        self.bottom.set_visible(backdrop.kind == "gradient")
        self.floor_height.set_visible(floor.kind != "none")
        self.floor_turn.set_visible(floor.kind == "cove")
        for made, on in zip(self.shadow_rows, (True, True, True, floor.contact > 0, True, floor.reflects)):
            made.set_visible(floor.kind == "shadow" and on)
        self.floor_material_row.setVisible(floor.kind in ("plain", "cove"))
        worn = document.materials.get(floor.material or "")
        names = swatches.names()
        extra = [(worn.name, worn.name)] if worn and worn.name not in names else []
        self.floor_material.fill([("Studio grey", None), *extra, *[(n, n) for n in names]], worn.name if worn else None)

    def _show_sky(self, sky: Sky | None) -> None:
        self.sky.setVisible(sky is not None)
        if sky is None:
            return
        for key, made in self._sky_rows.items():
            made.set_visible(key in _ALWAYS or (key in _BY_PLACE) == sky.by_place)
        self.date_row.setVisible(sky.by_place)
        if not self.date.hasFocus():
            self.date.setText(sky.date)
        azimuth, elevation = daylight.sun_place(sky)
        lux = luminance(daylight.sun_light(sky))
        where = f"azimuth {show(azimuth % 360, '°', 0)}, {show(elevation, '°', 0)} high"
        self.sun_words.setText(where + (f", {show(lux, 'lux', 0)}" if lux > 0 else ", below the horizon"))

    def _date(self) -> None:
        if not self.date.isModified():
            return
        self.date.setModified(False)
        text = self.date.text().strip()
        try:
            daylight.sun_angles(text, 12.0, 0.0, 0.0, 0.0)
        except BadValue as error:
            self.session.trouble.emit(str(error))
            self.refresh()
            return
        self.session.put({"environment/sky/date": text})

    def choose(self, name: str) -> None:
        """Another light set."""
        if name in SETS:
            changed = replace(self.session.document.environment, kind="picture", image=name, shipped=True)
            self.session.apply(f"Light set {name}", replace(self.session.document, environment=changed))

    def set_ground(self, kind: str) -> None:
        """Another kind of ground: a picture, one colour, a gradient, sun and sky."""
        environment = self.session.document.environment
        if kind == environment.kind:
            return
        changed = replace(environment, kind=kind, exposure=0.0 if "sky" in (kind, environment.kind) else environment.exposure)
        if kind == "sky":
            # daylight is some thirty times the studio sets: lowered to their level, so that the exposure keeps its place
            falling = environment_image.level(daylight.sky_map(changed.sky)) + 0.5 * luminance(daylight.sun_light(changed.sky))
            changed = replace(changed, exposure=round(math.log2(environment_image.CARD_LUX / falling), 1), tilt=0.0)
        self.session.apply(str(about("environment/kind").choices[kind]), replace(self.session.document, environment=changed))

    @staticmethod
    def _mark(environment: Environment, number: int) -> Stop:
        """The mark of a gradient that stands for above (0), the horizon (1) or below (2)."""
        at = (1.0, 0.5, 0.0)[number]
        return min(environment.stops, key=lambda stop: abs(stop.at - at), default=Stop(at))

    def _gradient(self, number: int, colour: tuple, busy: bool) -> None:
        environment = self.session.document.environment
        marks = [replace(self._mark(environment, k), at=(1.0, 0.5, 0.0)[k]) for k in (2, 1, 0)]
        marks[2 - number] = replace(marks[2 - number], colour=colour)
        changed = replace(environment, stops=tuple(marks))
        self.session.apply("Gradient of the dome", replace(self.session.document, environment=changed), ("gradient", number))
        if not busy:
            self.session.history.end_merge()

    def set_ways(self, name: str) -> None:
        """Let light travel as another kind of scene asks for."""
        if name in travel.WAYS:
            self.session.apply(f"Light travels as in {name.lower()}", travel.put(self.session.document, name))

    def set_stays(self, stays_with: str) -> None:
        """Let the dome stay with something else, without turning now."""
        session = self.session
        if stays_with != session.document.environment.stays_with:
            part = product_of(session) if stays_with == "part" else None
            session.apply(self.stays.told("The dome", stays_with), dome_stays(session.document, stays_with, part, session.camera))

    def dress_floor(self, name: str | None) -> None:
        """A swatch of the shelf on the floor that the shot stands on, or none."""
        session = self.session
        if name is None:
            session.put({"floor/material": None}, told="Studio grey floor")
            return
        if name not in swatches.names():
            return
        material = swatches.material(name)

        def dressed():
            return edits.drop_unused_materials(session._with(edits.put_material(session.document, material), {"floor/material": material.id}))

        session.apply(f"{name} on the floor", dressed())
