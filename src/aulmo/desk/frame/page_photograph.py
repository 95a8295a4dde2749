"""The photograph behind the shot: what it shows, its lines and what they tell, the sun, the grey patch, what catches shadows on it."""

import math

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QLineEdit, QWidget

from aulmo.desk.frame.photo_commands import PhotographCommands
from aulmo.desk.frame.photo_desk import PhotoDesk
from aulmo.desk.shell.bound import BoundNumber, BoundSegments, number_field
from aulmo.desk.shell.details import Page
from aulmo.desk.widgets.fields import Choice, button, button_row, label, row
from aulmo.document.quantity import show

AT = "shots/{shot}/photograph"


class PhotographPage(Page):
    """One photograph."""

    def __init__(self, photo: PhotoDesk, commands: PhotographCommands) -> None:
        super().__init__(photo.session)
        self.photo, self.commands = photo, commands
        session = self.session
        self.none = self.section("Photograph", "frame/photograph")
        self.file = button("", commands.choose, tip="Choose another file")
        self.none.add(row("File", self.file))
        self.shows = self.add(self.none, f"{AT}/in_front", kind=BoundSegments)
        self.strength, self.stops, self.mirrored = (self.add(self.none, f"{AT}/{key}") for key in ("strength", "stops", "mirrored"))
        self.lens = button("", commands.use_lens, "link")
        self.lens_row = button_row(self.lens)
        self.none.add(self.lens_row)
        self.lines = self.section("Sight lines", "frame/lines")
        self.draw = button("Draw lines that are parallel in reality", lambda: commands.take("sight line"), "outline")
        self.lines.add(button_row(self.draw))
        self.name = QLineEdit()
        self.name.setAccessibleName("Line name")
        self.name.editingFinished.connect(lambda: commands.rename(self.name.text().strip()))
        self.name_row = row("Line", self.name)
        self.direction = Choice()
        self.direction.setAccessibleName("Direction of the line")
        self.direction.chosen.connect(commands.direction)
        self.direction_row = row("Direction", self.direction)
        self.known = number_field(session, f"{AT}/known_mm", "Known length")
        self.known.edited.connect(commands.known)
        self.known_row = row("Known length", self.known)
        self.on_top = QCheckBox("Stands on its top")
        self.on_top.setToolTip("The line is an edge of the table top that the product stands on; choose two such lines")
        self.on_top.clicked.connect(commands.top_of)
        self.top_row = row("", self.on_top)
        for one in (self.name_row, self.direction_row, self.known_row, self.top_row):
            self.lines.add(one)
        self.below = self.add(self.lines, f"{AT}/known_below")
        self.below.field.clicked.connect(lambda _: self._again())
        self.top_mm = self.add(self.lines, f"{AT}/surface_mm", kind=BoundNumber)
        self.top_mm.field.edited.connect(lambda _: self._again())
        self.stand = button("Click where it stands", lambda: commands.take("stands here"), tip="The middle of the scene is seen there")
        self.lines.add(row("Stands", self.stand))
        self.grid = Choice()
        self.grid.setAccessibleName("Grid")
        self.grid.chosen.connect(self._grid)
        self.lines.add(row("Grid", self.grid))
        self.nudge = button("Nudge by hand", lambda: commands.take("grid"), "link", "Drag the grid, turn, tilt, roll, change the lens")
        self.follow = button("Follow the bows", commands.follow, "link", "Lines follow their edges, so that the lens’s bend is found")
        self.lines.add(button_row(self.nudge, self.follow))
        self.straight = self.add(self.lines, f"{AT}/straight")
        self.straight.field.chosen.disconnect()
        self.straight.field.chosen.connect(commands.straight)
        sticks = self.section("Shadow stick", "frame/stick")
        self.stick = button("Mark foot, top and shadow", lambda: commands.take("shadow stick"))
        sticks.add(button_row(self.stick))
        self.sun_words = label("", wrap=True)
        self.sun_words.setContentsMargins(15, 0, 0, 0)
        sticks.add(self.sun_words)
        self.turn = button("Turn the light to it", commands.turn_light, "link", "The dome’s brightest place, or the sky’s sun, goes there")
        self.sun = button("Make a sun", commands.make_sun, "link", "A lamp of its own shines from there")
        sticks.add(button_row(self.turn, self.sun))
        self.guess = button("Guess a dome from the colours", commands.guess_dome, "link", "A start, no measurement")
        sticks.add(button_row(self.guess))
        grey = self.section("Grey patch", "frame/patch")
        self.patch = button("Drag over grey", lambda: commands.take("grey patch"))
        self.match = button("Match again", commands.match_patch, "link")
        grey.add(button_row(self.patch, self.match))
        self.value = self.add(grey, f"{AT}/patch/value")
        self.exposure = self.add(grey, "cameras/{camera}/exposure_stops")
        self.white, self.tint = self.add(grey, "cameras/{camera}/kelvin"), self.add(grey, "cameras/{camera}/tint")
        catch = self.section("Shadow catchers", "frame/catchers")
        self.floor = QCheckBox("Floor")
        self.floor.clicked.connect(commands.catch_floor)
        self.tone = QCheckBox("gives its tone back")
        self.tone.setToolTip("The product is lit from below by what the photograph shows there")
        self.tone.clicked.connect(commands.give_tone)
        catch.add(button_row(self.floor, self.tone))
        self.wall = button("Wall through the line", commands.wall, "link", "The chosen line is where it meets the floor")
        self.box = button("Box", lambda: commands.take("shadow box"), "link", "Catches shadow, and hides what stands behind it")
        self.cut = button("Cut out", lambda: commands.take("cut out"), "link", "Outline a thing that stands before the product")
        catch.add(button_row(self.wall, self.box, self.cut))
        self.cuts = label("", wrap=True)
        self.cuts.setContentsMargins(15, 0, 0, 0)
        catch.add(self.cuts)
        self.uncut = button("Take the last outline away", self._uncut, "link")
        self.uncut_row = button_row(self.uncut)
        catch.add(self.uncut_row)
        self.remove = button("Take the photograph away", commands.remove, "link")
        self.remove_row = button_row(self.remove)
        self.body.addWidget(self.remove_row)
        self.body.addStretch(1)
        photo.changed.connect(lambda: self.isVisible() and self.refresh())

    def show_document(self) -> None:
        """What there is of it."""
        photo, shot, session = self.photo.photo, self.photo.shot, self.session
        self.title.setText(session.shot.name if session.shot else "No shot")
        self.file.setText(photo.file if photo is not None else "Choose a photograph…")
        for section in self.inner.findChildren(QWidget, options=Qt.FindChildOption.FindDirectChildrenOnly):
            if section not in (self.title, self.none):
                section.setVisible(photo is not None)
        for made in (self.shows, self.strength, self.stops, self.mirrored):
            made.set_visible(photo is not None)
        self.lens_row.setVisible(photo is not None and photo.focal_mm > 0)
        if photo is None or shot is None:
            return
        line = self.photo.line
        self.lens.setText(f"The file says {show(photo.focal_mm, 'mm', 1)}; use it")
        self.lens.setToolTip(f"On a sensor {show(photo.sensor_mm, 'mm', 1)} wide" if photo.sensor_mm else "It does not tell the sensor")
        for one in (self.name_row, self.direction_row, self.known_row, self.top_row):
            one.setVisible(line is not None)
        if line is not None:
            if not self.name.hasFocus():
                self.name.setText(line.name)
            self.direction.fill([("First", 1), ("Second", 2), ("Upright", 3)], line.direction)
            self.known.set_value(photo.known_mm if photo.known == line.id else 0.0)
            self.on_top.setChecked(line.id in photo.surface)
            self.top_row.setVisible(line.direction != 3)
        self.below.set_visible(bool(photo.surface))
        self.top_mm.set_visible(bool(photo.surface) and photo.known_below)
        self.grid.fill([("None", "none"), ("On the floor", "floor"), ("On the line’s wall", "wall")], self.photo.grid)
        self.straight.set_visible(abs(photo.bend) > 1e-6)
        self.follow.setVisible(len(photo.lines) > 2)
        sun = self.commands.sun()
        self.turn.setVisible(sun is not None)
        self.sun.setVisible(sun is not None)
        self.sun_words.setVisible(bool(photo.sticks))
        if sun is not None:
            count = len(photo.sticks)
            spread = f", {count} sticks within {sun.spread:.1f}°" if count > 1 else ""
            wide = f", its light {sun.width:.1f}° wide" if sun.width else ""
            self.sun_words.setText(f"Sun {sun.elevation:.0f}° high, azimuth {sun.azimuth:.0f}°{spread}{wide}")
        elif photo.sticks:
            self.sun_words.setText("The sticks do not fit the camera: their feet lie above the horizon, or their tips above their tops.")
        self.match.setVisible(photo.patch is not None)
        self.value.set_visible(photo.patch is not None)
        floor = session.resolved.floor
        self.floor.setChecked(floor.kind == "shadow")
        self.tone.setEnabled(floor.kind == "shadow")
        self.tone.setChecked(floor.gives_back)
        self.wall.setEnabled(line is not None and line.direction != 3)
        self.cuts.setText(", ".join(c.name for c in photo.cutouts))
        self.cuts.setVisible(bool(photo.cutouts))
        self.uncut_row.setVisible(bool(photo.cutouts))
        for tool, held in (("sight line", self.draw), ("shadow stick", self.stick), ("grey patch", self.patch), ("stands here", self.stand)):
            held.setProperty("held", session.tool == tool)

    def _grid(self, which: str) -> None:
        self.photo.grid = which
        self.photo.picture.update()

    def _again(self) -> None:
        """The camera anew, after a number that it follows from."""
        self.photo.edit("Height of what it stands on", lambda d, s: d, True)

    def _uncut(self) -> None:
        self.photo.mark("Took an outline away", lambda p: replace(p, cutouts=p.cutouts[:-1]))


def found_words(photo: PhotoDesk) -> list[tuple[str, str]]:
    """What was found, as the bench tells it: a word and what it is."""
    held, found = photo.photo, photo.found()
    if held is None:
        return []
    if found is None:
        return [("Camera", photo.trouble or "Draw two edges that are parallel in reality, and edges in another direction")]
    camera = found.camera
    told = [("Lens found" if found.lens_found else "Lens taken", show(found.focal_length_mm, "mm", 1))]
    height = show(camera.position[2], "mm", 0)
    told.append(("Camera height", height if found.scale_found else f"{height}, no length known"))
    worst = max(found.residuals)
    told.append(("Off by", f"{found.mean_px:.1f} px, {worst:.1f} at most"))
    if found.middle_found:
        told.append(("Middle", f"shifted {100 * camera.shift_x:+.1f} %, {100 * camera.shift_y:+.1f} %"))
    if abs(camera.bend) > 1e-6:
        told.append(("Lens bend", f"{camera.bend:+.3f}"))
    if abs(camera.roll) > 0.05 and not math.isnan(camera.roll):
        told.append(("Roll", f"{camera.roll:+.1f}°"))
    bad = [held.lines[k].name for k in found.bad if k < len(held.lines)]
    if bad:
        told.append(("Look at", ", ".join(bad) + (" fits badly" if len(bad) == 1 else " fit badly")))
    told += [("But", note) for note in found.notes]
    return told
