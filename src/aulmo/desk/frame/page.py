"""Frame: the shot's camera: lens, place, exposure, what is sharp; and the frame itself."""

import math
from typing import Callable

import numpy as np
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QWidget

from aulmo.desk.picture.blurred import most_blurred
from aulmo.desk.shell.bound import BoundNumber, number_field
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, NumberField, SliderRow, button, button_row, label, row
from aulmo.document.lens import half_tangent
from aulmo.document.properties import about
from aulmo.document.quantity import parse, show
from aulmo.errors import BadValue
from aulmo.frame.exposure import ev100
from aulmo.frame.matching import reframed
from aulmo.frame.sharpness import distance_of, field_of_view, focal_of, sharp_range

RATIOS = {"4:3": (4, 3), "3:2": (3, 2), "16:9": (16, 9), "1:1": (1, 1), "4:5": (4, 5), "9:16": (9, 16), "2:1": (2, 1)}
SIZES = {
    "Full HD 1920 × 1080": (1920, 1080), "Ultra HD 3840 × 2160": (3840, 2160), "Square 2048": (2048, 2048), "Portrait 1080 × 1350": (1080, 1350),
    "Upright 1080 × 1920": (1080, 1920), "A4 at 300 dpi": (3508, 2480), "A4 upright at 300 dpi": (2480, 3508), "Catalogue 1600 × 1200": (1600, 1200),
}  # fmt: skip
EXPOSURE = ("exposure_stops", "f_stop", "shutter", "iso", "kelvin", "tint")
SENSORS = [("Full frame 36 mm", 36.0), ("APS-C 23.6 mm", 23.6), ("Medium 43.8 mm", 43.8), ("Medium 53.4 mm", 53.4), ("One inch 13.2 mm", 13.2)]


class FramePage(Page):
    """One camera and its shot."""

    def __init__(self, session: Session, run: Callable[[str], object]) -> None:
        super().__init__(session)
        self.name = self.add(None, "cameras/{camera}/name", "Camera")
        self.name.field.setAccessibleName("Camera name")
        self.locked = self.add(None, "cameras/{camera}/locked")
        lens = self.section("Lens", "frame/lens")
        self.focal = self.add(lens, "cameras/{camera}/focal_length_mm")
        self.sensor = Choice()
        self.sensor.setAccessibleName("Sensor")
        self.sensor.chosen.connect(lambda mm: self._camera(sensor_mm=mm))
        lens.add(row("Sensor", self.sensor))
        self.projection = Choice()
        self.projection.setAccessibleName("Projection")
        self.projection.chosen.connect(self._projection)
        lens.add(row("Projection", self.projection))
        self.angle = NumberField("°", 0.01, 170.0, 1)
        self.angle.setAccessibleName("Field of view")
        self.angle.trouble.connect(session.trouble)
        self.angle.edited.connect(lambda degrees: self._camera(focal_length_mm=focal_of(session.camera, degrees)))
        self.angle_row = row("Field of view", self.angle, tip="From side to side")
        lens.add(self.angle_row)
        self.span, self.shift = self.add(lens, "cameras/{camera}/span_mm"), self.add(lens, "cameras/{camera}/shift_y")
        self.shift_x = self.add(lens, "cameras/{camera}/shift_x")
        self.bend = self.add(lens, "cameras/{camera}/bend", kind=BoundNumber)
        place = self.section("Place", "frame/place")
        self.distance = self._slider(place, "Distance", 50, 3000, 2, self._distance, hard_low=0.1, hard_high=1e7)
        self.stands_at = self._slider(place, "Height", 0, 1500, 1, self._height, hard_low=-1e7, hard_high=1e7)
        self.roll = self.add(place, "cameras/{camera}/roll")
        self.near = self.add(place, "cameras/{camera}/near_mm")
        self.keeps = self.add(place, "cameras/{camera}/keeps_target")
        self.look = button("Look at…", lambda: session.set_tool("look at"), "link", "Click what the camera looks at, and keeps looking at")
        self.level = button("Level", lambda: run("level"), "link", "Uprights are upright: what was tilted is shifted")
        self.between = button("Hide between", lambda: run("hide_between"), "link", "It is not seen, and yet lights and shades")
        place.add(button_row(self.look, self.level, self.between))
        self.free = QWidget()
        line = QHBoxLayout(self.free)
        line.setContentsMargins(9, 2, 0, 2)
        line.addWidget(button("Take this view", self.take_view, tip="Move the shot's camera to the free view"))
        line.addWidget(button("Go back", lambda: session.set_view(None), tip="0"))
        place.add(self.free)
        light = self.section("Exposure", "frame/exposure")
        self.stops = self.add(light, "cameras/{camera}/exposure_stops", "Stops")
        self.f_stop = self.add(light, "cameras/{camera}/f_stop", "f-stop", kind=BoundNumber)
        self.shutter = QLineEdit()
        self.shutter.setAccessibleName("Shutter")
        self.shutter.editingFinished.connect(self._shutter)
        light.add(row("Shutter", self.shutter))
        self.iso = self.add(light, "cameras/{camera}/iso", kind=BoundNumber)
        self.ev = label("")
        light.add(row("EV", self.ev))
        self.white, self.tint = self.add(light, "cameras/{camera}/kelvin"), self.add(light, "cameras/{camera}/tint", kind=BoundNumber)
        self.own = QCheckBox("Only in this shot")
        self.own.setToolTip("Exposure and white differ in this shot from others through the same camera")
        self.own.clicked.connect(self._own)
        light.add(row("", self.own))
        light.add(row("", button("Click something grey", lambda: session.set_tool("white"), "link", "It is shown neutral then")))
        sharp = self.section("Sharpness", "frame/sharpness")
        self.depth_of_field = self.add(sharp, "cameras/{camera}/depth_of_field")
        self.focus = number_field(session, "cameras/x/focus", "Focus distance")
        self.focus.edited.connect(lambda value: self._camera(focus=value))
        self.pick = button("Click what is sharp", lambda: session.set_tool("focus"))
        sharp.add(row("Focus", self.focus))
        sharp.add(row("", self.pick))
        self.blades = self.add(sharp, "cameras/{camera}/blades")
        self.blade_turn = self.add(sharp, "cameras/{camera}/blade_turn", kind=BoundNumber)
        self.cats_eye = self.add(sharp, "cameras/{camera}/cats_eye")
        self.range = label("", wrap=True)
        sharp.add(row("Sharp", self.range))
        moving = self.section("Motion blur", "frame/blur")
        self.blur = self.add(moving, "cameras/{camera}/motion_blur")
        self.blurred = label("", wrap=True)
        self.blurred.setContentsMargins(9, 0, 0, 0)
        moving.add(self.blurred)
        self.shutter_angle = self.add(moving, "cameras/{camera}/shutter_angle", "Shutter", kind=BoundNumber)
        frame = self.section("Frame", "frame/frame")
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
        self.width_, self.height_ = number_field(session, "shots/x/width", "Width"), number_field(session, "shots/x/height", "Height in pixels")
        self.width_.edited.connect(lambda v: self._size("Frame size", width=int(v)))
        self.height_.edited.connect(lambda v: self._size("Frame size", height=int(v)))
        frame.add(row("Pixels", self.width_, self.height_))
        self.sizes = Choice()
        self.sizes.setAccessibleName("Frame size")
        self.sizes.chosen.connect(lambda size: size and self._size("Frame size", *size))
        frame.add(row("Size", self.sizes))
        self.view = self.add(frame, "shots/{shot}/view")
        self.guides, self.safe = self.add(frame, "shots/{shot}/guides"), self.add(frame, "shots/{shot}/safe")
        self.body.addStretch(1)

    def _slider(self, section, title: str, low: float, high: float, curve: float, run, **more) -> SliderRow:
        made = SliderRow(title, low, high, "mm", None, 0, curve=curve, **more)
        made.changed.connect(run)
        self.watch(made)
        section.add(made)
        return made

    def show_document(self) -> None:
        """What follows from the camera, and what is chosen from lists."""
        session, camera, shot = self.session, self.session.camera, self.session.shot
        self.title.setText(shot.name if shot else "No shot")
        self.inner.setEnabled(shot is not None)
        if not self.shot_name.hasFocus():
            self.shot_name.setText(shot.name if shot else "")
        self.projection.fill([(text, key) for key, text in about("cameras/x/projection").choices.items()], camera.projection)
        self.span.set_visible(camera.projection == "parallel")
        self.focal.set_visible(camera.projection == "perspective")
        self.angle_row.setVisible(camera.projection == "perspective")
        self.angle.set_value(field_of_view(camera))
        self.bend.set_visible(camera.projection == "perspective" and camera.bend != 0)
        sensors = SENSORS if any(mm == camera.sensor_mm for _, mm in SENSORS) else [*SENSORS, (show(camera.sensor_mm, "mm"), camera.sensor_mm)]
        self.sensor.fill(sensors, camera.sensor_mm)
        self.distance.set_value(distance_of(camera))
        self.stands_at.set_value(camera.position[2])
        self.free.setVisible(session.free_view is not None)
        if not self.shutter.hasFocus():
            self.shutter.setText(f"1/{show(1 / camera.shutter, '', 1)} s" if camera.shutter < 0.5 else show(camera.shutter, "s", 2))
        self.ev.setText(show(ev100(camera), "at ISO 100", 2))
        self.focus.set_value(camera.focus or distance_of(camera))
        near, far = sharp_range(camera)
        self.range.setText(
            "everything"
            if not camera.depth_of_field
            else f"{show(near, '', 0)} to {'the horizon' if far == math.inf else show(far, 'mm', 0)}"
            + ("" if far == math.inf else f" ({show(far - near, 'mm', 1)})")
        )
        self.own.setChecked(session.overridden(f"cameras/{camera.id}/exposure_stops"))
        self.shot_camera.fill([(c.name, c.id) for c in session.document.cameras.values()], camera.id)
        self.blurred.setVisible(bool(shot) and camera.motion_blur and bool(session.document.keys or session.document.motions))
        if not self.blurred.isHidden() and shot is not None:
            name, pixels = most_blurred(session.document, session.assets, shot, session.time)
            at = show(session.time, "s", 2)
            self.blurred.setText(f"{name} blurs over {pixels:.0f} of {shot.width} px at {at}" if pixels >= 0.5 else f"Nothing blurs at {at}")
        if shot:
            self.width_.set_value(shot.width)
            self.height_.set_value(shot.height)
            sizes = [(name, size) for name, size in SIZES.items()]
            photo = shot.photograph
            if photo is not None and (photo.width, photo.height) not in SIZES.values():
                sizes.insert(0, (f"The photograph’s, {photo.width} × {photo.height}", (photo.width, photo.height)))
            own = (shot.width, shot.height)
            self.sizes.fill(sizes if own in [size for _, size in sizes] else [*sizes, (f"{own[0]} × {own[1]}", own)], own)
            known = next((n for n, (a, b) in RATIOS.items() if abs(shot.width / shot.height - a / b) < 0.003), None)
            self.ratio.fill([(n, n) for n in RATIOS] + ([] if known else [("Own", None)]), known)

    def _camera(self, told: str = "", busy: bool = False, **changes) -> None:
        camera = self.session.camera
        if not self.session.put({f"cameras/{camera.id}/{key}": value for key, value in changes.items()}, busy, told):
            self.refresh()

    def _shot(self, told: str, **changes) -> None:
        shot = self.session.shot
        if shot:
            self.session.put({f"shots/{shot.id}/{key}": value for key, value in changes.items()}, told=told)

    def _own(self, on: bool) -> None:
        camera = self.session.camera
        told = f"Exposure of {self.session.shot.name if self.session.shot else ''} {'of its own' if on else 'as its camera has it'}"
        self.session.own_here([f"cameras/{camera.id}/{key}" for key in EXPOSURE], on, told)

    def _size(self, told: str, width: int | None = None, height: int | None = None) -> None:
        shot = self.session.shot
        if shot is not None:
            w, h = width or shot.width, height or shot.height
            self.session.apply(told, reframed(self.session.document, shot.id, w, h))

    def _projection(self, kind: str) -> None:
        """A parallel view begins as wide as the frame is at the target."""
        camera = self.session.camera
        span = distance_of(camera) * 2.0 * half_tangent(camera)
        self._camera(f"Projection of {camera.name}", projection=kind, span_mm=round(span, 3) if kind == "parallel" else camera.span_mm)

    def _distance(self, value: float, busy: bool) -> None:
        camera = self.session.camera
        target, away = np.array(camera.target), np.array(camera.position) - np.array(camera.target)
        position = target + away / max(1e-9, float(np.linalg.norm(away))) * value
        focus = max(0.1, camera.focus + value - distance_of(camera)) if camera.focus else 0.0
        self._camera(f"Distance of {camera.name}", busy, position=tuple(float(v) for v in position), focus=focus)

    def _height(self, value: float, busy: bool) -> None:
        camera = self.session.camera
        self._camera(f"Height of {camera.name}", busy, position=(camera.position[0], camera.position[1], value))

    def _shutter(self) -> None:
        if not self.shutter.isModified():
            return
        self.shutter.setModified(False)
        known = about("cameras/x/shutter")
        try:
            self._camera(shutter=parse(self.shutter.text(), "s", known.least, known.most))
        except BadValue as error:
            self.session.trouble.emit(str(error))
            self.refresh()

    def _rename_shot(self) -> None:
        shot, name = self.session.shot, self.shot_name.text().strip()
        if shot and name and name != shot.name:
            if any(s.name == name for s in self.session.document.shots):
                self.session.trouble.emit(f"There is already a shot named {name}.")
                self.shot_name.setText(shot.name)
                return
            self._shot(f"Renamed {shot.name} to {name}", name=name)

    def _use_camera(self, camera_id: str) -> None:
        self._shot("Other camera", camera=camera_id)
        self.session.set_view(None)

    def _ratio(self, name: str | None) -> None:
        shot = self.session.shot
        if name and shot:
            a, b = RATIOS[name]
            width = round(math.sqrt(shot.width * shot.height * a / b) / 8) * 8
            self._size(f"Ratio {name}", max(8, width), max(1, round(width * b / a)))

    def take_view(self) -> None:
        """Move the shot's camera to where the free view is."""
        view, camera = self.session.free_view, self.session.camera
        if view is None:
            return
        self._camera(f"Place of {camera.name}", position=view.position, target=view.target, focal_length_mm=view.focal_length_mm)
        if not camera.locked:
            self.session.set_view(None)
