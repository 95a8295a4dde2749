"""Sections of Prepare's page for what is made by numbers: a set piece's sizes, a copies rule."""

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from aulmo.desk.shell.bound import BoundSlider
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, button, label, row
from aulmo.document.made import copies
from aulmo.document.made.set_pieces import SIZES
from aulmo.document.quantity import counted, grouped, parse
from aulmo.document.records import Part

# what each rule reads, besides its count
READS = {
    "row": ("step",), "grid": ("columns", "rows", "step"), "ring": ("radius", "sweep", "axis", "centre", "turned"),
    "path": ("path", "turned", "upright", "anchor"), "box": ("box", "centre", "apart", "anchor"), "ball": ("radius", "centre", "apart", "anchor"),
    "surface": ("on", "apart", "upright", "steepest", "anchor"),
}  # fmt: skip
ORDER = ("text", "width", "depth", "height", "radius", "radius_top", "thickness", "bevel", "wind", "wave", "seed")
ALWAYS = ("jitter_place", "jitter_turn", "jitter_size", "seed")


def _without_defaults(rows: dict) -> None:
    """What was made to measure has no sizes worth going back to."""
    for made in rows.values():
        made.default = None


class PieceSection:
    """The sizes of a set piece, those of its kind alone."""

    def __init__(self, page: Page) -> None:
        self.section = page.section("Set piece")
        self.rows = {name: page.add(self.section, f"parts/{{part}}/set_piece/{name}") for name in ORDER}
        _without_defaults(self.rows)

    def show_part(self, part: Part | None) -> None:
        """Rows of what is selected."""
        piece = part.set_piece if part is not None else None
        self.section.setVisible(piece is not None)
        for name, made in self.rows.items():
            made.set_visible(piece is not None and name in SIZES[piece.kind])


class CopiesSection:
    """A copies rule: how many, where, how much astray."""

    def __init__(self, page: Page, session: Session, registry_run) -> None:
        self.session = session
        self.section = page.section("Copies")
        self.trouble = label("", "", wrap=True)
        self.trouble.setContentsMargins(9, 0, 0, 2)
        self.section.add(self.trouble)
        self.rows = {"kind": page.add(self.section, "parts/{part}/copies/kind")}
        self.rows["count"] = page.add(self.section, "parts/{part}/copies/count", kind=BoundSlider)
        self.path, self.on = Choice(), Choice()
        self.path.setAccessibleName("Path")
        self.path.chosen.connect(lambda chosen: self._put("path", chosen))
        self.on.setAccessibleName("Lies on")
        self.on.chosen.connect(lambda chosen: self._put("on", (chosen,) if chosen else ()))
        self.path_row, self.on_row = row("Path", self.path), row("Lies on", self.on)
        self.section.add(self.path_row)
        self.section.add(self.on_row)
        self.shares = QLineEdit()
        self.shares.setAccessibleName("Shares")
        self.shares.setToolTip("How often each source is taken, in their order: 3, 1 takes the first three times as often")
        self.shares.editingFinished.connect(self._shared)
        self.shares_row = row("Shares", self.shares)
        self.section.add(self.shares_row)
        for name in (*dict.fromkeys(n for names in READS.values() for n in names if n not in ("path", "on")), *ALWAYS):
            self.rows[name] = page.add(self.section, f"parts/{{part}}/copies/{name}")
        _without_defaults(self.rows)
        tools = QWidget()
        line = QHBoxLayout(tools)
        line.setContentsMargins(9, 4, 0, 0)
        line.addWidget(button("Make separate", lambda: registry_run("separate"), "", "The copies become parts of their own"))
        self.centre = button("Click centre…", lambda: registry_run("copies_centre"), "", "A rim gives its middle and its axis")
        line.addWidget(self.centre)
        self.hide = button("Hide this copy", lambda: registry_run("hide_copy"))
        self.show = button("Show all", lambda: registry_run("show_copies"))
        line.addWidget(self.hide)
        line.addWidget(self.show)
        line.addStretch(1)
        self.section.add(tools)

    def _shared(self) -> None:
        if not self.shares.isModified():
            return
        self.shares.setModified(False)
        words = [w for w in self.shares.text().replace(";", ",").split(",") if w.strip()]
        shares = self.session.attempt(lambda: tuple(parse(w, "", 0.0, 1e9) for w in words))
        if shares is not None:
            self._put("shares", shares)

    def _put(self, name: str, value) -> None:
        chosen = self.session.selection
        if len(chosen) == 1:
            self.session.put({f"parts/{chosen[0]}/copies/{name}": value})

    def show_part(self, part: Part | None) -> None:
        """Rows of what is selected."""
        rule = part.copies if part is not None else None
        self.section.setVisible(rule is not None)
        for name, made in self.rows.items():
            made.set_visible(rule is not None and (name in ("kind", "count", *ALWAYS) or name in READS[rule.kind]))
        self.path_row.setVisible(rule is not None and rule.kind == "path")
        self.on_row.setVisible(rule is not None and rule.kind == "surface")
        self.shares_row.setVisible(rule is not None and part is not None and len(copies.sources_of(self.session.document, part.id)) > 1)
        if rule is None or part is None:
            return
        document = self.session.document
        if not self.shares.isModified():
            self.shares.setText(", ".join(f"{share:g}" for share in rule.shares))
        if rule.kind == "path":
            self.path.fill([("none", None), *((p.name, p.id) for p in document.paths.values())], rule.path)
        if rule.kind == "surface":
            current = rule.on[0] if rule.on else None
            others = [(p.name, p.id) for p in document.parts.values() if (p.mesh or p.id in rule.on) and p.parent != part.id][:400]
            self.on.fill([("nothing", None), *others], current)
        made = sum(1 for i in self.session.resolved.parts[part.id].children if ":" in i)
        wrong = copies.trouble(document).get(part.id, "")
        said = wrong or (f"Room for {grouped(made)} of {grouped(rule.count)}" if made < rule.count else "")
        copy = self.session.copy
        if copy and not said:
            said = f"Copy {copies.number_of(copy) + 1} of {counted(made, 'copy', 'copies')} was clicked"
        self.trouble.setText(said)
        self.trouble.setVisible(bool(said))
        self.hide.setVisible(bool(copy))
        self.centre.setVisible("centre" in READS[rule.kind] and not copy)
        self.show.setVisible(bool(rule.hidden))
