"""Finding things in words: several words narrow; each may be part of a name, a tag, a kind, a colour, a finish, a number with its unit, or what a
thing is used for."""

import functools
import math
import re
from typing import Iterable, Mapping, NamedTuple

from aulmo.errors import BadValue
from aulmo.shelf.things import Thing, Triple
from aulmo.surface.colour import difference, from_hex, to_lab

_MM = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "inch": 25.4, "µm": 1e-3, "um": 1e-3}
_NUMBERS = {
    "ior": "ior", "refraction": "ior", "n": "ior", "abbe": "abbe", "roughness": "roughness", "nits": "nits", "nit": "nits", "lumen": "lumen",
        "lm": "lumen",
    "kelvin": "kelvin", "k": "kelvin", "stops": "stops", "sun": "sun", "px": "px", "pixels": "px", "dpi": "dpi", "parts": "parts", "lamps": "lamps",
    "boxes": "boxes", "softboxes": "boxes", "°": "sun", "gsm": "gsm", "g/m²": "gsm", "hour": "hour",
}  # fmt: skip
_NEAR = {"ior": 0.008, "roughness": 0.03, "abbe": 1.0, "sun": 3.0, "kelvin": 200.0, "parts": 0.5, "lamps": 0.5, "boxes": 0.5, "hour": 0.5}
# words that mean another one, of a finish or anything else
_SAME = {
    "gray": "grey", "color": "colour", "colors": "colours", "clear": "see-through", "transparent": "see-through", "glassy": "see-through",
        "shiny": "glossy",
    "gloss": "glossy", "polished": "glossy", "matte": "matt", "dull": "matt", "mirrored": "mirror", "mirroring": "mirror", "semi-gloss": "satin",
    "eggshell": "satin", "metal": "metallic", "luminous": "glowing", "emissive": "glowing", "bumpy": "textured", "hdri": "dome",
        "environment": "dome",
    "backdrop": "photograph", "photo": "photograph", "image": "picture", "texture": "picture", "logo": "artwork",
    "vector": "vector", "material": "swatch", "aluminum": "aluminium", "softbox": "light picture", "ies": "lamp", "purple": "violet",
        "frosted": "frosted",
}  # fmt: skip
_ENDINGS = (("ies", "y"), ("es", "e"), ("es", ""), ("s", ""))


class Query(NamedTuple):
    """What was typed: words, numbers by their names, and colours by their codes."""

    words: tuple[str, ...]
    numbers: tuple[tuple[str, float], ...]
    codes: tuple[Triple, ...]


def read(text: str) -> Query:
    """What a line of words asks for: "rough black plastic", "ior 1.46", "2 m", "dome sun 12"."""
    text = re.sub(r"(?<=\d),(?=\d)", ".", text.lower().strip())
    tokens = [t for t in re.split(r"[\s;,]+", re.sub(r"(\d)\s*(mm|cm|µm|um|nits|lm|px|dpi|gsm|g/m²|m|k|°)\b|(?<=\d)(°)", r"\1 \2\3", text)) if t]
    words, numbers, codes = [], [], []
    k = 0
    while k < len(tokens):
        one, after = tokens[k], tokens[k + 1] if k + 1 < len(tokens) else ""
        if _is_number(one) and after in _MM:
            numbers.append(("mm", float(one) * _MM[after]))
            k += 2
        elif _is_number(one) and after in _NUMBERS:
            numbers.append((_NUMBERS[after], float(one)))
            k += 2
        elif one in _NUMBERS and _is_number(after):
            numbers.append((_NUMBERS[one], float(after)))
            k += 2
        else:
            try:
                codes.append(_lab_of(one))
            except BadValue:
                words.append(one)
            k += 1
    return Query(tuple(words), tuple(numbers), tuple(codes))


def _is_number(text: str) -> bool:
    try:
        return math.isfinite(float(text))
    except ValueError:
        return False


def _lab_of(text: str) -> Triple:
    if not text.startswith("#"):
        raise BadValue("no code")
    a, b, c = to_lab(from_hex(text)).tolist()
    return (a, b, c)


@functools.lru_cache(maxsize=65536)
def colour_words(colour: Triple) -> frozenset[str]:
    """What a CIELAB colour may be called."""
    light, a, b = colour
    chroma, hue = math.hypot(a, b), math.degrees(math.atan2(b, a)) % 360
    said = set()
    if light < 24 and chroma < 14:
        said |= {"black", "dark"}
    if light > 82 and chroma < 14:
        said |= {"white", "pale", "light"}
    if chroma < 9 and 18 <= light <= 88:
        said.add("grey")
    said |= {"dark"} if light < 36 else {"light", "pale", "bright"} if light > 70 else set()
    if chroma >= 9:
        said.add("warm" if hue < 105 or hue > 330 else "cool" if 150 < hue < 310 else "coloured")
    if chroma >= 18:
        names = (
            (345, 360, "red"), (0, 48, "red"), (42, 74, "orange"), (72, 108, "yellow"), (100, 185, "green"), (172, 235, "turquoise"), (215, 300,
                "blue"),
            (285, 342, "violet"), (325, 360, "pink"), (0, 25, "pink"),
        )  # fmt: skip
        said |= {name for low, high, name in names if low <= hue <= high}
        said.discard("pink") if light < 45 else None
        if chroma > 45:
            said |= {"strong", "colourful"}
    if 8 <= chroma <= 46 and 25 <= hue <= 88 and light < 58:
        said.add("brown")
    if 5 <= chroma <= 30 and 60 <= hue <= 105 and light > 62:
        said |= {"beige", "cream"}
    if chroma >= 22 and 62 <= hue <= 95 and light > 45:
        said.add("golden")
    return frozenset(said)


COLOURS = {
    "black", "white", "grey", "dark", "light", "pale", "bright", "warm", "cool", "red", "orange", "yellow", "green", "turquoise", "blue",
        "violet", "pink",
    "brown", "beige", "cream", "strong", "colourful", "coloured", "golden",
}  # fmt: skip
_ONLY_A_COLOUR = COLOURS - {"light", "bright"}  # these two are said of lamps and sets as well
_FINISH = {
    "rough", "matt", "satin", "glossy", "mirror", "see-through", "translucent", "metallic", "glowing", "soft", "brushed", "textured", "iridescent",
}  # fmt: skip


def _forms(word: str) -> list[str]:
    """A word and what else it may be written as."""
    forms = [word]
    for ending, instead in _ENDINGS:
        if len(word) > len(ending) + 2 and word.endswith(ending):
            forms.append(word[: -len(ending)] + instead)
    forms += [_SAME[f] for f in list(forms) if f in _SAME]
    return list(dict.fromkeys(forms))


_read_once: dict[str, tuple[Thing, str, str]] = {}  # by its key a thing with its name and all its words, a space before each


def _spaced(text: str) -> str:
    return " " + " ".join(re.split(r"[^\w#.µ°²×-]+", text.lower()))


def _texts(thing: Thing) -> tuple[str, str]:
    known = _read_once.get(thing.key)
    if known is None or known[0] is not thing:
        if len(_read_once) > 120_000:
            _read_once.clear()
        known = _read_once[thing.key] = (thing, _spaced(thing.name), _spaced(thing.words))
    return known[1], known[2]


def _holds(thing: Thing, forms: list[str], used: str) -> int:
    """How well a word, in the ways it may be written, is met by a thing: 0 not at all."""
    name, words = _texts(thing)
    best = 0
    for form in forms:
        begins = f" {form}"
        if name.startswith(begins):
            return 5
        if begins in name:
            best = max(best, 4)
        elif form == thing.kind or form == thing.family:
            best = max(best, 4)
        elif form in _FINISH:
            said = form in thing.tags or (form in name and form not in ("rough", "soft"))
            best = max(best, 4 if form in thing.finish else 2 if said else 0)
        elif form in COLOURS and thing.colours:
            best = max(best, 3 if any(form in colour_words(c) for c in thing.colours) else 0)
            if form not in _ONLY_A_COLOUR and form in words:
                best = max(best, 2)
        elif begins in words:
            best = max(best, 2)
        elif len(form) > 2 and (form in words or form in used):
            best = max(best, 1)
    return best


def _numbers_fit(thing: Thing, query: Query) -> bool:
    for name, value in query.numbers:
        near = _NEAR.get(name, 0.1 * abs(value) + 1e-9)
        held = [v for k, v in thing.numbers.items() if k == name or (name == "mm" and k in ("width", "depth", "height", "mm"))]
        if not any(abs(v - value) <= near for v in held):
            return False
    return True


def found(things: Iterable[Thing], text: str, used: Mapping[str, str] = {}) -> list[Thing]:
    """The things that meet every word, the best first, else in their order; all for no words. `used` tells by the key of a thing what uses it."""
    query = read(text)
    forms = {word: _forms(word) for word in query.words}
    scored = []
    for number, thing in enumerate(things):
        if query.numbers and not _numbers_fit(thing, query):
            continue
        if query.codes and not all(any(difference(code, c) < 12 for c in thing.colours) for code in query.codes):
            continue
        score, uses = 0, used.get(thing.key, "").lower()
        for word in query.words:
            if word == "used" and uses:
                met = 1
            elif word == "unused":
                met = 0 if uses else 1
            else:
                met = _holds(thing, forms[word], uses)
            if not met:
                break
            score += met
        else:
            scored.append((-score, number, thing))
    return [thing for _, _, thing in sorted(scored, key=lambda s: s[:2])]


def alike(things: Iterable[Thing], one: Thing) -> list[Thing]:
    """The things of its kind that look like one, the nearest first; itself left out."""
    near = [
        (math.dist(t.look, one.look), t.name, t)
        for t in things
        if t.kind == one.kind and len(t.look) == len(one.look) and t.look and t.key != one.key
    ]
    near.sort(key=lambda n: n[:2])
    if not near:
        return []
    limit = max(0.6, 2.5 * near[0][0])
    return [t for far, _, t in near if far <= limit][:60]
