"""Cameras and shots: making, duplicating, deleting, locking; what is sharp."""

from msgspec.structs import replace

from aulmo.desk.shell.stage import Desk
from aulmo.document import edits
from aulmo.document.records import Camera, Shot


class FrameCommands:
    """The commands on cameras and shots."""

    def __init__(self, desk: Desk) -> None:
        self.desk, self.session = desk, desk.session

    def register(self, page) -> None:
        """The commands, once the page is there."""
        desk, s, add = self.desk, self.session, self.desk.registry.add
        add("shot_view", "Shot’s camera", "View", "0", lambda: s.set_view(None), desk.working)
        add("take_view", "Give this view to the shot’s camera", "View", "", page.take_view, lambda: desk.working() and s.free_view is not None)
        add("grid", "Thirds grid", "View", "", self.toggle_grid, desk.working)
        add("focus", "Click what should be sharp", "View", "", self.take_focus, desk.working)
        framing = lambda: desk.working() and s.stage == "Frame"  # noqa: E731
        desk.registry.handle("duplicate", framing, self.duplicate)
        desk.registry.handle("delete", framing, self.delete)
        add("new_shot", "New shot from this view", "Stage", "", self.new_shot, desk.working, break_before=True)
        add("duplicate_shot", "Duplicate the shot", "Stage", "", self.duplicate, desk.working)
        add("lock_camera", "Lock or unlock the shot’s camera", "Stage", "", self.lock, desk.working)

    def toggle_grid(self) -> None:
        """Thirds over the frame."""
        self.desk.picture.grid = not self.desk.picture.grid
        self.desk.picture.update()

    def take_focus(self) -> None:
        """Click what should be sharp."""
        self.session.set_stage("Frame")
        self.session.set_tool("focus")

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
