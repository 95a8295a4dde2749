"""Surface's bench, the face for nodes: the canvas, what it is called, and the commands on nodes."""

from PySide6.QtWidgets import QWidget

from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.shell.stage import Desk
from aulmo.desk.surface.node_canvas import NodeCanvas
from aulmo.desk.surface.node_cards import SURFACE
from aulmo.desk.widgets.fields import button, label
from aulmo.document import edits
from aulmo.document.quantity import counted
from aulmo.document.records import Material
from aulmo.surface import node_edits


class NodesBench(QWidget):
    """The nodes of the material that is worked on."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        session = self.session = desk.session
        self.desk = desk
        self.clip: node_edits.Clip | None = None
        self.head = BenchHead("Nodes")
        self.words = label("")
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        self.canvas = NodeCanvas(session)
        for text, run, tip in (
            ("Layer", self.add_layer, "A whole surface over this one, shown where a mask says"),
            ("Gather", self.gather, "The chosen nodes in one card; double-click it to take it apart"),
            ("Tidy up", self.tidy, "Lay the cards out"),
            ("Frame all", self.canvas.frame_all, "Show every card"),
            ("Add node", self.canvas.find_here, "Find a node by typing; or double-click on nothing"),
        ):
            self.head.addWidget(button(text, run, "link", tip))
        layout = under_head(self)
        layout.addWidget(self.canvas, 1)
        on = lambda: desk.working() and self.canvas.isVisible()  # noqa: E731
        some = lambda: on() and bool(self._nodes() or self._layers())  # noqa: E731
        desk.registry.handle("delete", some, self.delete, sooner=True)
        desk.registry.handle("duplicate", lambda: on() and bool(self._nodes()), self.duplicate, sooner=True)
        desk.registry.handle("copy", lambda: on() and bool(self._nodes()), self.copy, sooner=True)
        desk.registry.handle("paste", lambda: on() and self.clip is not None and session.copied_material is None, self.paste, sooner=True)
        add = desk.registry.add
        add("node_add", "Add a node…", "Materials", "", self.find_node, desk.working)
        add("node_gather", "Gather nodes in one card", "Materials", "", self.gather, lambda: on() and len(self._nodes()) > 1)
        add("node_apart", "Take a card of nodes apart", "Materials", "", self.take_apart, lambda: on() and bool(self._groups()))
        add("node_tidy", "Tidy up the nodes", "Materials", "", self.tidy, on)
        add("node_layer", "Add a surface over this one", "Materials", "", self.add_layer, on, break_before=True)
        self.canvas.selected.connect(self._selected)
        session.changed.connect(lambda old, new: self._tell())
        session.selection_changed.connect(self._follow)
        session.opened.connect(self._tell)
        self._tell()

    def _tell(self) -> None:
        material = self.canvas.material
        if material is None:
            self.words.setText("")
            return
        count = len(edits.users_of(self.session.document, material.id))
        self.words.setText(f"{material.name} · worn by {counted(count, 'part')}" if count else material.name)

    def _follow(self) -> None:
        """What was chosen elsewhere is chosen on the bench."""
        steps = self.session.subject.split("/")
        if steps[0] == "nodes" and len(steps) > 2 and self.canvas.chosen[-1:] != (steps[2],) and steps[2] in self.canvas.plan().cards:
            self.canvas.choose((steps[2],))
        self._tell()

    def _selected(self) -> None:
        """Details show the card that was touched last; the parts stay selected."""
        session, chosen, material = self.session, self.canvas.chosen, self.canvas.material
        if session.stage != "Surface" or not self.canvas.isVisible():
            return
        if chosen and material is not None and chosen[-1] != SURFACE:
            session.select(session.selection, f"nodes/{material.id}/{chosen[-1]}")
        elif session.subject.startswith("nodes/"):
            session.select(session.selection, "" if session.selection or material is None else f"materials/{material.id}")

    def _nodes(self) -> list[str]:
        """The chosen nodes, those of chosen groups among them."""
        material, chosen = self.canvas.material, set(self.canvas.chosen)
        return [n.id for n in material.nodes if n.id in chosen or n.group in chosen] if material is not None else []

    def _layers(self) -> list[str]:
        material, chosen = self.canvas.material, set(self.canvas.chosen)
        return [one.id for one in material.layers if one.id in chosen] if material is not None else []

    def _groups(self) -> list[str]:
        material, chosen = self.canvas.material, set(self.canvas.chosen)
        return [g.id for g in material.groups if g.id in chosen] if material is not None else []

    def find_node(self) -> None:
        """Turn the bench to nodes and find one."""
        self.session.set_stage("Surface")
        self.session.face_wanted.emit("Nodes")
        self.canvas.find_here()

    def delete(self) -> None:
        """The chosen nodes are gone; wires through them are closed where they fit."""
        gone = [*self._nodes(), *self._layers()]
        self.canvas.attempt(f"Deleted {counted(len(gone), 'node')}", lambda m: node_edits.deleted(m, gone))

    def copy(self) -> None:
        """Remember the chosen nodes."""
        material = self.canvas.material
        assert material is not None
        self.clip, self.session.copied_material = node_edits.copied(node_edits.placed(material), self._nodes()), None
        self.session.hint.emit(f"Copied {counted(len(self.clip.nodes), 'node')}")

    def paste(self) -> None:
        """Copies of the remembered nodes, in this material or another."""
        if self.clip is not None:
            self._paste(self.clip, "Pasted")

    def duplicate(self) -> None:
        """Copies of the chosen nodes beside them."""
        material = self.canvas.material
        assert material is not None
        self._paste(node_edits.copied(node_edits.placed(material), self._nodes()), "Duplicated")

    def _paste(self, clip: node_edits.Clip, told: str) -> None:
        names: list[str] = []

        def run(material: Material) -> Material:
            material, made = node_edits.pasted(material, clip)
            names.extend(made)
            return material

        if self.canvas.attempt(f"{told} {counted(len(clip.nodes), 'node')}", run):
            self.canvas.choose(tuple(names))

    def gather(self) -> None:
        """The chosen nodes in one card."""
        names: list[str] = []

        def run(material: Material) -> Material:
            material, made = node_edits.gathered(material, self._nodes())
            names.append(made)
            return material

        if self.canvas.attempt("Gathered nodes in one card", run):
            self.canvas.choose((names[-1],))

    def take_apart(self) -> None:
        """The nodes of the chosen cards by themselves again."""
        for group in self._groups():
            self.canvas.attempt("Took a group apart", lambda m, g=group: node_edits.opened(m, g))

    def tidy(self) -> None:
        """Lay the cards out."""
        if self.canvas.attempt("Tidied up the nodes", node_edits.tidy):
            self.canvas.frame_all()

    def add_layer(self) -> None:
        """One more whole surface over the material's, shown where the chosen node says, else by half."""
        material = self.canvas.material
        nodes = self._nodes()
        mask = f"@{nodes[-1]}" if nodes else 0.5
        if material is not None:
            self.canvas.attempt("Added a surface over this one", lambda m: node_edits.with_layer(m, m.surface, "Layer", mask)[0])
            self.canvas.frame_all()
