"""The Details panel: what belongs to the selection and the stage. Each stage has its page; this holds them."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import label


class Page(QScrollArea):
    """A page of rows that shows the document and writes edits to it. Subclasses fill `body` and implement `show_document`."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        self.body = QVBoxLayout(inner)
        self.body.setContentsMargins(4, 10, 12, 12)
        self.body.setSpacing(4)
        self.setWidget(inner)
        self.title = label("", "title")
        self.title.setContentsMargins(9, 0, 0, 4)
        self.body.addWidget(self.title)

    def show_document(self) -> None:
        """Bring every row up to date."""
        raise NotImplementedError

    def watch(self, row: QWidget) -> QWidget:
        """Pass a row's complaints on."""
        trouble = getattr(row, "trouble", None)
        if trouble is not None:
            trouble.connect(self.session.trouble)
        return row

    def merge(self, name: str, busy: bool) -> object:
        """Key under which a slider's steps become one while the hand is on it."""
        return (name, self.session.selection, self.session.subject) if busy else None


class Details(QWidget):
    """One page for each stage."""

    def __init__(self, session: Session, pages: dict[str, Page]) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session, self.pages = session, pages
        self.stack = QStackedWidget()
        for page in pages.values():
            self.stack.addWidget(page)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.stack)
        session.stage_changed.connect(lambda _: self.refresh())
        session.changed.connect(lambda old, new: self.refresh())
        for signal in (session.selection_changed, session.shot_changed, session.view_changed, session.opened, session.saved):
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the page of the stage as things are now."""
        page = self.pages["Lamp" if self.session.lamp is not None and self.session.stage != "Render" else self.session.stage]
        self.stack.setCurrentWidget(page)
        page.show_document()
