"""Cameras and shots: making, duplicating, deleting, locking; what is sharp, what is in the way; the contact sheet."""

from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PySide6.QtWidgets import QFileDialog

from aulmo.desk.shell.stage import Desk
from aulmo.document import edits
from aulmo.document.file_names import file_name
from aulmo.document.properties import about
from aulmo.document.quantity import counted
from aulmo.document.records import Camera, Shot
from aulmo.frame.matching import level


class FrameCommands:
    """The commands on cameras and shots."""

    def __init__(self, desk: Desk) -> None:
        self.desk, self.session = desk, desk.session
        self.photographs: Any = None
        self.photo: Any = None

    def register(self, page) -> None:
        """The commands, once the page is there."""
        desk, s, add = self.desk, self.session, self.desk.registry.add
        add("shot_view", "Shot’s camera", "View", "0", lambda: s.set_view(None), desk.working)
        add("take_view", "Give this view to the shot’s camera", "View", "", page.take_view, lambda: desk.working() and s.free_view is not None)
        add("grid", "Thirds and other guides", "View", "", self.next_guides, desk.working)
        add("focus", "Click what should be sharp", "View", "", self.take_focus, desk.working)
        framing = lambda: desk.working() and s.stage == "Frame"  # noqa: E731
        desk.registry.handle("duplicate", framing, self.duplicate)
        desk.registry.handle("delete", framing, self.delete)
        add("look_at", "Click what the camera looks at", "View", "", self.take_look, desk.working)
        add("level", "Level the camera: upright by shift", "View", "", self.level, desk.working)
        add("hide_between", "Hide what stands between", "View", "", self.hide_between, desk.working)
        add("show_between", "Show what stands between again", "View", "", self.show_between, desk.working)
        add("contact_sheet", "Contact sheet of all shots…", "File", "", self.contact_sheet, desk.working)
        add("new_shot", "New shot from this view", "Stage", "", self.new_shot, desk.working, break_before=True)
        add("duplicate_shot", "Duplicate the shot", "Stage", "", self.duplicate, desk.working)
        add("lock_camera", "Lock or unlock the shot’s camera", "Stage", "", self.lock, desk.working)

    def next_guides(self) -> None:
        """Thirds, golden, diagonals, centre, none."""
        shot = self.session.shot
        if shot is not None:
            kinds = list(about("shots/x/guides").choices)
            self.session.put({f"shots/{shot.id}/guides": kinds[(kinds.index(shot.guides) + 1) % len(kinds)]}, told="Guides")

    def take_focus(self) -> None:
        """Click what should be sharp."""
        self.session.set_stage("Frame")
        self.session.set_tool("focus")

    def take_look(self) -> None:
        """Click what the camera should look at."""
        self.session.set_stage("Frame")
        self.session.set_tool("look at")

    def level(self) -> None:
        """Look level, and show by shift what was shown by tilt."""
        session, shot = self.session, self.session.shot
        camera = session.camera
        made = session.attempt(lambda: level(camera, (shot.width, shot.height) if shot is not None else (4, 3)))
        if made is not None:
            address = f"cameras/{camera.id}"
            values = {f"{address}/{key}": getattr(made, key) for key in ("target", "roll", "shift_x", "shift_y")}
            session.put(values, told=f"Levelled {camera.name}")

    def hide_between(self) -> None:
        """What stands between the shot's camera and what it looks at is left out of its sight; it still lights and shades."""
        session, picture = self.session, self.desk.picture
        found = picture.between(session.camera)
        if not found:
            session.hint.emit("Nothing stands between the camera and what it looks at")
            return
        session.put({f"parts/{i}/unseen": "between" for i in found}, told=f"Hid {counted(len(found), 'part')} that may stand between")

    def show_between(self) -> None:
        """All of it is seen again."""
        hidden = [i for i, p in self.session.document.parts.items() if p.unseen != "never"]
        if hidden:
            self.session.put({f"parts/{i}/unseen": "never" for i in hidden}, told="Show what stands between")
        else:
            self.session.hint.emit("Nothing is hidden from the camera")

    def contact_sheet(self) -> None:
        """All shots side by side as PDF or PNG."""
        session = self.session
        stem = Path(self.desk.folder()) / f"{file_name(session.document.name)} contact sheet.pdf"
        path, _ = QFileDialog.getSaveFileName(self.desk.window, "Contact sheet", str(stem), "Contact sheet (*.pdf *.png)")
        if path:
            self.write_sheet(Path(path))

    def write_sheet(self, path: Path) -> None:
        """The same to a file, in the background."""
        session = self.session
        document, assets = session.document, session.assets

        def work(task: Any) -> None:
            from aulmo.deliver.contact_sheet import write_sheet

            write_sheet(document, assets, path, lambda share: task.tell(f"Contact sheet {path.name}", share))

        session.start_task(f"Contact sheet {path.name}", work, lambda _: session.hint.emit(f"Wrote {path.name}"))

    def lock(self) -> None:
        """Lock or unlock the shot's camera."""
        camera = self.session.camera
        told = f"{'Unlocked' if camera.locked else 'Locked'} {camera.name}"
        self.session.put({f"cameras/{camera.id}/locked": not camera.locked}, told=told)

    def new_shot(self) -> None:
        """A new camera where the view is, and a shot through it."""
        session, document = self.session, self.session.document
        view, shot = session.view, session.shot
        camera = replace(view, id=edits.new_id(), name=edits.free_name("Camera", (c.name for c in document.cameras.values())), locked=False)
        name = edits.free_name("Shot", (s.name for s in document.shots))
        made = replace(shot, id=edits.new_id(), name=name, camera=camera.id) if shot else Shot(id=edits.new_id(), name=name, camera=camera.id)
        session.apply(f"New shot {name}", edits.put_shot(edits.put_camera(document, camera), made))
        session.set_shot(made.id)

    def duplicate(self) -> None:
        """The shot again, with a camera of its own."""
        shot = self.session.shot
        if shot is None:
            return
        document = self.session.document
        source: Camera = document.cameras[shot.camera]
        camera = replace(source, id=edits.new_id(), name=edits.free_name(source.name, (c.name for c in document.cameras.values())), locked=False)
        made = replace(shot, id=edits.new_id(), name=edits.free_name(shot.name, (s.name for s in document.shots)), camera=camera.id)
        self.session.apply(f"Duplicated {shot.name}", edits.put_shot(edits.put_camera(document, camera), made))
        self.session.set_shot(made.id)

    def delete(self) -> None:
        """Delete the shot, and its camera when no other shot needs it."""
        shot, document = self.session.shot, self.session.document
        if shot is None:
            return
        if len(document.shots) == 1:
            self.session.trouble.emit("A project keeps at least one shot.")
            return
        if document.cameras[shot.camera].locked:
            self.session.trouble.emit(f"{document.cameras[shot.camera].name} is locked; unlock it first.")
            return
        document = replace(document, shots=tuple(s for s in document.shots if s.id != shot.id))
        if not any(s.camera == shot.camera for s in document.shots):
            document = edits.delete_camera(document, shot.camera)
        self.session.apply(f"Deleted {shot.name}", document)
        self.session.set_shot(document.shots[0].id)
