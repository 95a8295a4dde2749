"""The commands of Move: playing, keys, motions, cuts, the way from outside, a film as a file."""

from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace
from PySide6.QtWidgets import QFileDialog, QInputDialog

from aulmo.deliver.film import plan, size_of
from aulmo.deliver.job import Job, add, by_names, film_record
from aulmo.deliver.movie import coder_for
from aulmo.deliver.proposed_pace import key_times, proposed
from aulmo.deliver.qualities import settings_of, size_for
from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.move.player import Player
from aulmo.desk.move.preview import Preview
from aulmo.desk.picture.view_motion import orbit
from aulmo.desk.shell import session as session_module
from aulmo.desk.shell.stage import Desk
from aulmo.desk.shell.task import finish
from aulmo.document.file_names import file_name
from aulmo.document.meshes import corners_of
from aulmo.document.property_table import MOTION_KINDS
from aulmo.document.quantity import counted, show
from aulmo.motion.timecode import time_of
from aulmo.motion.ways import way
from aulmo.prepare.arrange import frame_points, product_bounds


class MoveCommands:
    """What is done in Move, by menus, keys and the finder."""

    def __init__(self, desk: Desk, film: FilmDesk, player: Player, preview: Preview) -> None:
        self.desk, self.film, self.player, self.preview = desk, film, player, preview
        self.beside: Any = None
        self.bench: Any = None

    def register(self) -> None:
        """All of them."""
        desk, film, s, add = self.desk, self.film, self.desk.session, self.desk.registry.add
        working = desk.working
        add("play", "Play or stop", "Film", "Space", self.play, working)
        add("previous_key", "Previous key", "Film", ",", lambda: film.step_key(False), working)
        add("next_key", "Next key", "Film", ".", lambda: film.step_key(True), working)
        add("film_start", "To the beginning", "Film", "Home", lambda: s.set_time(s.document.film.play_start), working)
        add("key", "Set or remove a key", "Film", "K", film.set_keys, working, break_before=True)
        add("record", "Record", "Film", "", lambda: s.set_recording(not s.recording), working)
        add("keys_reverse", "Turn chosen keys round", "Film/Keys", "", lambda: film.arrange("reverse"), working)
        add("keys_mirror", "Chosen keys there and back", "Film/Keys", "", lambda: film.arrange("mirror"), working)
        add("keys_align", "Align chosen keys to this moment", "Film/Keys", "", lambda: film.arrange("align"), working)
        add("keys_even", "Same speed throughout", "Film/Keys", "", lambda: film.arrange("even"), working)
        add("keys_space", "Even gaps between chosen keys", "Film/Keys", "", lambda: film.arrange("space"), working)
        add("keys_length", "Chosen keys in one length…", "Film/Keys", "", self.ask_length, working)
        add("keys_shift", "Shift chosen keys by…", "Film/Keys", "", self.ask_shift, working)
        desk.registry.add_shared("cut", "Cut", "Edit", "Ctrl+X")
        moving = lambda: working() and s.stage == s.film_stage  # noqa: E731
        desk.registry.handle("copy", moving, film.copy, sooner=True)
        desk.registry.handle("cut", moving, lambda: film.copy(cut=True), sooner=True)
        desk.registry.handle("paste", moving, film.paste, sooner=True)
        add("follow_part", "Follow a part that is clicked", "Film", "", lambda: s.set_tool("leader"), lambda: working() and bool(s.selection))
        add("pace", "Propose a pace from what each key of the camera shows", "Film/Keys", "", self.propose_pace, working, True)
        add("marker", "Name this moment", "Film", "", film.put_marker, working)
        add("group_lanes", "Gather lanes under a name", "Film", "", film.group, working)
        for k, (kind, name) in enumerate(MOTION_KINDS.items()):
            add(f"motion_{kind}", f"Add motion: {name.lower()}", "Film/Add motion", "", lambda k=kind: self.add_motion(k), working, k == 0, name)
        add("drive", "Drive what is selected by hand", "Film", "", self.drive, lambda: working() and bool(s.selection))
        add("cut_here", "Cut to the shot in the strip here", "Film", "", self.cut_here, working, break_before=True)
        add("outside", "The scene from outside", "View", "", self.outside, working)
        add("preview", "Preview film", "Film", "", lambda: self.preview.start(), working)
        add("preview_traced", "Preview film, traced in the preview’s quality", "Film", "", lambda: self.preview.start(traced=True), working)
        add("film_file", "Film as a file…", "Film", "", self.film_file, working)
        can = lambda: working() and s.stage == s.film_stage and film.can_delete()  # noqa: E731
        desk.registry.handle("delete", can, film.delete, sooner=True)

    def _asked(self, title: str, words: str, given: str) -> float | None:
        """A time that is typed as seconds, frames or timecode; None where it is left or makes no sense."""
        text, right = QInputDialog.getText(self.desk.window, title, words, text=given)
        if not right:
            return None
        found = self.desk.session.attempt(lambda: time_of(text, self.desk.session.document.frames_per_second))
        return None if found is None else float(found)

    def ask_length(self) -> None:
        """One length for the chosen keys of each lane."""
        length = self._asked("Chosen keys in one length", "From the first to the last: seconds, frames (48 f) or timecode (2:00)", "2 s")
        if length is not None:
            self.film.last(length)

    def ask_shift(self) -> None:
        """The chosen keys later, or earlier."""
        by = self._asked("Shift chosen keys", "Later by, or with a minus earlier: seconds, frames (12 f) or timecode (0:12)", "0.5 s")
        if by is not None and self.film.chosen:
            self.film.move(self.film.document, self.film.chosen, by, False, None)

    def propose_pace(self) -> None:
        """Keys of the shot's camera at the pace that what they show asks for, worked out beside."""
        session = self.desk.session
        document, assets, shot = session.document, session.assets, session.shot
        if shot is None:
            return

        def work(task: Any) -> Any:
            return proposed(document, assets, shot, task.tell)

        def done(made: Any) -> None:
            if session.document is document and made is not document:
                session.apply("A pace from what each key shows", made)
                count, end = len(key_times(made, shot.camera)), key_times(made, shot.camera)[-1]
                session.hint.emit(f"{counted(count, 'key')}, the last at {show(end, 's', 1)}: each rests by what is new in it")

        session.start_task("Looking at what each key shows", work, done)

    def play(self) -> None:
        """Play in Move, whichever stage one is in."""
        if self.desk.session.stage != self.desk.session.film_stage:
            self.desk.session.set_stage(self.desk.session.film_stage)
        self.player.toggle()

    def add_motion(self, kind: str) -> None:
        """A motion of a kind for what is selected."""
        self.desk.session.set_stage(self.desk.session.film_stage)
        self.film.add_motion(kind)

    def drive(self) -> None:
        """Take the wheel of what is selected."""
        self.desk.session.set_stage(self.desk.session.film_stage)
        self.desk.session.set_tool("drive")
        self.desk.picture.setFocus()

    def cut_here(self) -> None:
        """Cut to the shot in the strip."""
        shot = self.desk.session.shot
        if shot is not None:
            self.film.cut_here(shot.id)

    def outside(self) -> None:
        """Look at the scene, camera and way from farther off, or through the shot's camera again."""
        session = self.desk.session
        if session.outside or (session.free_view is not None and session.stage == session.film_stage):
            session.set_view(None)
            return
        camera, document = session.camera, session.document
        box = product_bounds(session.resolved, session.assets)
        middle = 0.5 * (box[0] + box[1]) if box is not None else self.desk.picture.surroundings().middle
        film = document.film
        points = way(document, f"cameras/{camera.id}", np.linspace(film.start, film.end, 33)) if camera.id in document.cameras else middle[None]
        points = np.concatenate([points, np.array(corners_of(*box)) if box is not None else middle[None]])
        seen = replace(
            camera, id="", name="Outside", target=tuple(float(v) for v in middle), focal_length_mm=32.0, shift_x=0.0, shift_y=0.0, roll=0.0,
            keeps_target=False, looks_at=None, depth_of_field=False, motion_blur=False, projection="perspective",
        )  # fmt: skip
        frame = self.desk.picture.frame_rect()
        seen = frame_points(orbit(seen, middle, 150.0, 24.0), points, frame.width() / max(1, frame.height()), 0.62)
        session.set_outside(replace(seen, shift_x=0.16))  # the shot's own view stands at the right
        if session.shot is not None and not session.selection:
            session.select((), f"cameras/{session.shot.camera}")

    def film_file(self) -> None:
        """The film into a file or a folder, as a job of the list."""
        stem = Path(self.desk.folder()) / f"{file_name(self.desk.session.document.name)}.mp4"
        path, _ = QFileDialog.getSaveFileName(self.desk.window, "Film as a file", str(stem), "Film (*.mp4 *.webm *.gif *.webp)")
        if path:
            self.write_film(Path(path))

    def write_film(self, path: Path) -> Job | None:
        """The same to a path; stopped or killed, it goes on."""
        session = self.desk.session
        document, assets, shot = session.document, session.assets, session.shot
        if shot is None:
            session.trouble.emit("A film needs a shot.")
            return None

        def run() -> Job:
            coder_for(path)
            size = size_of(document, plan(document, shot=shot))
            span = (document.film.start, document.film.end)
            own = {a: c for a, c in session.picks.items() if shot.picks.get(a) != c}  # what shots have picked for themselves stays theirs
            variant = {name: choice for name, choice in by_names(document, own).items() if choice}
            size, settings = size_for(document.render, "film", size), settings_of(document.render, "film")
            record = film_record(document, shot, size, settings, path, span, variant, session.own_path)
            return add(document, assets, record, session_module.JOBS)

        job = session.attempt(lambda: finish(run))
        if job is not None:
            session.hint.emit(f"{path.name} is in the list of renders; it goes on by itself")
        return job
