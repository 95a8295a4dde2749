"""Surface: the material of what is selected, how many parts share it, and every parameter it has."""

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QFrame, QHBoxLayout, QLabel, QLineEdit, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.surface.page_grain import GrainSection
from aulmo.desk.widgets.colour_field import ColourRow
from aulmo.desk.widgets.fields import Choice, Section, SliderRow, button, label, row
from aulmo.document import edits
from aulmo.document.records import Surface
from aulmo.surface import metals
from aulmo.surface.program import MULTIPLIED

_DEFAULT = Surface()


class SurfacePage(Page):
    """One material."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.name = QLineEdit()
        self.name.setAccessibleName("Material name")
        self.name.editingFinished.connect(self._rename)
        self.shared = QFrame()
        self.shared.setObjectName("card")
        line = QHBoxLayout(self.shared)
        line.setContentsMargins(8, 3, 6, 3)
        self.mark = QLabel()
        self.shared_text = label("", "")
        line.addWidget(self.mark)
        line.addWidget(self.shared_text)
        line.addStretch(1)
        self.unique = button("Make unique", self._make_unique, "link")
        line.addWidget(self.unique)
        self.name_row = row("Name", self.name)
        for widget in (self.shared, self.name_row):
            self.body.addWidget(widget)
        self.rows: dict[str, QWidget] = {}
        self._tips: dict[str, str] = {}
        self.sections: list[Section] = []
        body = self._section("Body")
        self._colour(body, "base_color", "Colour")
        self._slider(body, "base_weight", "Strength", 0, 1)
        self._slider(body, "base_metalness", "Metalness", 0, 1)
        self.metal = Choice()
        self.metal.setAccessibleName("Measured metal")
        self.metal.chosen.connect(self._measured)
        body.add(row("Measured", self.metal, tip="Take the colour of a real metal from its optical constants"))
        self._slider(body, "base_diffuse_roughness", "Chalkiness", 0, 1)
        self.grain = self.watch(GrainSection())
        self.grain.changed.connect(self._set_grain)
        self.body.addWidget(self.grain)
        shine = self._section("Shine")
        self._slider(shine, "specular_roughness", "Roughness", 0, 1)
        self._slider(shine, "specular_ior", "Refraction", 1.0, 2.5, decimals=3, hard_high=5)
        self._slider(shine, "specular_roughness_anisotropy", "Stretch", 0, 1)
        self._slider(
            shine, "geometry_tangent_turn", "Stretch turn", -90, 90, "°", 1, hard_low=-360, hard_high=360,
            tip="Away from running round the part's own axis",
        )  # fmt: skip
        self._slider(shine, "specular_weight", "Strength", 0, 1)
        self._colour(shine, "specular_color", "Edge tint")
        clear = self._section("Clear")
        self._slider(clear, "transmission_weight", "Clearness", 0, 1)
        self._colour(clear, "transmission_color", "Tint")
        self._slider(
            clear,
            "transmission_depth",
            "Tint at",
            0,
            100,
            "mm",
            1,
            curve=2,
            hard_high=1e6,
            tip="Thickness at which the tint is reached; 0 tints the surface",
        )
        self._colour(clear, "transmission_scatter", "Cloudiness", tip="How much of the light each colour loses to scattering over the depth above")
        self._slider(clear, "transmission_scatter_anisotropy", "Cloud bias", -1, 1, tip="Below zero scatters back, above zero onward")
        self._slider(clear, "transmission_dispersion_scale", "Dispersion", 0, 1, tip="How strongly colours are bent apart; 0 is off")
        self._slider(clear, "transmission_dispersion_abbe_number", "Abbe number", 9, 91, "", 1, hard_low=1, hard_high=500)
        self._slider(
            clear, "nesting_priority", "Priority", -5, 5, "", 0, hard_low=-100, hard_high=100,
            tip="Where clear solids overlap, the higher one is what is there: let oil reach into its glass and give the glass more",
        )  # fmt: skip
        self.thin = QCheckBox("Thin sheet")
        self.thin.clicked.connect(lambda on: self._set("geometry_thin_walled", on, False))
        clear.add(row("", self.thin, tip="A pane without an inside: light passes straight"))
        below = self._section("Below the surface")
        self._slider(below, "subsurface_weight", "Amount", 0, 1)
        self._colour(below, "subsurface_color", "Colour")
        self._slider(below, "subsurface_radius", "Reach", 0, 20, "mm", 2, curve=2, hard_high=1e5, tip="How far light wanders between scatterings")
        self._colour(below, "subsurface_radius_scale", "By colour")
        self._slider(below, "subsurface_scatter_anisotropy", "Bias", -1, 1)
        fuzz = self._section("Fuzz")
        self._slider(fuzz, "fuzz_weight", "Amount", 0, 1)
        self._colour(fuzz, "fuzz_color", "Colour")
        self._slider(fuzz, "fuzz_roughness", "Roughness", 0, 1)
        film = self._section("Thin film")
        self._slider(film, "thin_film_weight", "Amount", 0, 1)
        self._slider(film, "thin_film_thickness", "Thickness", 0, 1.5, "µm", 3, hard_high=50)
        self._slider(film, "thin_film_ior", "Refraction", 1.0, 2.5, decimals=3, hard_high=5)
        coat = self._section("Clear coat")
        self._slider(coat, "coat_weight", "Amount", 0, 1)
        self._slider(coat, "coat_roughness", "Roughness", 0, 1)
        self._slider(coat, "coat_roughness_anisotropy", "Stretch", 0, 1)
        self._slider(coat, "coat_ior", "Refraction", 1.0, 2.5, decimals=3, hard_high=5)
        self._colour(coat, "coat_color", "Tint")
        self._slider(coat, "coat_darkening", "Deepening", 0, 1)
        glow = self._section("Glow")
        self._slider(glow, "emission_luminance", "Luminance", 0, 20000, "nits", 0, curve=3, hard_high=1e9)
        self._colour(glow, "emission_color", "Colour")
        self._slider(self._section("Cut out"), "geometry_opacity", "Opacity", 0, 1)
        self.body.addStretch(1)

    def _section(self, title: str) -> Section:
        section = Section(title, f"surface/{title}")
        self.sections.append(section)
        self.body.addWidget(section)
        return section

    def _slider(
        self,
        section: Section,
        key: str,
        title: str,
        low: float,
        high: float,
        unit: str = "",
        decimals: int = 2,
        curve: float = 1.0,
        hard_high: float | None = None,
        tip: str = "",
        hard_low: float | None = None,
    ) -> None:
        hard_high = high if hard_high is None else hard_high
        made = SliderRow(title, low, high, unit, getattr(_DEFAULT, key), decimals, hard_low=hard_low, hard_high=hard_high, curve=curve, tip=tip)
        whole = isinstance(getattr(_DEFAULT, key), int)
        made.changed.connect(lambda value, busy, k=key: self._set(k, round(value) if whole else value, busy))
        self.rows[key] = section.add(self.watch(made))
        self._tips[key] = made.toolTip()

    def _colour(self, section: Section, key: str, title: str, tip: str = "") -> None:
        made = ColourRow(title, getattr(_DEFAULT, key))
        made.setToolTip(tip)
        made.changed.connect(lambda value, busy, k=key: self._set(k, tuple(value), busy))
        self.rows[key] = section.add(self.watch(made))
        self._tips[key] = made.toolTip()

    def _material_id(self) -> str | None:
        document = self.session.document
        if self.session.subject == "floor":
            return document.floor.material
        if self.session.subject.startswith("material:"):
            found = self.session.subject[9:]
            return found if found in document.materials else None
        worn = [document.parts[i].material for i in edits.leaves(document, self.session.selection)]
        return worn[0] if worn else None

    def show_document(self) -> None:
        """Bring every row up to date."""
        material_id = self._material_id()
        document = self.session.document
        material = document.materials.get(material_id or "")
        for widget in (*self.sections, self.shared, self.name_row):
            widget.setVisible(material is not None)
        self.grain.show_material(material)
        if material is None:
            self.title.setText("Click a part to see its material")
            return
        self.title.setText(material.name)
        if not self.name.hasFocus():
            self.name.setText(material.name)
        users = edits.users_of(document, material.id)
        chosen = set(edits.leaves(document, self.session.selection))
        shared = len(users) > 1
        self.mark.setPixmap(
            theme.icon("link-simple" if shared else "check", theme.current().caution if shared else theme.current().fine).pixmap(15, 15)
        )
        self.shared_text.setText(f"Shared by {len(users)} parts" if shared else "Only on this part" if users else "On no part")
        self.unique.setVisible(shared and bool(chosen) and not set(users) <= chosen)
        for key, made in self.rows.items():
            made.set_value(getattr(material.surface, key))
            led = key in material.wires and key not in MULTIPLIED
            made.setEnabled(not led)
            made.setToolTip("Led by the grain" if led else self._tips[key])
        self.thin.setChecked(material.surface.geometry_thin_walled)
        names = [("None", None)] + [(n, n) for n in metals.names()]
        measured = next((n for n in metals.names() if metals.openpbr_colours(n)[0] == tuple(material.surface.base_color)), None)
        self.metal.fill(names, measured)

    def _set(self, key: str, value, busy: bool) -> None:
        material_id = self._material_id()
        if material_id is None:
            return
        name = self.session.document.materials[material_id].name
        document = edits.change_surface(self.session.document, material_id, **{key: value})
        self.session.apply(f"Changed {name}", document, self.merge(f"{material_id}/{key}", busy))
        if not busy:
            self.session.history.end_merge()

    def _set_grain(self, node_id: str, key: str, value, busy: bool) -> None:
        material_id = self._material_id()
        if material_id is None:
            return
        document = edits.change_node(self.session.document, material_id, node_id, **{key: value})
        name = self.session.document.materials[material_id].name
        self.session.apply(f"Changed the grain of {name}", document, self.merge(f"{material_id}/{node_id}/{key}", busy))
        if not busy:
            self.session.history.end_merge()

    def _measured(self, name: str | None) -> None:
        material_id = self._material_id()
        if material_id is None or name is None:
            return
        base, edge = metals.openpbr_colours(name)
        document = edits.change_surface(self.session.document, material_id, base_color=base, specular_color=edge, base_metalness=1.0)
        self.session.apply(f"{name} on {self.session.document.materials[material_id].name}", document)

    def _rename(self) -> None:
        material_id = self._material_id()
        name = self.name.text().strip()
        if material_id and name and name != self.session.document.materials[material_id].name:
            material = replace(self.session.document.materials[material_id], name=name)
            self.session.apply(f"Named it {name}", edits.put_material(self.session.document, material))

    def _make_unique(self) -> None:
        def run() -> None:
            document, _ = edits.make_unique(self.session.document, self.session.selection)
            self.session.apply("Made the material unique", document)

        self.session.attempt(run)
