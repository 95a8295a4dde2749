"""The nodes bench itself: cards with live pictures, wires between their dots, and the hand on them."""

from pathlib import Path
from typing import Any, Callable

from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QImage, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen, QPixmap, QWheelEvent
from PySide6.QtWidgets import QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.desk.surface.node_cards import SURFACE, Card, Plan, Wire, plan
from aulmo.desk.surface.node_finder import NodeFinder
from aulmo.document import edits
from aulmo.document.node_table import KINDS, Flow, choice_of, source_of
from aulmo.document.records import Material, Node
from aulmo.surface import node_edits
from aulmo.surface.node_edits import Target
from aulmo.surface.picture import ENDINGS
from aulmo.surface.picture_set import loaded
from aulmo.trace.node_pictures import NodePicture, NodePictures

THUMB = 44.0
REACH = 9.0  # how near, on screen, a hand has to be to a dot
LEAST_ZOOM, MOST_ZOOM = 0.2, 3.0


def told_numbers(node: Node) -> str:
    """A node's main numbers, for the second line of its card."""
    own = node.inputs
    if node.kind == "image":
        return node.file or "no picture yet"
    if node.kind == "text":
        return choice_of("text", node.choices, "text") or "Text"
    if node.kind == "gradient":
        return f"along {node.axis} · {len(node.stops)} stops" if choice_of("gradient", node.choices, "over") != "wire" else f"{len(node.stops)} stops"
    if node.kind in ("range", "remap"):
        ends = [own.get(k, d) for k, d in (("inlow", 0.0), ("inhigh", 1.0), ("outlow", 0.0), ("outhigh", 1.0))]
        if all(isinstance(v, float) for v in ends):
            return f"{ends[0]:g}–{ends[1]:g} → {ends[2]:g}–{ends[3]:g}"
        return ""
    told = []
    for one in KINDS[node.kind].inputs:
        value = own.get(one.name, one.default)
        if isinstance(value, (int, float)) and one.takes in ("number", "either") and one.name not in ("seed",):
            told.append(f"{value:g}{' ' + one.unit if one.unit else ''}" + ("" if one.unit else f" {one.label.lower()}"))
        if len(told) == (1 if one.unit != "mm" else 2) and told:
            break
    return " · ".join(told[:2])


class NodeCanvas(QWidget):
    """Where nodes are led by hand. `chosen` are the ids of the cards that are selected, the last touched at the end."""

    selected = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Nodes")
        self.setMinimumHeight(60)
        self.chosen: tuple[str, ...] = ()
        self.every = False
        self.zoom, self.origin = 1.0, QPointF(0.0, 0.0)
        self.pictures: dict[str, NodePicture] = {}
        self.width_mm = 100.0
        self._pixmaps: dict[str, QPixmap] = {}
        self._taker: NodePictures | None = None
        self._asked: object = None
        self._busy = False
        self._framed: object = None
        self._plan: tuple[object, tuple, Plan] | None = None
        self._flows: tuple[object, dict[str, Flow]] | None = None
        self._hand: tuple[Any, ...] = ()
        self._at = QPointF()
        self._over = ""
        self._alone = ""
        self.finder = NodeFinder(self)
        session.changed.connect(lambda old, new: old.materials is not new.materials and self.refresh())
        session.selection_changed.connect(self.refresh)
        session.opened.connect(self._opened)

    # what is shown

    @property
    def material(self) -> Material | None:
        """The material that is worked on."""
        return self.session.document.materials.get(self.session.material_id or "")

    def plan(self) -> Plan:
        """Cards and wires as they stand."""
        material = self.material
        if self._plan is None or self._plan[0] is not material or self._plan[1] != (self.every, self.chosen):
            found = plan(material, self.every, self.chosen) if material is not None else Plan({}, ())
            self._plan = (material, (self.every, self.chosen), found)
        return self._plan[2]

    def flows(self) -> dict[str, Flow]:
        """What every node gives."""
        material = self.material
        if self._flows is None or self._flows[0] is not material:
            self._flows = (material, node_edits.flow_of(material) if material is not None else {})
        return self._flows[1]

    def _opened(self) -> None:
        self._taker, self._asked, self._framed = None, None, None
        self.chosen = ()
        self.refresh()

    def refresh(self) -> None:
        """Show the material as it is now; pictures follow."""
        material = self.material
        there = set(self.plan().cards)
        kept = tuple(c for c in self.chosen if c in there)
        if kept != self.chosen:
            self.chosen = kept
            self.selected.emit()
        if self.isVisible():
            if material is not None and material.id != self._framed:
                self._framed = material.id
                self.frame_all()
            self._take_pictures()
        self.update()

    def showEvent(self, event) -> None:  # noqa: N802
        """What was not looked at is brought up to date."""
        super().showEvent(event)
        self.refresh()

    def mesh_name(self) -> str:
        """The mesh of the part that the pictures stand for: the selected one's, else any that wears the material."""
        document, material = self.session.document, self.material
        for part_id in (*edits.leaves(document, self.session.selection), *(edits.users_of(document, material.id) if material is not None else ())):
            if document.parts[part_id].mesh:
                return document.parts[part_id].mesh or ""
        return ""

    def _take_pictures(self) -> None:
        material = self.material
        if material is None:
            return
        look = (material.nodes, material.lays, self.mesh_name())
        if look == self._asked or self._busy:
            return
        self._asked, self._busy = look, True
        assets = self.session.assets
        taker = self._taker = self._taker or NodePictures(assets)

        def work(task):
            mesh = assets.mesh(look[2]) if look[2] else None
            return taker.try_take(material, mesh)

        def done(found) -> None:
            self._busy = False
            self.pictures, self.width_mm = found
            self._pixmaps = {}
            self.update()
            self.selected.emit()
            if self.isVisible():
                self._take_pictures()  # what changed meanwhile

        self.session.start_task("Picturing nodes", work, done)

    def pixmap(self, name: str) -> QPixmap | None:
        """The picture of a node or, for a group, of what it gives."""
        material = self.material
        if name not in self._pixmaps and material is not None:
            shown = name if name in self.pictures else self._given_by(name)
            found = self.pictures.get(shown)
            if found is None:
                return None
            h, w, _ = found.pixels.shape
            self._pixmaps[name] = QPixmap.fromImage(QImage(found.pixels.data, w, h, 3 * w, QImage.Format.Format_RGB888).copy())
        return self._pixmaps.get(name)

    def _given_by(self, group_id: str) -> str:
        """The node of a group whose value leaves it, else its last."""
        material = self.material
        assert material is not None
        inside = [n.id for n in material.nodes if n.group == group_id]
        for target, reference in node_edits.leads(material).items():
            name = source_of(reference)[0]
            if name in inside and not (target[0] == "node" and target[1] in inside):
                return name
        return inside[-1] if inside else ""

    # the view

    def to_screen(self, at: QPointF) -> QPointF:
        """A place of the bench on screen."""
        return QPointF(at.x() * self.zoom + self.origin.x(), at.y() * self.zoom + self.origin.y())

    def to_bench(self, at: QPointF) -> QPointF:
        """A place on screen on the bench."""
        return QPointF((at.x() - self.origin.x()) / self.zoom, (at.y() - self.origin.y()) / self.zoom)

    def frame_all(self) -> None:
        """Show every card."""
        whole = self.plan().bounds().adjusted(-16, -12, 16, 12)
        if whole.isEmpty() or self.width() < 10:
            return
        self.zoom = max(LEAST_ZOOM, min(1.0, self.width() / whole.width(), max(0.55, self.height() / whole.height())))
        self.origin = QPointF(0.5 * self.width() - whole.center().x() * self.zoom, 0.5 * self.height() - whole.center().y() * self.zoom)
        if whole.height() * self.zoom > self.height():  # its top is where the eye begins
            self.origin.setY(-whole.top() * self.zoom)
        self.update()

    def resizeEvent(self, event) -> None:  # noqa: N802
        """Everything stays in view while nothing was moved by hand."""
        super().resizeEvent(event)
        if self._framed is not None and event.oldSize() != QSize(-1, -1):
            self.frame_all()

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

    def _node(self, name: str) -> Node | None:
        return next((n for n in self.material.nodes if n.id == name), None) if self.material is not None else None

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

    # drawing

    def paintEvent(self, event) -> None:  # noqa: N802
        """Wires under cards under what is in hand."""
        t = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), QColor(t.panel))
        if self.material is None:
            painter.setPen(QColor(t.quiet))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Click a part to see the nodes of its material")
            return
        found = self.plan()
        for wire in found.wires:
            self._draw_wire(painter, wire)
        for card in found.cards.values():
            self._draw_card(painter, card)
        for wire in found.wires:
            self._draw_words(painter, wire)
        self._draw_hand(painter)

    def _shifted(self, card: str, at: QPointF) -> QPointF:
        """A place of a card while it is being moved."""
        return at + self._hand[2] if self._hand and self._hand[0] == "move" and card in self.chosen else at

    def _owner(self, name: str) -> str:
        node = self._node(name)
        return node.group or name if node is not None else name

    def _path(self, start: QPointF, end: QPointF) -> QPainterPath:
        a, b = self.to_screen(start), self.to_screen(end)
        pull = max(16.0, 0.5 * abs(b.x() - a.x()))
        path = QPainterPath(a)
        path.cubicTo(QPointF(a.x() + pull, a.y()), QPointF(b.x() - pull, b.y()), b)
        return path

    def _draw_wire(self, painter: QPainter, wire: Wire) -> None:
        t = theme.current()
        if self._hand and self._hand[0] == "wire" and self._hand[2] == wire.target:
            return
        card = self._owner(wire.source)
        held = wire.target[1] if wire.target[0] == "node" else ""
        hot = card in self.chosen or self._owner(held) in self.chosen
        start, end = self._shifted(card, wire.start), self._shifted(self._owner(held), wire.end)
        painter.setPen(QPen(QColor(t.accent if hot else t.quiet), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(self._path(start, end))

    def _draw_words(self, painter: QPainter, wire: Wire) -> None:
        """What happens to what flows along a wire, on it."""
        if self._hand or self.material is None:
            return
        t = theme.current()
        path = self._path(wire.start, wire.end)
        name, reads = source_of(wire.reference)
        normal = wire.target[-1] in ("normal", "coat_normal")
        words = node_edits.conversion(self.flows().get(name, "number"), node_edits.takes(wire.target, self.material), reads, normal)
        if words and self.zoom > 0.75 and words != "all three":
            middle = path.pointAtPercent(0.5)
            font = QFont(painter.font())
            font.setPixelSize(10)
            painter.setFont(font)
            box = QFontMetricsF(font).boundingRect(words).adjusted(-4, -1, 4, 1)
            box.moveCenter(middle)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.panel))
            painter.drawRoundedRect(box.adjusted(0, 1, 0, -1), 3, 3)
            painter.setPen(QColor(t.quiet))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _draw_card(self, painter: QPainter, card: Card) -> None:
        t = theme.current()
        offset = self._shifted(card.id, QPointF(0.0, 0.0))
        rect = card.rect.translated(offset)
        box = QRectF(self.to_screen(rect.topLeft()), rect.size() * self.zoom)
        painter.setPen(QPen(QColor(t.accent if card.id in self.chosen else t.line), 1.0))
        painter.setBrush(QColor(t.field))
        painter.drawRoundedRect(box, 3, 3)
        if card.kind == "group":
            painter.drawRoundedRect(box.adjusted(3, 3, -3, -3), 3, 3)
        led = {w.target for w in self.plan().wires}
        painter.save()
        painter.translate(box.topLeft())
        painter.scale(self.zoom, self.zoom)
        if card.kind in ("surface", "layer"):
            self._surface_text(painter, card, led)
        else:
            self._node_text(painter, card)
        painter.restore()
        for target, _, at in card.inputs:
            self._dot(painter, self.to_screen(at + offset), target in led)
        if card.output is not None:
            self._dot(painter, self.to_screen(card.output + offset), True)

    def _dot(self, painter: QPainter, at: QPointF, lit: bool) -> None:
        t = theme.current()
        painter.setPen(QPen(QColor(t.text if lit else t.quiet), 1.2))
        painter.setBrush(QColor(t.text) if lit else QColor(t.panel))
        size = max(2.0, 3.6 * min(1.0, self.zoom))
        painter.drawEllipse(at, size, size)

    def _fonts(self) -> tuple[QFont, QFont]:
        bold, plain = QFont(self.font()), QFont(self.font())
        bold.setPixelSize(12)
        bold.setWeight(QFont.Weight.DemiBold)
        plain.setPixelSize(11)
        return bold, plain

    def _node_text(self, painter: QPainter, card: Card) -> None:
        t = theme.current()
        node = self._node(card.id)
        material = self.material
        assert material is not None
        bold, plain = self._fonts()
        pixmap = self.pixmap(card.id)
        thumb = QRectF(7, 7, THUMB, THUMB)
        if pixmap is not None:
            painter.drawPixmap(thumb, pixmap, QRectF(pixmap.rect()))
        else:
            painter.fillRect(thumb, QColor(t.raised))
        found = self.pictures.get(card.id)
        if found is not None and found.fault:
            icon = theme.icon("warning", t.caution, 20).pixmap(20, 20)
            painter.drawPixmap(QRectF(19, 19, 20, 20), icon, QRectF(icon.rect()))
        if node is not None:
            title, more = node_edits.label_of(node), told_numbers(node)
            if node.name:
                more = KINDS[node.kind].label
        else:
            group = next(g for g in material.groups if g.id == card.id)
            title, more = group.name, f"{sum(n.group == card.id for n in material.nodes)} nodes"
        text = QRectF(57, 5, card.rect.width() - 63, 48)
        painter.setFont(bold)
        painter.setPen(QColor(t.text))
        room = QFontMetricsF(bold)
        lines = self._lines(title, room, text.width(), 2)
        for k, line in enumerate(lines):
            painter.drawText(QRectF(text.x(), text.y() + 15 * k, text.width(), 15), Qt.AlignmentFlag.AlignVCenter, line)
        painter.setFont(plain)
        painter.setPen(QColor(t.quiet))
        room = QFontMetricsF(plain)
        for k, line in enumerate(self._lines(more, room, text.width(), 3 - len(lines))):
            painter.drawText(QRectF(text.x(), text.y() + 15 * (k + len(lines)), text.width(), 15), Qt.AlignmentFlag.AlignVCenter, line)

    def _lines(self, words: str, room: QFontMetricsF, width: float, most: int) -> list[str]:
        """Words on as many lines as there are, the last shortened where they do not fit."""
        lines: list[str] = []
        for word in words.split():
            if lines and room.horizontalAdvance(f"{lines[-1]} {word}") <= width:
                lines[-1] += f" {word}"
            else:
                lines.append(word)
        if len(lines) > most:
            lines = [*lines[: most - 1], " ".join(lines[most - 1 :])] if most > 0 else []
        return [room.elidedText(line, Qt.TextElideMode.ElideRight, width) for line in lines]

    def _surface_text(self, painter: QPainter, card: Card, led: set[Target]) -> None:
        t = theme.current()
        material = self.material
        assert material is not None
        bold, plain = self._fonts()
        layer = next((one for one in material.layers if one.id == card.id), None)
        painter.setFont(bold)
        painter.setPen(QColor(t.text))
        title = layer.name if layer is not None else material.name
        painter.drawText(QRectF(12, 6, card.rect.width() - 20, 18), Qt.AlignmentFlag.AlignVCenter, QFontMetricsF(bold).elidedText(
            title, Qt.TextElideMode.ElideRight, card.rect.width() - 20))  # fmt: skip
        ball = self.session_ball(card.id)
        if ball is not None:
            painter.drawPixmap(QRectF(12, 27, 78, 52), ball, QRectF(ball.rect()))
        painter.setFont(plain)
        for target, words, at in card.inputs:
            y = at.y() - card.rect.top()
            painter.setPen(QColor(t.text if target in led else t.quiet))
            painter.drawText(QRectF(12, y - 11, card.rect.width() - 18, 22), Qt.AlignmentFlag.AlignVCenter, words)
        painter.setPen(QColor(t.accent_text))
        painter.drawText(QRectF(12, card.rect.height() - 22, 100, 20), Qt.AlignmentFlag.AlignVCenter, "Fewer" if self.every else "All parameters")

    def session_ball(self, card: str) -> QPixmap | None:
        """The ball of the surface or a layer; asked for by the bench that holds the canvas."""
        return None

    def _draw_hand(self, painter: QPainter) -> None:
        t = theme.current()
        hand = self._hand
        if not hand:
            return
        if hand[0] == "box":
            painter.setPen(QPen(QColor(t.accent), 1.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(hand[1], self._at).normalized())
            return
        if hand[0] not in ("wire", "back"):
            return
        end = self.to_bench(self._at)
        if hand[0] == "wire":
            card = self.plan().cards.get(self._owner(source_of(hand[1])[0]))
            if card is None or card.output is None:
                return
            path = self._path(card.output, end)
        else:
            start = next((p for c in self.plan().cards.values() for d, _, p in c.inputs if d == hand[1]), None)
            if start is None:
                return
            path = self._path(end, start)
        painter.setPen(QPen(QColor(t.accent_hover), 2.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
