"""The Details panel: what belongs to the selection and the stage. Each stage has its page; this holds them."""

from typing import Any, Callable

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from aulmo.desk.shell.addressing import addresses
from aulmo.desk.shell.bound import Bound, bound
from aulmo.desk.shell.session import Session
from aulmo.desk.shell.stage import Built, Stage
from aulmo.desk.widgets.fields import Section, label

WIDTH = 292


class Page(QScrollArea):
    """A page of rows that shows the document and writes edits to it. Subclasses fill `body`; rows made by `add` follow their properties by
    themselves, `show_document` does the rest."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.bound: list[Bound] = []
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.inner = QWidget()
        self.body = QVBoxLayout(self.inner)
        self.body.setContentsMargins(4, 10, 12, 12)
        self.body.setSpacing(4)
        self.setWidget(self.inner)
        self.title = label("", "title")
        self.title.setContentsMargins(9, 0, 0, 4)
        self.body.addWidget(self.title)

    def section(self, title: str, key: str = "") -> Section:
        """A section at the end of the page."""
        made = Section(title, key)
        self.body.addWidget(made)
        return made

    def add(self, section: Section | None, template: str, title: str = "", kind: Callable[..., Bound] | None = None, default: Any = None) -> Any:
        """A row bound to a property, in a section or on the page itself."""
        made = bound(self.session, template, title, default, kind)
        self.bound.append(made)
        if section is not None:
            section.add(made.widget)
        else:
            self.body.addWidget(made.widget)
        return made

    def add_ticks(self, template: str, keys: tuple[str, ...]) -> list[Any]:
        """Properties of one thing that are on or off, as ticks in one line of the page."""
        line = QHBoxLayout()
        line.setContentsMargins(9, 0, 0, 2)
        made = [self.add(None, f"{template}/{key}") for key in keys]
        for one in made:
            line.addWidget(one.field)
            self.body.removeWidget(one.widget)
            one.widget.hide()
            one.widget = one.field
        line.addStretch(1)
        self.body.addLayout(line)
        return made

    def refresh(self) -> None:
        """Bring every row up to date."""
        self.show_document()
        known: dict[str, list[str]] = {}
        for made in self.bound:
            if not made.widget.isHidden():
                head = made.template[: made.template.find("}") + 1]  # what the braces stand for is found once
                if head not in known:
                    known[head] = addresses(self.session, head) if head else []
                made.refresh([found + made.template[len(head) :] for found in known[head]] if head else None)

    def show_document(self) -> None:
        """Bring up to date what is not bound to a property, before the rows that are."""

    def watch(self, row: QWidget) -> QWidget:
        """Pass a row's complaints on."""
        trouble = getattr(row, "trouble", None)
        if trouble is not None:
            trouble.connect(self.session.trouble)
        return row


class Details(QWidget):
    """The pages: one for each stage, and those for other subjects than parts."""

    def __init__(self, session: Session, stages: tuple[Stage, ...], built: dict[str, Built]) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self.pages: dict[str, Page] = {name: made.page for name, made in built.items()}
        self.subjects: dict[str, Page] = {root: page for made in built.values() for root, page in made.subjects.items()}
        self._alone = {stage.name for stage in stages if stage.alone}
        self._own = {stage.name: set(built[stage.name].subjects) for stage in stages if stage.own}
        self.stack = QStackedWidget()
        for page in (*self.pages.values(), *self.subjects.values()):
            self.stack.addWidget(page)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.stack)
        session.stage_changed.connect(lambda _: self.refresh())
        session.changed.connect(lambda old, new: self.refresh())
        session.tool_changed.connect(lambda _: self.refresh())
        for signal in (session.selection_changed, session.shot_changed, session.view_changed, session.opened, session.saved):
            signal.connect(self.refresh)
        session.time_changed.connect(lambda: None if session.playing else self.refresh())
        session.record_changed.connect(self.refresh)
        self.refresh()

    def minimumSizeHint(self) -> QSize:  # noqa: N802
        """Its width is its own, whatever its pages hold."""
        return QSize(WIDTH, 120)

    def sizeHint(self) -> QSize:  # noqa: N802
        """The same."""
        return QSize(WIDTH, 400)

    def reset(self) -> None:
        """Every page at its top, its sections open or closed as they are kept."""
        for page in (*self.pages.values(), *self.subjects.values()):
            page.verticalScrollBar().setValue(0)
            for section in page.findChildren(Section):
                section.reset()
        self.refresh()

    def page(self) -> Page:
        """The page for what is selected in the stage one is in."""
        own = self.pages[self.session.stage]
        if self.session.stage in self._alone or not self.session.subject:
            return own
        root = self.session.subject.split("/")[0]
        if root not in self._own.get(self.session.stage, {root}):
            return own
        return self.subjects.get(root, own)

    def refresh(self) -> None:
        """Show the page as things are now."""
        page = self.page()
        self.stack.setCurrentWidget(page)
        page.refresh()
