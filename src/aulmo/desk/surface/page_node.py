"""The numbers of the chosen node in Details: what leads each input, its choices, a gradient's stops, and what it measures here."""

from pathlib import Path
from typing import Any, Callable

from msgspec.structs import replace
from PySide6.QtCore import QRectF, QSettings, Qt
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from aulmo.desk.shell.bound import Bound, BoundSlider, bound
from aulmo.desk.shell.details import Page
from aulmo.desk.surface.bench_nodes import NodesBench
from aulmo.desk.surface.decal_commands import PICTURES
from aulmo.desk.surface.node_rows import input_row, is_coloured
from aulmo.desk.surface.page import SECTIONS
from aulmo.desk.widgets.colour_field import ColourRow
from aulmo.desk.widgets.fields import Choice, NumberField, Section, SliderRow, button, label, row
from aulmo.document import edits
from aulmo.document.node_table import KINDS, Input, choice_of, source_of
from aulmo.document.records import Material, Node, NodeGroup, Stop, SurfaceLayer
from aulmo.surface import node_edits
from aulmo.surface.picture_set import loaded

_ALONG = {"stripes": "Across", "dots": "Along", "wood": "Along", "noise": "Along", "ramp": "Along", "gradient": "Along", "brushed": "Along"}
_TITLES = {
    "shape": "Shape", "repeat": "Repeated", "style": "Gives", "space": "In", "invert": "Is 1", "geomprop": "Which", "doclamp": "Ends",
    "index": "Which",
    "pattern": "Pattern", "way": "Lines", "gives": "Gives", "over": "Over", "in": "Stops in", "between": "Between", "operationorder": "Order",
    "uaddressmode": "Beyond, across", "vaddressmode": "Beyond, down", "text": "Text",
}  # fmt: skip
PICTURE_HEIGHT = 132


class NodePage(Page):
    """One node, one group of nodes, or one layer."""

    def __init__(self, bench: NodesBench) -> None:
        super().__init__(bench.session)
        self.bench = bench
        self.kind_card = QFrame()
        self.kind_card.setObjectName("card")
        line = QHBoxLayout(self.kind_card)
        line.setContentsMargins(10, 4, 10, 4)
        self.kind_text = label("", "")
        line.addWidget(self.kind_text, 1)
        self.body.addWidget(self.kind_card)
        self.picture = QLabel()
        self.picture.setFixedHeight(PICTURE_HEIGHT)
        self.body.addWidget(self.picture)
        self.told = label("", wrap=True)
        self.told.setContentsMargins(2, 0, 0, 4)
        self.body.addWidget(self.told)
        self.inner = QWidget()
        self.column = QVBoxLayout(self.inner)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(3)
        self.body.addWidget(self.inner)
        self.measured = Section("Measured here", "surface/measured")
        self.figures = {}
        for words in ("Lowest", "Mean", "Highest"):
            value = label("", "")
            value.setAlignment(Qt.AlignmentFlag.AlignRight)
            self.figures[words] = value
            self.measured.add(row(words, value))
        self.body.addWidget(self.measured)
        self.body.addStretch(1)
        self.rows: dict[str, Bound] = {}
        self.links: dict[str, QWidget] = {}
        self._shape: object = None
        self._held: QWidget | None = None
        bench.canvas.selected.connect(self._show_picture)

    def subject(self) -> tuple[Material | None, str]:
        """The material and the id of the card."""
        steps = self.session.subject.split("/")
        if len(steps) < 3 or steps[0] != "nodes":
            return None, ""
        return self.session.document.materials.get(steps[1]), steps[2]

    def show_document(self) -> None:
        """Rows for what is chosen, built anew when it is something else or led otherwise."""
        material, name = self.subject()
        if material is None:
            return
        node = next((n for n in material.nodes if n.id == name), None)
        group = next((g for g in material.groups if g.id == name), None)
        layer = next((one for one in material.layers if one.id == name), None)
        shape: object
        if node is not None:
            led = tuple((k, v) for k, v in node.inputs.items() if isinstance(v, str))
            wide = tuple(k for k, v in node.inputs.items() if isinstance(v, tuple))
            shape = (
                material.id,
                name,
                node.kind,
                led,
                wide,
                tuple(node.choices.items()),
                len(node.stops),
                node.file,
                tuple(one.id for one in material.lays),
            )
        else:
            shape = (material.id, name, group, layer and (layer.wires, isinstance(layer.mask, str)))
        if shape != self._shape:
            self._shape = shape
            self._rebuild(material, node, group, layer)
        named = group or layer or material
        title = node_edits.label_of(node) if node is not None else named.name
        self.title.setText(title)
        for made in self.rows.values():
            made.refresh()
        if node is not None and node.kind == "gradient":
            self._show_stops(node)
        self._show_picture()

    def _show_picture(self) -> None:
        material, name = self.subject()
        canvas = self.bench.canvas
        found = canvas.pictures.get(
            name if name in canvas.pictures else canvas._given_by(name) if material is not None and canvas.material is not None else ""
        )
        pixmap = canvas.pixmap(name) if found is not None else None
        self.picture.setVisible(pixmap is not None)
        self.measured.setVisible(found is not None and not found.fault)
        if found is None or pixmap is None:
            self.told.setVisible(False)
            return
        self.told.setVisible(True)
        width = max(40, self.width() - 28)
        shown = QPixmap(width, PICTURE_HEIGHT)
        painter = QPainter(shown)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        tall = pixmap.height() * PICTURE_HEIGHT / width
        painter.drawPixmap(QRectF(0, 0, width, PICTURE_HEIGHT), pixmap, QRectF(0, 0.5 * (pixmap.height() - tall), pixmap.width(), tall))
        painter.end()
        self.picture.setPixmap(shown)
        self.told.setText(found.fault or f"What it gives, on a {canvas.width_mm:.0f} mm square of the part")
        for words, value in (("Lowest", found.lowest), ("Mean", found.mean), ("Highest", found.highest)):
            self.figures[words].setText(f"{value:.3g}")

    # building

    def _put(self, widget: QWidget) -> QWidget:
        self.column.addWidget(widget)
        return widget

    def _rebuild(self, material: Material, node: Node | None, group: NodeGroup | None, layer: SurfaceLayer | None) -> None:
        while self.column.count():
            item = self.column.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.rows, self.links = {}, {}
        if node is not None:
            self._build_node(material, node)
        elif group is not None:
            self._build_group(material, group)
        elif layer is not None:
            self._build_layer(material, layer)

    def _name_row(self, value: str, placeholder: str, put: Callable[[str], None]) -> None:
        field = QLineEdit(value)
        field.setPlaceholderText(placeholder)
        field.setAccessibleName("Name")
        field.editingFinished.connect(lambda: field.text().strip() != value and put(field.text().strip()))
        self._put(row("Name", field))

    def _change(self, told: str, change: Callable[[Material], Material]) -> None:
        self.bench.canvas.attempt(told, change)

    def _node_changed(self, told: str, node_id: str, **fields) -> None:
        self._change(told, lambda m: node_edits.with_node(m, replace(next(n for n in m.nodes if n.id == node_id), **fields)))

    def _build_node(self, material: Material, node: Node) -> None:
        kind = KINDS[node.kind]
        flows = node_edits.flow_of(material)
        given = node_edits.WORDS[flows.get(node.id, kind.gives)]
        entry = next((node_edits.WORDS[one.takes] + " to " for one in kind.inputs if one.led and one.takes != "either"), "")
        self.kind_text.setText(f"{kind.label} · {entry}{given}" + ("" if kind.standard else "  ·  Aulmo's own"))
        self.kind_text.setToolTip(kind.tip or kind.label)
        self._name_row(node.name, kind.label, lambda text: self._node_changed("Named a node", node.id, name=text))
        if "image" in kind.uses and (node.kind != "shapes" or choice_of(node.kind, node.choices, "shape") == "drawn"):
            words = node.file or "No picture yet"
            if node.file and node.image is None:
                words += "  (missing)"
            self._put(
                row("Picture" if node.kind != "shapes" else "Shape", label(words, ""), button("Choose…", lambda: self._choose_file(node), "small"))
            )
            if node.kind != "shapes":
                for step in ("channel", "as_colour"):
                    self._add_bound(step, f"materials/{{material}}/nodes/{node.id}/{step}")
        for name, values in kind.choices.items():
            if node.kind == "image" and not isinstance(node.inputs.get("texcoord"), str):
                continue
            self._put(self._choice_row(node, name, values))
        if "lay" in kind.uses and material.lays and not isinstance(node.inputs.get("texcoord"), str):
            held = Choice()
            none = "By the file's coordinates" if node.kind == "texcoord" else "About the part's axis"
            held.fill([(none, ""), *((f"Lay {k + 1}, {one.projection}", one.id) for k, one in enumerate(material.lays))], node.lay)
            held.setAccessibleName("Lay")
            held.chosen.connect(lambda lay: self._node_changed("Laid otherwise", node.id, lay=lay or ""))
            self._put(row("Laid by", held))
        if "projection" in kind.uses and not node.lay:
            self._add_bound("projection", f"materials/{{material}}/nodes/{node.id}/projection")
        if "axis" in kind.uses and not node.lay:
            self._add_bound("axis", f"materials/{{material}}/nodes/{node.id}/axis", _ALONG.get(node.kind, "Axis"))
        for one in kind.inputs:
            if node.kind == "image" and node.lay and one.name != "strength" and not one.led:
                continue
            if node.kind == "gradient" and one.name == "in" and choice_of("gradient", node.choices, "over") != "wire":
                continue
            self._input_row(material, node, one)
        if node.kind == "gradient":
            self._build_stops(node)

    def _add_bound(self, key: str, template: str, title: str = "", default: Any = None, kind: Callable[..., Bound] | None = None) -> Bound:
        made = bound(self.session, template, title, default, kind)
        self.rows[key] = made
        self._put(made.widget)
        return made

    def _input_row(self, material: Material, node: Node, one: Input, title: str = "") -> None:
        value = node.inputs.get(one.name, one.default)
        title = title or one.label
        key = one.name if title == one.label else f"{node.id}/{one.name}"
        if isinstance(value, str):
            self._put(self._led_row(material, title, value, ("node", node.id, one.name), key))
            return
        if one.default is None and value is None:
            where = "its position" if one.name == "position" else "its coordinates"
            self._put(row(title, label(where)))
            return
        if one.takes == "direction" or (one.takes == "either" and isinstance(value, tuple) and node.kind in ("rotate2d", "rotate3d")):
            self._put(self._triple_row(node, one, value))
            return
        coloured = is_coloured(node, one)
        made = self.rows[key] = input_row(self.session, node, one, title)
        self._put(made.widget)
        if one.takes == "either" and node.kind in ("constant", "mix", "ramplr", "ramptb", "ramp4", "splitlr", "splittb"):
            wanted = "number" if coloured else "colour"
            fresh = (float(value[0]) if coloured else (float(value),) * 3) if value is not None else 0.5
            self._put(button(f"{title} as a {wanted}", lambda: self._put_input(node.id, one.name, fresh), "link"))

    def _put_input(self, node_id: str, name: str, value: Any) -> None:
        self._change("Changed a node", lambda m: node_edits.with_node(
            m, replace(n := next(n for n in m.nodes if n.id == node_id), inputs={**n.inputs, name: value})))  # fmt: skip

    def _triple_row(self, node: Node, one: Input, value: Any) -> QWidget:
        fields = []
        numbers = value if isinstance(value, tuple) else (float(value),) * 3
        shown = 2 if node.kind in ("place2d", "rotate2d", "tiledimage") else 3
        for k in range(shown):
            field = NumberField("", one.least, one.most, 3)
            field.setAccessibleName(f"{one.label} {'xyz'[k]}")
            field.set_value(numbers[k])
            field.trouble.connect(self.session.trouble)
            field.edited.connect(lambda v, k=k: self._put_input(node.id, one.name, tuple(float(v) if j == k else numbers[j] for j in range(3))))
            fields.append(field)
        return row(one.label, *fields)

    def _led_row(self, material: Material, title: str, reference: str, target: node_edits.Target, key: str) -> QWidget:
        """What leads an input: its name goes there; how a colour is read; and a cross that takes the wire off."""
        name, reads = source_of(reference)
        source = next((n for n in material.nodes if n.id == name), None)
        go = button(node_edits.label_of(source) if source is not None else "nothing", lambda: self.bench.canvas.choose((source.group or name,)),
        "link",
                    "Go to what leads it") if source is not None else label("nothing")  # fmt: skip
        self.links[key] = go
        widgets: list[QWidget] = [go]
        flow = node_edits.flow_of(material).get(name, "number")
        if flow == "colour" and node_edits.takes(target, material) == "number":
            how = Choice()
            how.setAccessibleName(f"How {title} reads it")
            how.fill([("Luminance", ""), ("Red", "red"), ("Green", "green"), ("Blue", "blue")], reads if reads != "luminance" else "")
            how.chosen.connect(lambda r: self._change("Read otherwise", lambda m: node_edits.connected(m, f"{name}:{r}" if r else name, target)))
            how.setMaximumWidth(96)
            widgets.append(how)
        widgets.append(button("✕", lambda: self._change("Took a wire off", lambda m: node_edits.connected(m, None, target)), "link",
            "Take the wire off"))
        return row(title, *widgets)

    def _choice_row(self, node: Node, name: str, values: dict[str, str]) -> QWidget:
        title = _TITLES.get(name, name.capitalize())
        if not values:
            field = QLineEdit(node.choices.get(name, ""))
            field.setAccessibleName(title)
            field.editingFinished.connect(
                lambda: (
                    field.text() != node.choices.get(name, "")
                    and self._node_changed(f"Changed {title.lower()}", node.id, choices={**node.choices, name: field.text()})
                )
            )
            return row(title, field)
        choice = Choice()
        choice.setAccessibleName(title)
        choice.fill([(text, key) for key, text in values.items()], choice_of(node.kind, node.choices, name))
        choice.chosen.connect(lambda key: self._node_changed(f"Changed {title.lower()}", node.id, choices={**node.choices, name: key}))
        return row(title, choice)

    def _choose_file(self, node: Node) -> None:
        start = str(QSettings().value("artwork", self.bench.desk.folder()))
        wanted = "Drawings (*.svg)" if node.kind == "shapes" else PICTURES
        name, _ = QFileDialog.getOpenFileName(self, "Picture", start, wanted)
        if name:
            self.take_file(node.id, Path(name))

    def take_file(self, node_id: str, path: Path) -> None:
        """Give a node a picture file."""
        found = self.session.attempt(lambda: loaded(self.session.assets, path))
        if found is not None:
            QSettings().setValue("artwork", str(path.parent))
            self._node_changed(f"Chose {path.name}", node_id, image=found[0], file=path.name)

    # a gradient's stops

    def _build_stops(self, node: Node) -> None:
        section = Section("Stops", "surface/stops")
        self._stops: list[tuple[NumberField, ColourRow | NumberField]] = []
        unit = "mm" if choice_of("gradient", node.choices, "in") == "mm" else ""
        for k, stop in enumerate(node.stops):
            field = NumberField(unit, -1e6, 1e6, 2)
            field.setAccessibleName(f"Stop {k + 1} at")
            field.setFixedWidth(70)
            field.trouble.connect(self.session.trouble)
            field.edited.connect(lambda v, k=k: self._put_stop(node.id, k, at=float(v)))
            colour: ColourRow | NumberField
            if choice_of("gradient", node.choices, "gives") == "number":
                colour = NumberField("", -1e6, 1e6, 3)
                colour.setAccessibleName(f"Stop {k + 1} gives")
                colour.edited.connect(lambda v, k=k: self._put_stop(node.id, k, colour=(float(v), float(v), float(v))))
            else:
                colour = ColourRow("", stop.colour)
                for words in colour.findChildren(QLabel):
                    words.hide()
                colour.changed.connect(lambda c, busy, k=k: self._put_stop(node.id, k, busy, colour=tuple(float(v) for v in c)))
            colour.trouble.connect(self.session.trouble)
            line = QWidget()
            across = QHBoxLayout(line)
            across.setContentsMargins(9, 0, 0, 0)
            across.setSpacing(4)
            across.addWidget(field)
            across.addWidget(colour, 1)
            across.addWidget(button("✕", lambda k=k: self._put_stops(node.id, k, None), "link", "Take this stop out"))
            section.add(line)
            self._stops.append((field, colour))
        section.add(button("Add a stop", lambda: self._add_stop(node.id), "link"))
        self._put(section)
        self._show_stops(node)

    def _show_stops(self, node: Node) -> None:
        for (field, colour), stop in zip(self._stops, node.stops):
            field.set_value(stop.at)
            if isinstance(colour, ColourRow):
                colour.set_value(stop.colour)
            else:
                colour.set_value(stop.colour[0])

    def _node(self, node_id: str) -> Node | None:
        material, _ = self.subject()
        return next((n for n in material.nodes if n.id == node_id), None) if material is not None else None

    def _put_stop(self, node_id: str, k: int, busy: bool = False, **fields) -> None:
        material, _ = self.subject()
        node = self._node(node_id)
        if node is None or material is None or k >= len(node.stops):
            return
        stops = tuple(replace(s, **fields) if j == k else s for j, s in enumerate(node.stops))
        made = node_edits.with_node(material, replace(node, stops=stops))
        self.session.apply("Changed a stop", edits.put_material(self.session.document, made), ("stop", node_id, k) if busy else None)

    def _put_stops(self, node_id: str, k: int, _none: None) -> None:
        node = self._node(node_id)
        if node is not None:
            self._node_changed("Took a stop out", node_id, stops=tuple(s for j, s in enumerate(node.stops) if j != k))

    def _add_stop(self, node_id: str) -> None:
        node = self._node(node_id)
        if node is None:
            return
        stops = sorted(node.stops, key=lambda s: s.at)
        if not stops:
            fresh: tuple[Stop, ...] = (Stop(0.0, (0.05, 0.05, 0.05)), Stop(1.0, (0.8, 0.8, 0.8)))
        elif len(stops) == 1:
            fresh = (*stops, Stop(stops[0].at + 1.0, stops[0].colour))
        else:  # in the middle of the widest gap
            k = max(range(len(stops) - 1), key=lambda j: stops[j + 1].at - stops[j].at)
            one, other = stops[k], stops[k + 1]
            colour = tuple(0.5 * (a + b) for a, b in zip(one.colour, other.colour))
            fresh = (*stops[: k + 1], Stop(0.5 * (one.at + other.at), (colour[0], colour[1], colour[2])), *stops[k + 1 :])
        self._node_changed("Added a stop", node_id, stops=tuple(fresh))

    # groups and layers

    def _build_group(self, material: Material, group: NodeGroup) -> None:
        self.kind_text.setText(f"{sum(n.group == group.id for n in material.nodes)} nodes in one card")
        self._name_row(group.name, "Group", lambda text: self._group_changed(group.id, name=text or "Group"))
        by_id = {n.id: n for n in material.nodes}
        for key, words in group.inputs.items():
            name, entry = key.split("/")
            node = by_id.get(name)
            one = next((i for i in KINDS[node.kind].inputs if i.name == entry), None) if node is not None else None
            if node is None or one is None:
                continue
            self._input_row(material, node, one, words)
            field = QLineEdit(words)
            field.setAccessibleName(f"Name of {words}")
            field.editingFinished.connect(lambda f=field, k=key: f.text() and self._group_changed(group.id, inputs={**group.inputs, k: f.text()}))
            hide = button(
                "✕", lambda k=key: self._group_changed(group.id, inputs={i: w for i, w in group.inputs.items() if i != k}), "link", "Not on the card"
            )
            self._put(row("called", field, hide))
        more = Choice()
        inside = [
            (f"{node_edits.label_of(n)}: {i.label}", f"{n.id}/{i.name}")
            for n in material.nodes
            if n.group == group.id
            for i in KINDS[n.kind].inputs
            if i.led
        ]
        more.fill([("Show another input…", ""), *((w, k) for w, k in inside if k not in group.inputs)], "")
        more.setAccessibleName("Show another input")
        words_of = dict((k, w) for w, k in inside)
        more.chosen.connect(lambda k: k and self._group_changed(group.id, inputs={**group.inputs, k: words_of[k].split(": ")[-1]}))
        self._put(more)
        self._put(button("Take the card apart", lambda: self._change("Took a group apart", lambda m: node_edits.opened(m, group.id)), "link"))

    def _group_changed(self, group_id: str, **fields) -> None:
        self._change("Changed a card of nodes", lambda m: replace(m, groups=tuple(replace(g, **fields) if g.id == group_id else g for g in m.groups)))

    def _build_layer(self, material: Material, layer: SurfaceLayer) -> None:
        self.kind_text.setText("A whole surface over the one below")
        root = f"materials/{{material}}/layers/{layer.id}"
        self._name_row(layer.name, "Layer", lambda text: self._layer_changed(layer.id, name=text or "Layer"))
        if isinstance(layer.mask, str):
            self._put(self._led_row(material, "Shows where", layer.mask, ("mask", layer.id), "mask"))
        else:
            slider = SliderRow("Shows", 0.0, 1.0, "", 1.0, 2)
            slider.set_value(layer.mask)
            slider.changed.connect(lambda value, busy: self._layer_changed(layer.id, mask=float(value)))
            slider.trouble.connect(self.session.trouble)
            self._put(slider)
        wear = Choice()
        wear.setAccessibleName("Made of")
        others = [(m.name, m.id) for m in self.session.document.materials.values() if m.id != material.id]
        wear.fill([("Take a surface from…", ""), *others], "")
        wear.chosen.connect(lambda key: key and self._take_surface(layer.id, key))
        self._put(wear)
        for title, parameters in SECTIONS.items():
            section = Section(title, f"surface/layer {title}")
            for key in parameters:
                if key in layer.wires:
                    section.add(self._led_row(material, key.replace("_", " ").capitalize(), layer.wires[key], ("layer", layer.id, key), key))
                    continue
                made = bound(self.session, f"{root}/surface/{key}", "", None, BoundSlider if key == "nesting_priority" else None)
                self.rows[key] = made
                section.add(made.widget)
            self._put(section)

    def _layer_changed(self, layer_id: str, **fields) -> None:
        self._change("Changed a layer", lambda m: replace(m, layers=tuple(replace(o, **fields) if o.id == layer_id else o for o in m.layers)))

    def _take_surface(self, layer_id: str, other: str) -> None:
        """A layer made of what another material of the project has, its nodes with it."""
        taken = self.session.document.materials[other]

        def run(material: Material) -> Material:
            material, names = node_edits.pasted(material, node_edits.Clip(taken.nodes, taken.lays), (0.0, 160.0))
            new = dict(zip((n.id for n in taken.nodes), names))
            wires = {k: new[source_of(v)[0]] + (f":{source_of(v)[1]}" if source_of(v)[1] else "") for k, v in taken.wires.items()}
            layers = tuple(replace(o, name=taken.name, surface=taken.surface, wires=wires) if o.id == layer_id else o for o in material.layers)
            return replace(material, layers=layers)

        self._change(f"{taken.name} as a layer", run)
