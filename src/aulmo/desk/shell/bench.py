"""The bench: the stage's own working surface under the picture."""

from typing import Any, Callable, Iterable

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLayout, QScrollArea, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from aulmo.desk.shell.session import Session
from aulmo.desk.shell.stage import Built


class BenchHead(QHBoxLayout):
    """The line on top of a bench: its name, or the tabs of all faces of the stage, and room for chips and buttons."""

    def __init__(self, title: str) -> None:
        super().__init__()
        self.title = title
        self.setContentsMargins(10, 6, 10, 4)
        self.setSpacing(4)
        self._tabs = QHBoxLayout()
        self._tabs.setSpacing(10)
        self.addLayout(self._tabs)
        self.addSpacing(8)
        self.show_tabs((title,), lambda _: None)

    def show_tabs(self, names: Iterable[str], chosen: Callable[[str], None]) -> None:
        """A tab for each face, this one's on."""
        while self._tabs.count():
            item = self._tabs.takeAt(0)
            old = item.widget() if item is not None else None
            if old is not None:
                old.hide()
                old.deleteLater()
        for name in names:
            tab = QToolButton()
            tab.setText(name)
            tab.setObjectName("benchTab")
            tab.setCheckable(True)
            tab.setChecked(name == self.title)
            tab.clicked.connect(lambda _=False, t=tab, n=name: (t.setChecked(n == self.title), chosen(n)))
            tab.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            self._tabs.addWidget(tab)


def under_head(face: Any) -> QVBoxLayout:
    """The layout of a face of a bench: its `head`, and room for what comes under it."""
    layout = QVBoxLayout(face)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(0)
    layout.addLayout(face.head)
    return layout


class BenchBody(QScrollArea):
    """What stands under the head of a bench: it scrolls where the window is too small for it."""

    def __init__(self, layout: QLayout) -> None:
        super().__init__()
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        inner = QWidget()
        inner.setLayout(layout)
        self.setWidget(inner)


class Bench(QWidget):
    """The faces of each stage's bench. A stage with several shows their tabs, for which each of its faces has a `head`."""

    def __init__(self, session: Session, built: dict[str, Built]) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self.faces: dict[str, QWidget] = {}  # the one that is up in each stage
        self._all: dict[str, dict[str, QWidget]] = {}
        self.stack = QStackedWidget()
        for name, made in built.items():
            self._all[name] = dict(made.faces)
            self.faces[name] = next(iter(made.faces.values()))
            for face in made.faces.values():
                self.stack.addWidget(face)
                if len(made.faces) > 1:
                    face.head.show_tabs(tuple(made.faces), lambda wanted, stage=name: self.show_face(wanted, stage))  # type: ignore[attr-defined]
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.stack)
        session.stage_changed.connect(lambda stage: self.stack.setCurrentWidget(self.faces[stage]))
        session.face_wanted.connect(self.show_face)

    def minimumSizeHint(self) -> QSize:  # noqa: N802
        """What its faces hold does not push the panels beside it."""
        return QSize(240, 80)

    def reset(self) -> None:
        """The first face of every stage."""
        for stage, faces in self._all.items():
            self.faces[stage] = next(iter(faces.values()))
            for face in faces.values():
                if hasattr(face, "reset"):
                    face.reset()
        self.stack.setCurrentWidget(self.faces[self.session.stage])

    def faces_of(self, stage: str) -> tuple[str, ...]:
        """The names of a stage's faces, in order."""
        return tuple(self._all[stage])

    def show_face(self, name: str, stage: str = "") -> None:
        """Turn a stage's bench, or the present one's, to the face of a name."""
        stage = stage or self.session.stage
        if name in self._all[stage]:
            self.faces[stage] = self._all[stage][name]
            if stage == self.session.stage:
                self.stack.setCurrentWidget(self.faces[stage])
