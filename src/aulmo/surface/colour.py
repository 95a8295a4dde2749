"""Colours between what the artist types and what the renderer works in (linear ACEScg).

Matrices: SMPTE ST 2065 / AMPAS S-2014-004 (AP1), IEC 61966-2-1 (sRGB), Bradford adaptation from D65 to the ACES white.
"""

import re

import numpy as np

from aulmo.errors import BadValue

_XYZ_TO_SRGB = np.array(
    [[3.2409699419, -1.5373831776, -0.4986107603], [-0.9692436363, 1.8759675015, 0.0415550574], [0.0556300797, -0.2039769589, 1.0569715142]]
)
_XYZ_TO_AP1 = np.array(
    [[1.6410233797, -0.3248032942, -0.2364246952], [-0.6636628587, 1.6153315917, 0.0167563477], [0.0117218943, -0.0082844420, 0.9883948585]]
)
_BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


def _adapt(from_xy: tuple[float, float], to_xy: tuple[float, float]) -> np.ndarray:
    def white(xy):
        return _BRADFORD @ np.array([xy[0] / xy[1], 1.0, (1 - xy[0] - xy[1]) / xy[1]])

    return np.linalg.inv(_BRADFORD) @ np.diag(white(to_xy) / white(from_xy)) @ _BRADFORD


_D65_TO_ACES = _adapt((0.3127, 0.3290), (0.32168, 0.33767))
XYZ_D65_TO_ACESCG = _XYZ_TO_AP1 @ _D65_TO_ACES
SRGB_TO_ACESCG = XYZ_D65_TO_ACESCG @ np.linalg.inv(_XYZ_TO_SRGB)
SRGB_TO_ACESCG /= SRGB_TO_ACESCG.sum(1, keepdims=True)  # white stays white to the last digit
ACESCG_TO_SRGB = np.linalg.inv(SRGB_TO_ACESCG)
LUMINANCE = np.array([0.2722287, 0.6740818, 0.0536895])
# Where the line and the power of the sRGB curve meet to the last digit; the rounded limits of IEC 61966-2-1 leave a step of 3e-8 between
SRGB_KNEE_LINEAR = 0.0031306684425006336
SRGB_KNEE = 12.92 * SRGB_KNEE_LINEAR


def decode_srgb(value: np.ndarray) -> np.ndarray:
    """Display value 0..1 to linear light."""
    value = np.asarray(value, float)
    return np.where(value <= SRGB_KNEE, value / 12.92, ((np.maximum(value, SRGB_KNEE) + 0.055) / 1.055) ** 2.4)


def encode_srgb(value: np.ndarray) -> np.ndarray:
    """Linear light to display value 0..1."""
    value = np.clip(value, 0.0, 1.0)
    return np.where(value <= SRGB_KNEE_LINEAR, value * 12.92, 1.055 * np.maximum(value, SRGB_KNEE_LINEAR) ** (1 / 2.4) - 0.055)


def from_hex(text: str) -> tuple[float, float, float]:
    """ACEScg of "#7a1f14" or "7a1f14" or "#abc". Raises BadValue."""
    match = re.fullmatch(r"#?([0-9a-fA-F]{6}|[0-9a-fA-F]{3})", text.strip())
    if not match:
        raise BadValue(f"“{text}” is not a colour; write six hexadecimal digits such as #7a1f14.")
    digits = match[1] if len(match[1]) == 6 else "".join(c * 2 for c in match[1])
    rgb = np.array([int(digits[i : i + 2], 16) for i in (0, 2, 4)]) / 255
    return from_srgb(decode_srgb(rgb))


def from_srgb(linear) -> tuple[float, float, float]:
    """ACEScg of linear sRGB."""
    r, g, b = SRGB_TO_ACESCG @ np.asarray(linear, float)
    return (float(r), float(g), float(b))


def to_hex(acescg) -> str:
    """Nearest "#rrggbb" of a colour; what lies outside sRGB is clipped."""
    rgb = np.rint(encode_srgb(ACESCG_TO_SRGB @ np.asarray(acescg, float)) * 255).astype(int)
    return "#%02x%02x%02x" % tuple(rgb)


def from_temperature(kelvin: float) -> tuple[float, float, float]:
    """ACEScg of unit luminance for light of a correlated colour temperature (Kim et al. 2002 Planckian locus).

    Raises BadValue outside 1667..25000 K.
    """
    if not 1667 <= kelvin <= 25000:
        raise BadValue("A colour temperature lies between 1667 K and 25000 K.")
    t = 1000.0 / kelvin
    if kelvin <= 4000:
        x = -0.2661239 * t**3 - 0.2343589 * t**2 + 0.8776956 * t + 0.179910
    else:
        x = -3.0258469 * t**3 + 2.1070379 * t**2 + 0.2226347 * t + 0.240390
    if kelvin <= 2222:
        y = -1.1063814 * x**3 - 1.34811020 * x**2 + 2.18555832 * x - 0.20219683
    elif kelvin <= 4000:
        y = -0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867
    else:
        y = 3.0817580 * x**3 - 5.87338670 * x**2 + 3.75112997 * x - 0.37001483
    rgb = np.maximum(XYZ_D65_TO_ACESCG @ np.array([x / y, 1.0, (1 - x - y) / y]), 0.0)
    rgb /= LUMINANCE @ rgb
    return (float(rgb[0]), float(rgb[1]), float(rgb[2]))


def luminance(acescg) -> float:
    """Luminance of a colour relative to white."""
    return float(LUMINANCE @ np.asarray(acescg, float))


# as they are seen: CIELAB under D50, as print and measuring devices have it

_ACESCG_TO_XYZ_D50 = _adapt((0.32168, 0.33767), (0.34567, 0.35850)) @ np.linalg.inv(_XYZ_TO_AP1)
_D50 = np.array([0.34567 / 0.35850, 1.0, (1 - 0.34567 - 0.35850) / 0.35850])


def to_lab(acescg) -> np.ndarray:
    """(..., 3) CIELAB under D50 of colours, white at 100 (CIE 15:2004)."""
    share = np.maximum(np.asarray(acescg, float) @ _ACESCG_TO_XYZ_D50.T / _D50, 0.0)
    f = np.where(share > (6 / 29) ** 3, np.cbrt(share), share * (29 / 6) ** 2 / 3 + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1)


def from_lab(lab) -> tuple[float, float, float]:
    """ACEScg of CIELAB under D50. Raises BadValue outside lightness 0 to 100 or beyond 200 from grey."""
    lightness, a, b = (float(v) for v in lab)
    if not (0 <= lightness <= 100 and abs(a) <= 200 and abs(b) <= 200):
        raise BadValue("A Lab value has a lightness from 0 to 100, and two numbers from -200 to 200.")
    y = (lightness + 16) / 116
    f = np.array([y + a / 500, y, y - b / 200])
    xyz = np.where(f > 6 / 29, f**3, 3 * (6 / 29) ** 2 * (f - 4 / 29)) * _D50
    r, g, blue = np.linalg.inv(_ACESCG_TO_XYZ_D50) @ xyz
    return (float(r), float(g), float(blue))


def difference(one, other) -> float:
    """How far two CIELAB colours look apart by CIEDE2000 (Sharma, Wu & Dalal 2005): 1 is just seen."""
    (l1, a1, b1), (l2, a2, b2) = (tuple(float(v) for v in c) for c in (one, other))
    mean = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    g = 0.5 * (1 - np.sqrt(mean**7 / (mean**7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = (np.degrees(np.arctan2(b, a)) % 360 for a, b in ((a1, b1), (a2, b2)))
    turn = h2 - h1
    turn = 0.0 if c1 * c2 == 0 else turn - 360 if turn > 180 else turn + 360 if turn < -180 else turn
    dl, dc, dh = l2 - l1, c2 - c1, 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2))
    lm, cm = (l1 + l2) / 2, (c1 + c2) / 2
    hm = h1 + h2 if c1 * c2 == 0 else (h1 + h2) / 2 + (0 if abs(h1 - h2) <= 180 else 180 if h1 + h2 < 360 else -180)
    cos = lambda degrees: np.cos(np.radians(degrees))  # noqa: E731
    t = 1 - 0.17 * cos(hm - 30) + 0.24 * cos(2 * hm) + 0.32 * cos(3 * hm + 6) - 0.20 * cos(4 * hm - 63)
    sl = 1 + 0.015 * (lm - 50) ** 2 / np.sqrt(20 + (lm - 50) ** 2)
    sc, sh = 1 + 0.045 * cm, 1 + 0.015 * cm * t
    rt = -2 * np.sqrt(cm**7 / (cm**7 + 25.0**7)) * np.sin(np.radians(60 * np.exp(-(((hm - 275) / 25) ** 2))))
    dl, dc, dh = dl / sl, dc / sc, dh / sh
    return float(np.sqrt(dl**2 + dc**2 + dh**2 + rt * dc * dh))
