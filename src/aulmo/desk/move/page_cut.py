"""A cut of the reel in Details: to which shot, from when, how long it dissolves."""

from typing import Any

from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.shell.details import Page
from aulmo.desk.widgets.fields import Choice, NumberField, button, button_row, label, row
from aulmo.document.quantity import show
from aulmo.motion import reel


class CutPage(Page):
    """The cut that is selected."""

    def __init__(self, desk: FilmDesk) -> None:
        super().__init__(desk.session)
        self.desk = desk
        self.words = label("", wrap=True)
        self.words.setContentsMargins(9, 0, 0, 2)
        self.body.addWidget(self.words)
        what = self.section("Cut", "cut")
        self.shot = Choice()
        self.shot.setAccessibleName("Shot of the cut")
        self.shot.chosen.connect(lambda v: self._change("Another shot", shot=v))
        what.add(row("Shot", self.shot))
        self.start, self.dissolve = NumberField("s", -1e5, 1e5, 2), NumberField("s", 0, 1e4, 2)
        self.start.setAccessibleName("From")
        self.dissolve.setAccessibleName("Dissolve")
        self.start.edited.connect(lambda v: self._change("Moved a cut", start=v))
        self.dissolve.edited.connect(lambda v: self._change(f"Dissolves {show(v, 's', 2)}", dissolve=v))
        what.add(row("From", self.start))
        what.add(row("Dissolve", self.dissolve, tip="The shot before fades into this one"))
        what.add(button_row(button("Look through it", self._look, "link"), button("Delete", desk.delete, "link", "Del")))
        self.body.addStretch(1)

    def _change(self, told: str, **fields: Any) -> None:
        cut = self.desk.cut
        if cut is not None:
            self.desk.run(told, lambda: reel.change_cut(self.session.document, cut.id, **fields))
            self.refresh()

    def _look(self) -> None:
        cut = self.desk.cut
        if cut is not None:
            self.session.set_shot(cut.shot)
            self.session.set_time(cut.start)

    def show_document(self) -> None:
        """Bring it up to date."""
        cut, document = self.desk.cut, self.session.document
        if cut is None:
            return
        shots = {s.id: s.name for s in document.shots}
        order = reel.cuts(document)
        at = next((k for k, c in enumerate(order) if c.id == cut.id), 0)
        end = order[at + 1].start if at + 1 < len(order) else document.film.end
        self.title.setText(shots.get(cut.shot, "A shot that is gone"))
        self.words.setText(f"Seen from {show(cut.start, 's', 2)} to {show(end, 's', 2)}")
        self.shot.fill([(name, i) for i, name in shots.items()], cut.shot)
        self.start.set_value(cut.start)
        self.start.setEnabled(at > 0)
        self.dissolve.set_value(cut.dissolve)
        self.dissolve.setEnabled(at > 0)
