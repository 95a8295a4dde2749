"""Pictures dropped on parts: looked at, told apart, offered on the card."""

from pathlib import Path
from typing import Any

from PySide6.QtCore import QPoint

from aulmo.desk.picture.drops import surface_under, told
from aulmo.desk.surface.set_card import SetCard
from aulmo.document.quantity import counted
from aulmo.surface.picture import ENDINGS
from aulmo.surface.picture_set import numbered, pictures_in, recognised, sequence

STAGES = ("Prepare", "Surface")  # where a picture dropped on a part is for its surface


class PictureDrops:
    """Takes pictures and folders of them that are dropped on a part."""

    def __init__(self, picture: Any, card: SetCard) -> None:
        self.picture, self.session, self.card = picture, picture.session, card

    def _surface(self, at: QPoint) -> str | None:
        part = self.picture.part_at(at)
        if part is None or part not in self.session.document.parts:
            return None
        hit = self.picture.pick(at)
        return surface_under(self.session.document, part, hit.face if hit is not None else None)

    def _for_me(self, files: list[Path]) -> bool:
        known = (*(e for e in ENDINGS if e not in (".exr", ".hdr")), *((".exr", ".hdr") if self.session.stage == "Surface" else ()))
        return self.session.stage in STAGES and bool(files) and all(p.suffix.lower() in known or p.is_dir() for p in files)

    def words(self, files: list[Path], at: QPoint) -> tuple[str, str] | None:
        """What a drop will do."""
        if not self._for_me(files):
            return None
        surface = self._surface(at)
        name = files[0].name if len(files) == 1 else counted(len(files), "picture")
        return name, f"drop: lay on {told(self.session.document, [surface])}" if surface else "needs a part to lie on"

    def take(self, files: list[Path], at: QPoint) -> bool:
        """Look at the pictures in the background, then offer the card."""
        if not self._for_me(files) or (files[0].suffix.lower() == ".svg" and self._surface(at) is None):
            return False
        surface = self._surface(at)
        if surface is None:
            self.session.hint.emit("Drop a picture on a part")
            return True
        self.look_at(files, [surface], at)
        return True

    def look_at(self, files: list[Path], addresses: list[str], at: QPoint) -> None:
        """Tell a set apart for surfaces by address."""
        folder = sorted(p for p in files[0].iterdir() if p.is_file()) if len(files) == 1 and files[0].is_dir() else files
        run = numbered(folder)
        paths, sentence = (run[:1], "") if run else pictures_in(files)
        if not paths:
            self.session.trouble.emit("There are no pictures in it." if files and files[0].is_dir() else "That is no picture Aulmo reads.")
            return
        assets = self.session.assets

        def done(result: tuple) -> None:
            found, trouble = result
            if sentence:
                trouble = [sentence, *trouble]
            if not found:
                self.session.trouble.emit(trouble[0] if trouble else "None of the pictures can be read.")
                return
            self.card.offer(found, paths, addresses, at, trouble)

        rate = self.session.document.frames_per_second
        look = (lambda task: sequence(assets, run, rate)) if run else (lambda task: recognised(assets, paths))
        self.session.start_task("Looking at pictures", look, done)
