"""The commands on a shot's photograph: taking one, its tools, the camera, the light, what catches shadows on it."""

from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QFileDialog

from aulmo.desk.frame.patch_tool import PatchTool
from aulmo.desk.frame.photo_desk import SUBJECT, PhotoDesk
from aulmo.desk.shell.stage import Desk
from aulmo.document import edits
from aulmo.document.quantity import show
from aulmo.document.records import Document
from aulmo.errors import BadValue
from aulmo.frame import catchers, grey_patch, matching, photograph, photograph_light, shadow_stick
from aulmo.frame.camera import project
from aulmo.frame.edge_finder import followed
from aulmo.frame.shadow_stick import Sun
from aulmo.trace.plate import WORKING_WIDTH, light_of


class PhotographCommands:
    """What is done with the photograph."""

    def __init__(self, desk: Desk, photo: PhotoDesk, patch: PatchTool) -> None:
        self.desk, self.session, self.photo = desk, desk.session, photo
        patch.done = self.match_patch

    def register(self) -> None:
        """The commands, in the menu of their own stage."""
        add, there = self.desk.registry.add, lambda: self.desk.working() and self.photo.photo is not None
        marking = lambda: there() and self.session.stage == "Frame" and (self.session.subject == SUBJECT or self.session.tool in self.photo.tools)  # noqa: E731
        self.desk.registry.handle("delete", marking, self.delete, sooner=True)
        add("photograph", "Photograph behind this shot…", "Stage/Photograph", "", self.choose, self.desk.working, break_before=True)
        add("no_photograph", "Take the photograph away", "Stage/Photograph", "", self.remove, there)
        add("sight_lines", "Draw sight lines", "Stage/Photograph", "", lambda: self.take("sight line"), there)
        add("shadow_stick", "Shadow stick", "Stage/Photograph", "", lambda: self.take("shadow stick"), there)
        add("grey_patch", "Grey patch", "Stage/Photograph", "", lambda: self.take("grey patch"), there)
        add("stands_here", "Click where the product stands", "Stage/Photograph", "", lambda: self.take("stands here"), there)
        add("nudge_grid", "Nudge the grid", "Stage/Photograph", "", lambda: self.take("grid"), there)

    def delete(self) -> None:
        """The mark that is worked on: the chosen line, or what the tool in hand set last."""
        line = self.photo.line
        if self.session.tool in ("shadow stick", "cut out"):
            self.desk.picture.tool.delete()
        elif line is not None:
            self.photo.edit(f"Deleted {line.name}", lambda d, s: matching.without_line(d, s, line.id), True)
            self.photo.choose("")
        else:
            self.session.hint.emit("Choose the line that is to go")

    def take(self, tool: str) -> None:
        """A tool of the photograph in hand, or away again."""
        self.session.set_stage("Frame")
        self.session.face_wanted.emit("Photograph")
        self.session.select((), SUBJECT)
        self.session.toggle_tool(tool)

    # the file

    def words(self, files: list[Path], at: QPoint) -> tuple[str, str] | None:
        """What the cursor says before a picture is dropped on the Frame stage."""
        if self.session.stage != "Frame" or len(files) != 1 or files[0].suffix.lower() not in photograph.ENDINGS or self.session.shot is None:
            return None
        return files[0].name, f"drop: photograph behind {self.session.shot.name}"

    def take_files(self, files: list[Path], at: QPoint) -> bool:
        """Put a dropped picture behind the shot."""
        if self.words(files, at) is None:
            return False
        self.open(files[0])
        return True

    def choose(self) -> None:
        """A file box."""
        kinds = "Photographs (" + " ".join(f"*{e}" for e in photograph.ENDINGS) + ")"
        path, _ = QFileDialog.getOpenFileName(self.desk.window, "Photograph behind this shot", self.desk.folder(), kinds)
        if path:
            self.open(Path(path))

    def open(self, path: Path) -> None:
        """Read a picture in the background and put it behind the shot."""
        session, shot = self.session, self.session.shot
        if shot is None:
            return
        assets = session.assets

        def work(task: Any) -> Any:
            found = photograph.read(path, assets)
            photograph.codes(assets, found, WORKING_WIDTH)
            return found

        def done(found: Any) -> None:
            if not any(s.id == shot.id for s in session.document.shots):
                return
            session.set_view(None)
            session.apply(f"Photograph {found.file} behind {shot.name}", matching.taken_in(session.document, shot.id, found))
            session.history.end_merge()
            session.set_stage("Frame")
            session.face_wanted.emit("Photograph")
            session.select((), SUBJECT)
            if found.focal_mm:
                session.hint.emit(f"{found.file} was taken at {show(found.focal_mm, 'mm', 1)}; Details offers that lens")

        session.start_task(f"Reading {path.name}", work, done)

    def remove(self) -> None:
        """The shot without its photograph."""
        self.photo.edit("Took the photograph away", matching.left_out)
        self.session.set_tool("")

    def use_lens(self) -> None:
        """The lens that the file tells."""
        self.photo.edit("Lens of the photograph’s file", matching.with_lens_of_file)

    # lines

    def clear(self) -> None:
        """All lines away."""
        self.photo.mark("Cleared the sight lines", lambda p: replace(p, lines=(), known="", known_mm=0.0, surface=()))
        self.photo.choose("")

    def follow(self) -> None:
        """Let every line follow the bow of its edge, so that the bend of the lens is found."""
        photo, codes = self.photo.photo, self.photo.codes()
        if photo is None or codes is None:
            return
        f = codes.shape[1] / photo.width
        lines = []
        for line in photo.lines:
            (x0, y0), (x1, y1) = line.points[0], line.points[-1]
            found = followed(codes, (x0 * f, y0 * f), (x1 * f, y1 * f))
            lines.append(replace(line, points=tuple((x / f, y / f) for x, y in found)))
        self.photo.mark("Lines follow their edges", lambda p: replace(p, lines=tuple(lines)), True)

    def straight(self, on: bool) -> None:
        """Straighten the photograph, or bend the render."""

        def make(document: Document, shot_id: str) -> Document:
            shot, photo = matching.photograph_of(document, shot_id)
            camera = document.cameras[shot.camera]
            document = edits.put_camera(document, replace(camera, bend=0.0 if on else photo.bend))
            return matching.put_photograph(document, shot_id, replace(photo, straight=on))

        self.photo.edit("Straightened the photograph" if on else "The render bends as the photograph does", make)

    def known(self, millimetres: float) -> None:
        """The chosen line is so long."""
        line = self.photo.line
        if line is None:
            self.session.hint.emit("Choose the line whose length you know")
            return
        self.photo.mark(f"Length of {line.name}", lambda p: replace(p, known=line.id if millimetres > 0 else "", known_mm=millimetres), True)

    def direction(self, direction: int) -> None:
        """The chosen line runs in another direction."""
        line = self.photo.line
        if line is not None and line.direction != direction:
            self.photo.edit(f"Direction of {line.name}", lambda d, s: matching.put_line(d, s, replace(line, direction=direction)), True)

    def rename(self, name: str) -> None:
        """The chosen line by another name."""
        line = self.photo.line
        if line is not None and name and name != line.name:
            self.photo.edit(f"Renamed {line.name} to {name}", lambda d, s: matching.put_line(d, s, replace(line, name=name)))

    def top_of(self, on: bool) -> None:
        """Whether the chosen line is an edge of the top that the product stands on."""
        line = self.photo.line
        if line is not None:
            others = tuple(i for i in self.photo.photo.surface if i != line.id) if self.photo.photo is not None else ()
            told = f"{line.name} bounds {'the top' if on else 'nothing'}"
            self.photo.mark(told, lambda p: replace(p, surface=(*others, line.id)[-2:] if on else others), True)

    # the light

    def sun(self) -> Sun | None:
        """Where the sun stands by the sticks; None without any."""
        photo = self.photo.photo
        if photo is None or not photo.sticks:
            return None
        try:
            return shadow_stick.sun_of(self.photo.camera(), self.photo.size(), photo.sticks)
        except BadValue:
            return None

    def turn_light(self) -> None:
        """The dome's brightest place goes where the sun stands."""
        from aulmo.trace.lit import environment_pixels

        sun = self.sun()
        if sun is None:
            self.session.hint.emit("Mark a shadow stick first")
            return
        session = self.session
        environment, assets = session.resolved.environment, session.assets

        def done(image: Any) -> None:
            made, left = photograph_light.turned_to(environment, image, sun)
            if environment.kind == "sky":
                values = {"by_place": False, "azimuth": made.sky.azimuth, "elevation": made.sky.elevation, "sun": True}
                turned = {f"environment/sky/{key}": value for key, value in values.items()} | {"environment/turn": 0.0, "environment/tilt": 0.0}
                session.put(turned, told="Turned the sun to the photograph")
                return
            session.put({"environment/turn": made.turn, "environment/tilt": made.tilt}, told="Turned the dome to the photograph’s sun")
            if abs(left) > 1:
                words = f"{abs(left):.0f}° {'lower' if left > 0 else 'higher'}"
                session.hint.emit(f"The dome cannot be tilted that far; its brightest place stands {words}")

        session.start_task("Looking for the dome’s brightest place", lambda task: environment_pixels(environment, assets), done)

    def make_sun(self) -> None:
        """A distant lamp where the sun stands."""
        sun = self.sun()
        if sun is None:
            self.session.hint.emit("Mark a shadow stick first")
            return
        document, lamp = photograph_light.sun_lamp(self.session.document, sun)
        self.session.apply("Sun of the photograph", document)
        self.session.hint.emit(f"{document.lamps[lamp].name} shines from there; Light holds its brightness")

    def guess_dome(self) -> None:
        """A plain dome of the photograph's colours, as a start."""
        codes, shot = self.photo.codes(), self.photo.shot
        if codes is None or shot is None:
            return
        made = photograph_light.guessed_dome(self.session.document.environment, light_of(codes[::4, ::4], shot.view), self.photo.camera())
        self.session.apply("A dome guessed from the photograph", replace(self.session.document, environment=made))
        self.session.hint.emit("A guess: above from the photograph’s upper part, below from its floor. Turn and brighten it by eye.")

    def match_patch(self) -> None:
        """Exposure and white so that a card of the patch's grey comes out as the patch does."""
        photo, shot, codes = self.photo.photo, self.photo.shot, self.photo.codes()
        if photo is None or shot is None or codes is None or photo.patch is None:
            self.session.hint.emit("Drag over something grey first")
            return
        patch, session = photo.patch, self.session
        try:
            wanted = grey_patch.tone_of(light_of(codes, shot.view), patch.box, self.photo.size())
            middle = (0.5 * (patch.box[0] + patch.box[2]), 0.5 * (patch.box[1] + patch.box[3]))
            try:
                point = shadow_stick.on_plane(self.photo.camera(), self.photo.size(), middle)
            except BadValue:
                point = np.zeros(3)  # not on the floor: as if it stood where the product does
        except BadValue as error:
            session.trouble.emit(str(error))
            return
        resolved, assets = session.resolved, session.assets

        def work(task: Any) -> Any:
            from aulmo.trace.patch_light import light_on_card

            return light_on_card(resolved, assets, point, patch.value)

        def done(given: Any) -> None:
            camera = session.camera
            try:
                made = grey_patch.matched(camera, wanted, given)
            except BadValue as error:
                session.trouble.emit(str(error))
                return
            told, address = "Matched the grey patch", f"cameras/{camera.id}"
            values = {"exposure_stops": made.exposure_stops, "kelvin": min(40000.0, made.kelvin), "tint": made.tint}
            session.put({f"{address}/{key}": value for key, value in values.items()}, told=told)
            session.hint.emit(f"{told}: {made.exposure_stops:+.2f} stops, {made.kelvin:.0f} K, tint {made.tint:+.0f}")

        session.start_task("Measuring the light on the patch", work, done)

    # what catches shadows

    def catch_floor(self, on: bool) -> None:
        """The floor is only a shadow, or as the project has it."""
        shot = self.photo.shot
        if shot is None:
            return
        document = self.session.document
        own = matching.with_floor(document, shot, "shadow" if on else "none")
        self.session.apply("Shadow on the floor" if on else "No floor", edits.put_shot(document, replace(shot, overrides=own)))

    def give_tone(self, on: bool) -> None:
        """The floor gives the photograph's tone beneath the product back to it."""
        codes, shot = self.photo.codes(), self.photo.shot
        values: dict[str, Any] = {"floor/gives_back": on}
        if on and codes is not None and shot is not None:
            tone = self._tone_beneath(codes)
            if tone is not None:
                values["floor/tone"] = tone
        self.session.put(values, told="The floor gives its tone back" if on else "The floor gives nothing back")

    def _tone_beneath(self, codes: np.ndarray) -> tuple[float, float, float] | None:
        """ACEScg of the photograph beneath the product, as a surface reflects it."""
        w, h = self.photo.size()
        x, y, ahead = project(self.photo.camera(), np.zeros((1, 3)), w, h)[0]
        if ahead <= 0 or not self.photo.inside((x, y)):
            return None
        reach = 0.03 * w
        shot = self.photo.shot
        assert shot is not None
        tone = grey_patch.tone_of(light_of(codes, shot.view), (x - reach, y - 0.5 * reach, x + reach, y + 0.5 * reach), (w, h))
        return tuple(float(min(0.9, max(0.0, v))) for v in tone)  # type: ignore[return-value]

    def wall(self) -> None:
        """A wall through the chosen line, which is where it meets the floor."""
        line = self.photo.line
        if line is None or line.direction == 3:
            self.session.hint.emit("Choose the line where the wall meets the floor")
            return
        camera, size = self.photo.camera(), self.photo.size()
        self.photo.edit(f"Wall through {line.name}", lambda d, s: catchers.wall(d, camera, size, (line.points[0], line.points[-1]))[0])
