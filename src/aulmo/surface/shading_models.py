"""Other shading models by OpenPBR: what each of their inputs is there, and the defaults that differ."""

from typing import Any, NamedTuple

GLOW_NITS = 1000.0  # of a glow of 1 in a shading model without units


class Model(NamedTuple):
    """Another shading model: its `words`; its `inputs` by OpenPBR's parameter, or that and what is done to the value, None for what is passed over
    without a word; what it has where nothing is said; and which parameter, where it is given, implies a value of another."""

    words: str
    inputs: dict[str, Any]
    defaults: dict[str, Any]
    implied: tuple[str, str, float]


def _mean(value: Any) -> float:
    return sum(value) / len(value) if isinstance(value, tuple) else float(value)


def _turned(value: float) -> float:
    return 360.0 * value


def _um(value: float) -> float:
    return 1e-3 * value


def _metres(value: float) -> float:
    return 1e3 * value


def _nits(value: float) -> float:
    return GLOW_NITS * value


_STANDARD: dict[str, Any] = {
    "base": "base_weight", "base_color": "base_color", "diffuse_roughness": "base_diffuse_roughness", "metalness": "base_metalness",
    "specular": "specular_weight", "specular_color": "specular_color", "specular_roughness": "specular_roughness", "specular_IOR": "specular_ior",
    "specular_anisotropy": "specular_roughness_anisotropy", "specular_rotation": ("geometry_tangent_turn", _turned),
    "transmission": "transmission_weight", "transmission_color": "transmission_color", "transmission_depth": "transmission_depth",
    "transmission_scatter": "transmission_scatter", "transmission_scatter_anisotropy": "transmission_scatter_anisotropy",
    "transmission_dispersion": ("transmission_dispersion_abbe_number", float), "transmission_extra_roughness": None,
    "subsurface": "subsurface_weight",
    "subsurface_color": "subsurface_color", "subsurface_radius": "subsurface_radius_scale", "subsurface_scale": "subsurface_radius",
    "subsurface_anisotropy": "subsurface_scatter_anisotropy", "sheen": "fuzz_weight", "sheen_color": "fuzz_color",
    "sheen_roughness": "fuzz_roughness",
    "coat": "coat_weight", "coat_color": "coat_color", "coat_roughness": "coat_roughness", "coat_anisotropy": "coat_roughness_anisotropy",
    "coat_rotation": None, "coat_IOR": "coat_ior", "coat_affect_color": "coat_darkening", "coat_affect_roughness": None, "coat_normal": "coat_normal",
    "thin_film_thickness": ("thin_film_thickness", _um), "thin_film_IOR": "thin_film_ior", "emission": ("emission_luminance", _nits),
    "emission_color": "emission_color", "opacity": ("geometry_opacity", _mean), "thin_walled": "geometry_thin_walled", "normal": "normal",
    "tangent": None,
}  # fmt: skip
_GLTF: dict[str, Any] = {
    "base_color": "base_color", "metallic": "base_metalness", "roughness": "specular_roughness", "normal": "normal", "tangent": None,
    "occlusion": None, "transmission": "transmission_weight", "specular": "specular_weight", "specular_color": "specular_color",
    "ior": "specular_ior",
    "alpha": "geometry_opacity", "alpha_mode": None, "alpha_cutoff": None, "iridescence": "thin_film_weight", "iridescence_ior": "thin_film_ior",
    "iridescence_thickness": ("thin_film_thickness", _um), "sheen_color": "fuzz_color", "sheen_roughness": "fuzz_roughness",
    "clearcoat": "coat_weight", "clearcoat_roughness": "coat_roughness", "clearcoat_normal": "coat_normal", "emissive": "emission_color",
    "emissive_strength": ("emission_luminance", _nits), "thickness": None, "attenuation_distance": ("transmission_depth", _metres),
    "attenuation_color": "transmission_color", "anisotropy_strength": "specular_roughness_anisotropy", "anisotropy_rotation": None,
    "dispersion": None,
}  # fmt: skip
MODELS = {
    "standard_surface": Model(
        "standard surface", _STANDARD, {"specular_roughness": 0.2, "base_weight": 0.8, "subsurface_color": (1.0, 1.0, 1.0)},
        ("thin_film_thickness", "thin_film_weight", 1.0),
    ),
    "gltf_pbr": Model(
        "glTF PBR", _GLTF, {"base_metalness": 1.0, "specular_roughness": 1.0, "base_color": (1.0, 1.0, 1.0)},
        ("emission_color", "emission_luminance", GLOW_NITS),
    ),
}  # fmt: skip
