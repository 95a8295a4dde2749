"""Prepare's bench, the face for cutting: picking faces, taking them off or dressing them, taking parts apart, joining them."""

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from aulmo.desk.prepare.faces_tool import GROWS, FacesTool
from aulmo.desk.shell.bench import BenchBody, BenchHead, under_head
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import NumberField, Segments, button, label
from aulmo.document.quantity import counted


class CutBench(QWidget):
    """Left: faces. Right: whole parts."""

    def __init__(self, session: Session, tool: FacesTool, commands) -> None:
        super().__init__()
        self.session, self.tool = session, tool
        self.head = BenchHead("Cut")
        self.words = label("")
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        left = QVBoxLayout()
        left.setSpacing(6)
        left.addWidget(label("Faces"))
        line = QHBoxLayout()
        line.setSpacing(5)
        self.pick = button("Pick faces", self._pick, "small", "Click faces in the picture; drag a box for several")
        self.pick.setCheckable(True)
        line.addWidget(self.pick)
        self.grow = Segments(GROWS)
        self.grow.set_value("one")
        self.grow.chosen.connect(self._grow)
        line.addWidget(self.grow)
        left.addLayout(line)
        line = QHBoxLayout()
        line.setSpacing(5)
        self.split = button("Take off as a part", commands.split_faces, "main", "The picked faces become a part of their own")
        self.dress = button("Make a face set", commands.dress_faces, "", "They can wear a material of their own, and stay in the part")
        self.none = button("Pick none", lambda: session.pick_faces("", ()), "link")
        for made in (self.split, self.dress, self.none):
            line.addWidget(made)
        line.addStretch(1)
        left.addLayout(line)
        left.addStretch(1)
        right = QVBoxLayout()
        right.setSpacing(6)
        right.addWidget(label("Whole parts"))
        line = QHBoxLayout()
        line.setSpacing(5)
        line.addWidget(button("Loose pieces", commands.split_connected, "small", "Take apart what does not hang together"))
        line.addWidget(button("Edges sharper than", lambda: commands.split_angle(self.angle.value()), "small"))
        self.angle = NumberField("°", 1.0, 179.0, 0)
        self.angle.setAccessibleName("Split angle")
        self.angle.set_value(30.0)
        self.angle.setFixedWidth(52)
        self.angle.trouble.connect(session.trouble)
        line.addWidget(self.angle)
        line.addStretch(1)
        right.addLayout(line)
        line = QHBoxLayout()
        line.setSpacing(5)
        line.addWidget(label("Plane at the pivot"))
        for axis in "xyz":
            made = button(axis, lambda a=axis: commands.split_plane(a), "small")
            made.setAccessibleName(f"Cut {axis}")
            made.setFixedWidth(26)
            line.addWidget(made)
        line.addSpacing(14)
        line.addWidget(button("Join", commands.join, "small", "Make one part of those chosen"))
        line.addStretch(1)
        right.addLayout(line)
        right.addStretch(1)
        columns = QHBoxLayout()
        columns.setContentsMargins(14, 4, 14, 8)
        columns.setSpacing(20)
        columns.addLayout(left)
        columns.addLayout(right)
        columns.addStretch(1)
        layout = under_head(self)
        layout.addWidget(BenchBody(columns), 1)
        session.selection_changed.connect(self.refresh)
        session.tool_changed.connect(lambda _: self.refresh())
        session.opened.connect(self.refresh)
        self.refresh()

    def _pick(self) -> None:
        self.session.toggle_tool("faces")
        self.refresh()

    def _grow(self, how: str) -> None:
        self.tool.grow = how
        if self.session.tool != "faces":
            self.session.set_tool("faces")

    def refresh(self) -> None:
        """Say what is picked."""
        part_id, faces = self.session.picked
        self.pick.setChecked(self.session.tool == "faces")
        for made in (self.split, self.dress, self.none):
            made.setEnabled(bool(faces))
        part = self.session.document.parts.get(part_id)
        if part is not None:
            self.words.setText(f"{counted(len(faces), 'face')} of {part.name} picked")
        else:
            self.words.setText("Pick faces, or choose a part to take apart")
