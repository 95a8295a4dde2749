"""Light: the dome's picture and how it is turned; the backdrop; the floor."""

from msgspec.structs import replace

from aulmo.desk.colour_field import ColourRow
from aulmo.desk.details import Page
from aulmo.desk.fields import Choice, Section, Segments, SliderRow, button, row
from aulmo.desk.session import Session
from aulmo.document import edits
from aulmo.document.records import Backdrop, Environment, Floor
from aulmo.light.environment_image import SETS
from aulmo.surface import swatches
from aulmo.trace.scene import backdrop_of, floor_of

_ENVIRONMENT, _BACKDROP = Environment(), Backdrop()


class LightPage(Page):
    """The environment, backdrop and floor of the current shot."""

    def __init__(self, session: Session, open_environment) -> None:
        super().__init__(session)
        self.title.setText("Dome")
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
        dome.add(row("", button("Open HDR or EXR…", open_environment)))
        self.body.addWidget(dome)
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
        items = [(n, n) for n in SETS]
        if not environment.shipped:
            items.append(("Own file", environment.image))
        self.set.fill(items, environment.image)
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

    def _choose(self, name: str) -> None:
        environment = self.session.document.environment
        if name in SETS:
            self.session.apply(f"Light set {name}", replace(self.session.document, environment=replace(environment, image=name, shipped=True)))

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
