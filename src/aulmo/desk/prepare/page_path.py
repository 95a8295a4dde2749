"""A path in Details: its name, how it is drawn, how long it is."""

from aulmo.desk.prepare.measure_tool import length
from aulmo.desk.shell.bound import BoundSegments
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import button, label, row
from aulmo.document.made import paths
from aulmo.document.quantity import counted
from aulmo.errors import BadValue


class PathPage(Page):
    """The page of `paths/<id>`."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.name = self.add(None, "paths/{path}/name")
        self.drawn = self.section("Path", "path")
        self.add(self.drawn, "paths/{path}/smooth", kind=BoundSegments)
        self.add(self.drawn, "paths/{path}/closed", kind=BoundSegments)
        self.length, self.points = label(""), label("")
        self.drawn.add(row("Length", self.length))
        self.drawn.add(row("Points", self.points))
        self.drawn.add(row("", button("Move its points", lambda: session.toggle_tool("path"))))
        self.body.addStretch(1)

    def show_document(self) -> None:
        """What it is."""
        path = self.session.document.paths.get(self.session.subject[6:])
        if path is None:
            return
        self.title.setText(path.name)
        try:
            self.length.setText(length(paths.length(path)))
        except BadValue as error:
            self.length.setText(str(error))
        self.points.setText(counted(len(path.points), "point"))
