"""The hand on the nodes bench: finding nodes, leading wires, moving cards, keys and drops."""

from pathlib import Path
from typing import Any, Callable

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QWheelEvent

from aulmo.desk.shell.session import Session
from aulmo.desk.surface.node_cards import SURFACE, Card
from aulmo.desk.surface.node_finder import NodeFinder
from aulmo.desk.surface.node_view import LEAST_ZOOM, MOST_ZOOM, NodeView
from aulmo.document import edits
from aulmo.document.node_table import KINDS, source_of
from aulmo.document.records import Material
from aulmo.surface import node_edits
from aulmo.surface.node_edits import Target
from aulmo.surface.picture import ENDINGS
from aulmo.surface.picture_set import loaded

REACH = 9.0  # how near, on screen, a hand has to be to a dot


class NodeCanvas(NodeView):
    """Where nodes are led by hand."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._over = ""
        self._alone = ""
        self.finder = NodeFinder(self)

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        """Nearer or farther, toward the cursor."""
        at = event.position()
        held = self.to_bench(at)
        self.zoom = max(LEAST_ZOOM, min(MOST_ZOOM, self.zoom * 1.0015 ** event.angleDelta().y()))
        self.origin = QPointF(at.x() - held.x() * self.zoom, at.y() - held.y() * self.zoom)
        self.update()

    # what is under the hand

    def card_at(self, at: QPointF) -> Card | None:
        """The card under a place on screen, the one drawn last first."""
        place = self.to_bench(at)
        return next((c for c in reversed(list(self.plan().cards.values())) if c.rect.contains(place)), None)

    def dot_at(self, at: QPointF) -> tuple[str, Target | str] | None:
        """The dot near a place on screen: ("out", card) or ("in", target)."""
        best: tuple[float, tuple[str, Target | str]] | None = None
        for card in self.plan().cards.values():
            spots: list[tuple[QPointF, tuple[str, Target | str]]] = [(p, ("in", t)) for t, _, p in card.inputs]
            if card.output is not None:
                spots.append((card.output, ("out", card.id)))
            for spot, meant in spots:
                d = self.to_screen(spot) - at
                far = (d.x() ** 2 + d.y() ** 2) ** 0.5
                if far < REACH and (best is None or far < best[0]):
                    best = (far, meant)
        return best[1] if best else None

    def row_at(self, at: QPointF) -> Target | None:
        """The parameter of a surface's card, or the main input of another, under a place on screen."""
        card = self.card_at(at)
        if card is None:
            return None
        place = self.to_bench(at)
        if card.kind in ("surface", "layer"):
            return next((t for t, _, p in card.inputs if abs(p.y() - place.y()) < 11.0), None)
        material = self.material
        node = next((n for n in material.nodes if n.id == card.id), None) if material is not None else None
        if node is None:
            return card.inputs[0][0] if card.inputs else None
        name = node_edits.main_input(node.kind, "either")
        return ("node", node.id, name) if name else None

    def apply(self, told: str, material: Material) -> None:
        """One undoable step on the material."""
        self.session.apply(told, edits.put_material(self.session.document, material))

    def attempt(self, told: str, run: Callable[[Material], Material]) -> bool:
        """An edit of the material, or the sentence why not."""
        material = self.material
        if material is None:
            self.session.hint.emit("Click a part first: its material's nodes are shown here")
            return False
        made = self.session.attempt(lambda: run(node_edits.placed(material)))
        if made is None:
            return False
        self.apply(told, made)
        return True

    def choose(self, names: tuple[str, ...]) -> None:
        """Select cards."""
        self.chosen = names
        self.selected.emit()
        self.update()

    # the hand

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """Take a dot, a card, or nothing in hand."""
        at = event.position()
        self.setFocus()
        self.finder.hide()
        self._at = at
        if event.button() in (Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton):
            self._hand = ("pan", at)
            return
        if event.button() != Qt.MouseButton.LeftButton or self.material is None:
            return
        dot = self.dot_at(at)
        if dot is not None and dot[0] == "out":
            self._hand = ("wire", self._source(str(dot[1])), None)
        elif dot is not None:
            wire = next((w for w in self.plan().wires if w.target == dot[1]), None)
            self._hand = ("wire", wire.reference.removeprefix("@"), dot[1]) if wire is not None else ("back", dot[1])
        else:
            card = self.card_at(at)
            if card is None:
                self._hand = ("box", at)
                if not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
                    self.choose(())
            elif card.kind in ("surface", "layer") and self._is_more(card, at):
                self.every = not self.every
                self.refresh()
            else:
                self._pick(card.id, bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))
                if card.kind in ("node", "group"):
                    self._hand = ("move", at, QPointF(0.0, 0.0))
        self.update()

    def _is_more(self, card: Card, at: QPointF) -> bool:
        return self.to_bench(at).y() > card.rect.bottom() - 22.0

    def _pick(self, name: str, more: bool) -> None:
        if more:
            self.choose(tuple(c for c in self.chosen if c != name) if name in self.chosen else (*self.chosen, name))
        elif name not in self.chosen:
            self.choose((name,))
        else:
            self.choose((*(c for c in self.chosen if c != name), name))

    def _source(self, card: str) -> str:
        return card if any(n.id == card for n in (self.material.nodes if self.material else ())) else self._given_by(card)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """Move what is in hand; else tell what is under it."""
        at = event.position()
        hand, self._at = self._hand, at
        if hand and hand[0] == "pan":
            self.origin += at - hand[1]
            self._hand = ("pan", at)
        elif hand and hand[0] == "move":
            by = (at - hand[1]) / self.zoom
            self._hand = ("move", hand[1], by)
        elif not hand:
            card = self.card_at(at)
            self._over = card.id if card is not None else ""
            self._tell()
            if self._alone:
                self._show_alone(self._over)
        self.update()

    def _tell(self) -> None:
        """What the node under the hand gives, beside it."""
        found = self.pictures.get(self._over if self._over in self.pictures else self._given_by(self._over) if self._over and self.material else "")
        node = self._node(self._over)
        if found is None or node is None:
            self.setToolTip("")
            return
        words = found.fault or f"gives {found.lowest:.3g} – {found.highest:.3g} here"
        self.setToolTip(f"<b>{node_edits.label_of(node)}</b> {words}<br>seen on the part: hold E")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """Do what the hand was for."""
        hand, self._hand = self._hand, ()
        at = event.position()
        if not hand:
            return
        if hand[0] == "move" and (abs(hand[2].x()) + abs(hand[2].y())) > 2.0:
            cards = self.chosen
            self.attempt("Moved nodes", lambda m: node_edits.moved(m, (hand[2].x(), hand[2].y()), cards))
        elif hand[0] == "box":
            box = QRectF(self.to_bench(hand[1]), self.to_bench(at)).normalized()
            met = tuple(c.id for c in self.plan().cards.values() if c.kind in ("node", "group") and c.rect.intersects(box))
            if box.width() * self.zoom > 3:
                self.choose((*self.chosen, *(c for c in met if c not in self.chosen)))
        elif hand[0] == "wire":
            self._drop_wire(hand[1], hand[2], at)
        elif hand[0] == "back":
            dot = self.dot_at(at)
            card = self.card_at(at)
            source = str(dot[1]) if dot is not None and dot[0] == "out" else card.id if card is not None and card.output is not None else ""
            moved = at - self.to_screen(next(p for c in self.plan().cards.values() for t, _, p in c.inputs if t == hand[1]))
            if source and (card is None or hand[1][1:2] != (card.id,)):
                self._lead(self._source(source), hand[1])
            elif abs(moved.x()) + abs(moved.y()) > 12:
                assert self.material is not None
                wanted = node_edits.takes(hand[1], self.material)
                self._find(at, node_edits.fitting(wanted, True), lambda kind: self.add(kind, self.to_bench(at) - QPointF(132, 20), into=hand[1]))
            else:
                self._go_to(hand[1])
        self.update()

    def _go_to(self, target: Target) -> None:
        if target[0] == "node":
            self._pick(target[1], False)

    def _drop_wire(self, reference: str, had: Target | None, at: QPointF) -> None:
        dot = self.dot_at(at)
        target = dot[1] if dot is not None and dot[0] == "in" else self.row_at(at)
        if isinstance(target, tuple) and not (target[0] == "node" and target[1] == source_of(reference)[0]):
            if target == had:
                return
            if had is not None:  # a wire that is led elsewhere
                self.attempt("Led a node elsewhere", lambda m: node_edits.connected(node_edits.connected(m, None, had), reference, target))
            else:
                self._lead(reference, target)
        elif had is not None and self.card_at(at) is None:
            self.attempt("Took a wire off", lambda m: node_edits.connected(m, None, had))
        elif self.card_at(at) is None:
            flow = "number" if source_of(reference)[1] else self.flows().get(source_of(reference)[0], "number")
            self._find(at, node_edits.fitting(flow, False), lambda kind: self.add(kind, self.to_bench(at) - QPointF(0, 20), source=reference))

    def _lead(self, reference: str, target: Target) -> None:
        material = self.material
        assert material is not None
        node = self._node(source_of(reference)[0])
        if node is not None:
            self.attempt(f"Led {node_edits.label_of(node)}", lambda m: node_edits.connected(m, reference, target))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """On nothing: find a node by typing. On a group: its nodes again."""
        card = self.card_at(event.position())
        if card is None:
            at = event.position()
            self._find(at, node_edits.fitting(None, False), lambda kind: self.add(kind, self.to_bench(at)))
        elif card.kind == "group":
            self.attempt("Took a group apart", lambda m: node_edits.opened(m, card.id))

    def _find(self, at: QPointF, kinds: list[str], chosen: Callable[[str], Any]) -> None:
        if self.material is None:
            self.session.hint.emit("Click a part first: its material's nodes are shown here")
            return
        self.finder.open_at(QPoint(round(at.x()), round(at.y())), kinds, chosen)

    def find_here(self) -> None:
        """Find a node by typing, in the middle of the bench."""
        at = QPointF(0.3 * self.width(), 20.0)
        self._find(at, node_edits.fitting(None, False), lambda kind: self.add(kind, self.to_bench(at)))

    def add(self, kind: str, place: QPointF, source: str = "", into: Target | None = None, **own) -> str:
        """Put a node on the bench, led by `source` or leading `into`; returns its id."""
        made: list[str] = []

        def run(material: Material) -> Material:
            material, name = node_edits.added(material, kind, (place.x(), place.y()), **own)
            made.append(name)
            if source:
                flow = "number" if source_of(source)[1] else self.flows().get(source_of(source)[0], "number")
                entry = node_edits.main_input(kind, flow)
                if entry:
                    material = node_edits.connected(material, source, ("node", name, entry))
            if into is not None:
                material = node_edits.connected(material, name, into)
            return material

        if self.attempt(f"Added {KINDS[kind].label.lower()}", run):
            self.choose((made[-1],))
            return made[-1]
        return ""

    # keys

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        """E held shows the node under the hand alone on the part; A frames all."""
        if event.key() == Qt.Key.Key_E and not event.modifiers():
            if not event.isAutoRepeat():
                self._alone = "held"
                self._show_alone(self._over if self._node(self._over) is not None or self._over else (self.chosen[-1] if self.chosen else ""))
            return
        super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        """Back to the surface as it is."""
        if event.key() == Qt.Key.Key_E and not event.isAutoRepeat() and self._alone:
            self._alone = ""
            self.session.show_node_alone("", "")
            return
        super().keyReleaseEvent(event)

    def focusOutEvent(self, event) -> None:  # noqa: N802
        """A key that is let go elsewhere is let go."""
        super().focusOutEvent(event)
        if self._alone:
            self._alone = ""
            self.session.show_node_alone("", "")

    def enterEvent(self, event) -> None:  # noqa: N802
        """Keys are for the bench while the hand is over it."""
        super().enterEvent(event)
        if self.material is not None:
            self.session.hint.emit("Drag from a dot to lead it on · drop on a parameter · double-click to find a node · hold E to see it on the part")
        if not self.finder.isVisible():
            self.setFocus()

    def _show_alone(self, card: str) -> None:
        material = self.material
        if material is None or card in ("", SURFACE):
            self.session.show_node_alone("", "")
            return
        name = self._source(card)
        self.session.show_node_alone(material.id if name else "", name)

    # drops

    def dragEnterEvent(self, event) -> None:  # noqa: N802
        """Pictures are taken."""
        if self.material is not None and any(Path(u.toLocalFile()).suffix.lower() in ENDINGS for u in event.mimeData().urls()):
            event.acceptProposedAction()
            self.session.hint.emit("Drop: a node for each picture")

    def dropEvent(self, event) -> None:  # noqa: N802
        """A node for each picture, laid as the material's others are."""
        place = self.to_bench(event.position())
        for k, url in enumerate(event.mimeData().urls()):
            path = Path(url.toLocalFile())
            if path.suffix.lower() in ENDINGS:
                self.add_picture(path, place + QPointF(0.0, 80.0 * k))
        event.acceptProposedAction()

    def add_picture(self, path: Path, place: QPointF) -> str:
        """A node for a picture file."""
        found = self.session.attempt(lambda: loaded(self.session.assets, path))
        if found is None:
            return ""
        return self.add("image", place, image=found[0], file=path.name, id=path.stem[:24] or "picture")
