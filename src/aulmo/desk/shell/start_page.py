"""The start page: drop a CAD file, recent projects, lit demo sets."""

from pathlib import Path

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLayout, QPushButton, QVBoxLayout, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.session import DEMO, Session
from aulmo.desk.widgets.fields import button, label
from aulmo.desk.widgets.painting import painted
from aulmo.document.project_file import read_thumbnail

DEMOS = (
    ("wick", "Wick lantern", "The hero, on a cove"),
    ("wick-night", "Wick at night", "Rim light and a flame"),
    ("wick-tent", "Wick in white", "All bright, two flags"),
    ("wick-photographed", "Wick on site", "Three photographs"),
    ("connector", "Odrel Link", "CAD of sixty solids"),
    ("wick-workshop", "Wick in the workshop", "Nodes on every surface"),
    ("barrow", "Odrel Barrow", "A set, copies by a rule"),
    ("wick-carton", "Wick carton", "Flat, open and closed"),
    ("wick-film", "Wick film", "A camera's way, a flame"),
    ("barrow-film", "Barrow film", "Wheels that cannot slip"),
)
IN_A_ROW = 5


class DropField(QWidget):
    """A dashed field that says what to drop."""

    clicked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(150)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        layout = QVBoxLayout(self)
        layout.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.icon = QLabel()
        self.icon.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.icon.setPixmap(theme.icon("cube", theme.current().quiet, 34).pixmap(QSize(34, 34)))
        first, second = label("Drop a CAD file here", "title"), label("STEP, IGES, BREP, OBJ, STL, PLY, glTF, 3MF, USD · or click to choose")
        for widget in (self.icon, first, second):
            widget.setAlignment(Qt.AlignmentFlag.AlignCenter)
            layout.addWidget(widget)

    @painted
    def paintEvent(self, painter) -> None:  # noqa: N802
        """Draw."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        pen = QPen(QColor(theme.current().quiet), 1.5, Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(QColor(theme.current().panel))
        painter.drawRoundedRect(self.rect().adjusted(1, 1, -1, -1), 6, 6)

    def mouseReleaseEvent(self, event) -> None:  # noqa: N802
        """Choose a file instead."""
        self.clicked.emit()


def _empty(layout: QLayout) -> None:
    """Take everything out of a layout."""
    while (taken := layout.takeAt(0)) is not None:
        widget, under = taken.widget(), taken.layout()
        if widget is not None:
            widget.deleteLater()
        elif under is not None:
            _empty(under)


class StartPage(QWidget):
    """What is seen before anything is open."""

    open_wanted = Signal(object)
    import_wanted = Signal()
    files_dropped = Signal(list)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setAcceptDrops(True)
        self.inner = QVBoxLayout()
        self.inner.setSpacing(14)
        self._thumbnails: dict[tuple[Path, int, int], QPixmap | None] = {}
        holder = QWidget()
        holder.setLayout(self.inner)
        holder.setFixedWidth(916)
        outer = QHBoxLayout(self)
        outer.addStretch(1)
        outer.addWidget(holder)
        outer.addStretch(1)

    def showEvent(self, event) -> None:  # noqa: N802
        """It is laid out when it is first looked at."""
        super().showEvent(event)
        if not self.inner.count():
            self.rebuild()

    def rebuild(self) -> None:
        """Lay the page out for the projects there are now."""
        _empty(self.inner)
        self.inner.addStretch(1)
        head = QHBoxLayout()
        head.addWidget(label("Aulmo", "big"))
        head.addStretch(1)
        head.addWidget(button("Open a project…", lambda: self.open_wanted.emit(None)))
        self.inner.addLayout(head)
        field = DropField()
        field.clicked.connect(self.import_wanted)
        self.inner.addWidget(field)
        recent = [p for p in self.session.recent() if p.parent != DEMO][:5]
        if recent:
            self.inner.addWidget(label("Recent", "heading"))
            self.inner.addLayout(self._cards([(p, p.stem, p.parent.name) for p in recent]))
        demos = [(DEMO / f"{f}.aulmo", title, text) for f, title, text in DEMOS if (DEMO / f"{f}.aulmo").exists()]
        if demos:
            self.inner.addWidget(label("Lit demo sets", "heading"))
            for start in range(0, len(demos), IN_A_ROW):
                self.inner.addLayout(self._cards(demos[start : start + IN_A_ROW]))
        self.inner.addStretch(2)

    def _cards(self, projects: list) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(8)
        for path, title, text in projects:
            card = QPushButton()
            card.setObjectName("projectCard")
            card.setAccessibleName(title)
            inner = QVBoxLayout(card)
            inner.setContentsMargins(6, 6, 6, 6)
            inner.setSpacing(1)
            picture = QLabel()
            picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
            seen = self._thumbnail(path)
            picture.setPixmap(seen if seen is not None else QIcon(theme.icon("cube", theme.current().quiet)).pixmap(32, 32))
            inner.addWidget(picture, 1)
            inner.addWidget(label(title, "heading"))
            inner.addWidget(label(text))
            card.clicked.connect(lambda _=False, p=path: self.open_wanted.emit(p))
            line.addWidget(card)
        line.addStretch(1)
        return line

    def _thumbnail(self, path: Path) -> QPixmap | None:
        """A project's small picture, read again when its file has changed."""
        try:
            told = path.stat()
        except OSError:
            return None
        key = (path, told.st_mtime_ns, told.st_size)
        if key not in self._thumbnails:
            blob, pixmap = read_thumbnail(path), QPixmap()
            whole = blob is not None and pixmap.loadFromData(blob)
            small = pixmap.scaled(QSize(128, 98), Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation) if whole else None
            self._thumbnails = {k: v for k, v in self._thumbnails.items() if k[0] != path} | {key: small}
        return self._thumbnails[key]

    def dragEnterEvent(self, event) -> None:  # noqa: N802
        """Files may come."""
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:  # noqa: N802
        """Pass them on."""
        self.files_dropped.emit([Path(u.toLocalFile()) for u in event.mimeData().urls() if u.isLocalFile()])
        event.acceptProposedAction()
