"""Frame: the shot's camera: lens, place, exposure, what is sharp; and the frame itself."""

import math

import numpy as np
from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QWidget

from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, NumberField, Section, SliderRow, button, label, row
from aulmo.document import edits
from aulmo.document.quantity import parse, show
from aulmo.document.records import Camera
from aulmo.errors import BadValue
from aulmo.trace.camera_rows import ev100
from aulmo.trace.view import VIEWS

RATIOS = {"4:3": (4, 3), "3:2": (3, 2), "16:9": (16, 9), "1:1": (1, 1), "4:5": (4, 5), "9:16": (9, 16), "2:1": (2, 1)}
SENSORS = [("Full frame 36 mm", 36.0), ("APS-C 23.6 mm", 23.6), ("Medium 43.8 mm", 43.8), ("Medium 53.4 mm", 53.4), ("One inch 13.2 mm", 13.2)]


def distance_of(camera: Camera) -> float:
    """Distance from camera to target, mm."""
    return float(np.linalg.norm(np.array(camera.position) - np.array(camera.target)))


def sharp_range(camera: Camera) -> tuple[float, float]:
    """Near and far limit of what looks sharp, mm, for a circle of confusion of 1/1500 of the frame's diagonal (thin lens)."""
    if not camera.focus:
        return 0.0, math.inf
    circle = camera.sensor_mm * 1.2 / 1500
    hyperfocal = camera.focal_length_mm**2 / (camera.f_stop * circle) + camera.focal_length_mm
    near = camera.focus * (hyperfocal - camera.focal_length_mm) / (hyperfocal + camera.focus - 2 * camera.focal_length_mm)
    far = camera.focus * (hyperfocal - camera.focal_length_mm) / (hyperfocal - camera.focus) if camera.focus < hyperfocal else math.inf
    return near, far


class FramePage(Page):
    """One camera and its shot."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.name = QLineEdit()
        self.name.setAccessibleName("Camera name")
        self.name.editingFinished.connect(self._rename)
        self.locked = QCheckBox("Locked")
        self.locked.clicked.connect(self._lock)
        self.body.addWidget(row("Camera", self.name, self.locked))
        lens = Section("Lens", "frame/lens")
        self.focal = self._slider(lens, "Focal length", 14, 200, "mm", 85.0, 1, self._focal, hard_low=4, hard_high=2000)
        self.sensor = Choice()
        self.sensor.setAccessibleName("Sensor")
        self.sensor.chosen.connect(lambda mm: self._camera("Sensor", None, sensor_mm=mm))
        lens.add(row("Sensor", self.sensor))
        self.projection = Choice()
        self.projection.setAccessibleName("Projection")
        self.projection.fill([("Perspective", "perspective"), ("Parallel", "parallel"), ("Full sphere", "panorama")], "perspective")
        self.projection.chosen.connect(self._projection)
        lens.add(row("Projection", self.projection))
        self.span = self._slider(
            lens, "Shows", 10, 2000, "mm", None, 1, lambda v, b: self._camera("Width shown", self.merge("span", b), span_mm=v),
            hard_low=1e-3, hard_high=1e7, curve=2,
        )  # fmt: skip
        self.shift = self._slider(
            lens, "Shift up", -0.5, 0.5, "", 0.0, 3, lambda v, b: self._camera("Shift", self.merge("shift", b), shift_y=v), hard_low=-5, hard_high=5
        )
        self.body.addWidget(lens)
        place = Section("Place", "frame/place")
        self.distance = self._slider(place, "Distance", 50, 3000, "mm", None, 0, self._distance, hard_low=0.1, hard_high=1e7, curve=2)
        self.height = self._slider(place, "Height", 0, 1500, "mm", None, 0, self._height, hard_low=-1e7, hard_high=1e7)
        self.roll = self._slider(
            place, "Roll", -45, 45, "°", 0.0, 1, lambda v, b: self._camera("Roll", self.merge("roll", b), roll=v), hard_low=-360, hard_high=360
        )
        self.free = QWidget()
        line = QHBoxLayout(self.free)
        line.setContentsMargins(9, 2, 0, 2)
        line.addWidget(button("Take this view", self.take_view, tip="Move the shot's camera to the free view"))
        line.addWidget(button("Go back", lambda: session.set_view(None), tip="0"))
        place.add(self.free)
        self.body.addWidget(place)
        light = Section("Exposure", "frame/exposure")
        self.stops = self._slider(
            light,
            "Stops",
            -6,
            6,
            "stops",
            0.0,
            2,
            lambda v, b: self._camera("Exposure", self.merge("stops", b), exposure_stops=v),
            hard_low=-30,
            hard_high=30,
        )
        self.f_stop, self.shutter, self.iso = NumberField("", 0.5, 128, 1), QLineEdit(), NumberField("", 1, 1e6, 0)
        self.f_stop.setAccessibleName("F-stop")
        self.shutter.setAccessibleName("Shutter")
        self.iso.setAccessibleName("ISO")
        self.watch(self.f_stop)
        self.watch(self.iso)
        self.f_stop.edited.connect(lambda v: self._camera("F-stop", None, f_stop=v))
        self.iso.edited.connect(lambda v: self._camera("ISO", None, iso=v))
        self.shutter.editingFinished.connect(self._shutter)
        light.add(row("f-stop", self.f_stop))
        light.add(row("Shutter", self.shutter))
        light.add(row("ISO", self.iso))
        self.ev = label("")
        light.add(row("EV", self.ev))
        self.body.addWidget(light)
        sharp = Section("Sharpness", "frame/sharpness")
        self.depth = QCheckBox("Depth of field")
        self.depth.clicked.connect(self._depth)
        sharp.add(row("", self.depth))
        self.focus = NumberField("mm", 0.1, 1e7, 1)
        self.focus.setAccessibleName("Focus distance")
        self.watch(self.focus)
        self.focus.edited.connect(lambda v: self._camera("Focus", None, focus=v))
        self.pick = button("Click what is sharp", lambda: session.set_tool("focus"))
        sharp.add(row("Focus", self.focus))
        sharp.add(row("", self.pick))
        self.blades = NumberField("", 0, 20, 0)
        self.blades.setAccessibleName("Blades")
        self.blades.setToolTip("0 is a round opening")
        self.blades.edited.connect(lambda v: self._camera("Blades", None, blades=0 if v < 3 else int(v)))
        sharp.add(row("Blades", self.blades))
        self.blade_turn = NumberField("°", -360, 360, 1)
        self.blade_turn.setAccessibleName("Blade turn")
        self.blade_turn.edited.connect(lambda v: self._camera("Blade turn", None, blade_turn=v))
        sharp.add(row("Blade turn", self.blade_turn))
        self.range = label("", wrap=True)
        sharp.add(row("Sharp", self.range))
        self.body.addWidget(sharp)
        moving = Section("Motion blur", "frame/blur")
        self.blur = QCheckBox("Blur what moves")
        self.blur.clicked.connect(lambda on: self._camera("Motion blur", None, motion_blur=on))
        moving.add(row("", self.blur))
        self.shutter_angle = NumberField("°", 0, 3600, 0)
        self.shutter_angle.setAccessibleName("Shutter angle")
        self.shutter_angle.setToolTip("Of a frame's time; 0 takes the exposure's shutter time")
        self.shutter_angle.edited.connect(lambda v: self._camera("Shutter angle", None, shutter_angle=v))
        moving.add(row("Shutter", self.shutter_angle))
        self.body.addWidget(moving)
        frame = Section("Frame", "frame/frame")
        self.shot_name = QLineEdit()
        self.shot_name.setAccessibleName("Shot name")
        self.shot_name.editingFinished.connect(self._rename_shot)
        frame.add(row("Shot", self.shot_name))
        self.shot_camera = Choice()
        self.shot_camera.setAccessibleName("Shot camera")
        self.shot_camera.chosen.connect(self._use_camera)
        frame.add(row("Through", self.shot_camera))
        self.ratio = Choice()
        self.ratio.setAccessibleName("Ratio")
        self.ratio.chosen.connect(self._ratio)
        frame.add(row("Ratio", self.ratio))
        self.width_, self.height_ = NumberField("", 1, 32768, 0), NumberField("", 1, 32768, 0)
        self.width_.setAccessibleName("Width")
        self.height_.setAccessibleName("Height in pixels")
        self.width_.edited.connect(lambda v: self.session.change_shot("Frame size", width=int(v)))
        self.height_.edited.connect(lambda v: self.session.change_shot("Frame size", height=int(v)))
        frame.add(row("Pixels", self.width_, self.height_))
        self.view = Choice()
        self.view.setAccessibleName("View")
        self.view.chosen.connect(lambda v: self.session.change_shot(f"View {v}", view=v))
        frame.add(row("View", self.view))
        self.body.addWidget(frame)
        self.body.addStretch(1)

    def _slider(self, section: Section, title, low, high, unit, default, decimals, run, **more) -> SliderRow:
        made = SliderRow(title, low, high, unit, default, decimals, **more)
        made.changed.connect(run)
        section.add(self.watch(made))
        return made

    def show_document(self) -> None:
        """Bring every row up to date."""
        session, camera, shot = self.session, self.session.camera, self.session.shot
        self.title.setText(shot.name if shot else "No shot")
        self.widget().setEnabled(shot is not None)
        for field, text in ((self.name, camera.name), (self.shot_name, shot.name if shot else "")):
            if not field.hasFocus():
                field.setText(text)
        self.locked.setChecked(camera.locked)
        self.focal.set_value(camera.focal_length_mm)
        self.projection.fill([(self.projection.itemText(k), self.projection.itemData(k)) for k in range(3)], camera.projection)
        self.span.set_value(camera.span_mm)
        self.span.setVisible(camera.projection == "parallel")
        self.focal.setVisible(camera.projection == "perspective")
        self.shift.set_value(camera.shift_y)
        self.blade_turn.set_value(camera.blade_turn)
        self.blur.setChecked(camera.motion_blur)
        self.shutter_angle.set_value(camera.shutter_angle)
        sensors = SENSORS if any(mm == camera.sensor_mm for _, mm in SENSORS) else [*SENSORS, (show(camera.sensor_mm, "mm"), camera.sensor_mm)]
        self.sensor.fill(sensors, camera.sensor_mm)
        self.distance.set_value(distance_of(camera))
        self.height.set_value(camera.position[2])
        self.roll.set_value(camera.roll)
        self.free.setVisible(session.free_view is not None)
        self.stops.set_value(camera.exposure_stops)
        self.f_stop.set_value(camera.f_stop)
        if not self.shutter.hasFocus():
            self.shutter.setText(f"1/{show(1 / camera.shutter, '', 1)} s" if camera.shutter < 0.5 else show(camera.shutter, "s", 2))
        self.iso.set_value(camera.iso)
        self.ev.setText(show(ev100(camera), "at ISO 100", 2))
        self.depth.setChecked(camera.depth_of_field)
        self.focus.set_value(camera.focus or distance_of(camera))
        self.blades.set_value(camera.blades)
        near, far = sharp_range(camera)
        self.range.setText(
            "everything"
            if not camera.depth_of_field
            else f"{show(near, '', 0)} to {'the horizon' if far == math.inf else show(far, 'mm', 0)}"
            + ("" if far == math.inf else f" ({show(far - near, 'mm', 1)})")
        )
        self.shot_camera.fill([(c.name, c.id) for c in session.document.cameras.values()], camera.id)
        if shot:
            self.width_.set_value(shot.width)
            self.height_.set_value(shot.height)
            known = next((n for n, (a, b) in RATIOS.items() if abs(shot.width / shot.height - a / b) < 0.003), None)
            self.ratio.fill([(n, n) for n in RATIOS] + ([] if known else [("Own", None)]), known)
            self.view.fill([(v, v) for v in VIEWS], shot.view)

    def _camera(self, sentence: str, merge_key: object, **changes) -> None:
        camera = self.session.camera
        if camera.locked:
            self.session.hint.emit(f"{camera.name} is locked")
            self.show_document()
            return
        self.session.change_camera(f"{sentence} of {camera.name}", replace(camera, **changes), merge_key)

    def _focal(self, value: float, busy: bool) -> None:
        self._camera("Focal length", self.merge("focal", busy), focal_length_mm=value)

    def _projection(self, kind: str) -> None:
        """A parallel view begins as wide as the frame is at the target."""
        camera = self.session.camera
        span = distance_of(camera) * camera.sensor_mm / camera.focal_length_mm
        self._camera("Projection", None, projection=kind, span_mm=round(span, 3) if kind == "parallel" else camera.span_mm)

    def _distance(self, value: float, busy: bool) -> None:
        camera = self.session.camera
        target, away = np.array(camera.target), np.array(camera.position) - np.array(camera.target)
        position = target + away / max(1e-9, float(np.linalg.norm(away))) * value
        focus = max(0.1, camera.focus + value - distance_of(camera)) if camera.focus else 0.0
        self._camera("Distance", self.merge("distance", busy), position=tuple(float(v) for v in position), focus=focus)

    def _height(self, value: float, busy: bool) -> None:
        camera = self.session.camera
        self._camera("Height", self.merge("height", busy), position=(camera.position[0], camera.position[1], value))

    def _shutter(self) -> None:
        if not self.shutter.isModified():
            return
        self.shutter.setModified(False)
        try:
            self._camera("Shutter", None, shutter=parse(self.shutter.text(), "s", 1e-6, 3600))
        except BadValue as error:
            self.session.trouble.emit(str(error))
            self.show_document()

    def _depth(self, on: bool) -> None:
        camera = self.session.camera
        self._camera("Depth of field", None, depth_of_field=on, focus=camera.focus or distance_of(camera))

    def _lock(self, on: bool) -> None:
        camera = self.session.camera
        self.session.apply(f"{'Locked' if on else 'Unlocked'} {camera.name}", edits.put_camera(self.session.document, replace(camera, locked=on)))

    def _rename(self) -> None:
        camera, name = self.session.camera, self.name.text().strip()
        if name and name != camera.name and camera.id:
            self.session.apply(f"Renamed {camera.name} to {name}", edits.put_camera(self.session.document, replace(camera, name=name)))

    def _rename_shot(self) -> None:
        shot, name = self.session.shot, self.shot_name.text().strip()
        if shot and name and name != shot.name:
            if any(s.name == name for s in self.session.document.shots):
                self.session.trouble.emit(f"There is already a shot named {name}.")
                self.shot_name.setText(shot.name)
                return
            self.session.change_shot(f"Renamed {shot.name} to {name}", name=name)

    def _use_camera(self, camera_id: str) -> None:
        self.session.change_shot("Other camera", camera=camera_id)
        self.session.set_view(None)

    def _ratio(self, name: str | None) -> None:
        shot = self.session.shot
        if name and shot:
            a, b = RATIOS[name]
            area = shot.width * shot.height
            width = round(math.sqrt(area * a / b) / 8) * 8
            self.session.change_shot(f"Ratio {name}", width=max(8, width), height=max(1, round(width * b / a)))

    def take_view(self) -> None:
        """Move the shot's camera to where the free view is."""
        view = self.session.free_view
        if view is None:
            return
        camera = self.session.camera
        self._camera("Place", None, position=view.position, target=view.target, focal_length_mm=view.focal_length_mm)
        if not camera.locked:
            self.session.set_view(None)
