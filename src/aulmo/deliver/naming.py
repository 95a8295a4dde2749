"""Names of files from a pattern, as "{project} {Colour} {Trim}.png"."""

import re
from pathlib import Path
from typing import Mapping, NamedTuple

from aulmo.document import variants
from aulmo.document.file_names import file_name, safe
from aulmo.document.records import Document, Shot
from aulmo.errors import BadValue

PLAIN = "{project} {shot} {variant}"
WORDS = ("project", "shot", "variant", "size", "width", "height", "time", "number", "date")
_WORD = re.compile(r"\{([^{}]*)\}")


class Named(NamedTuple):
    """What one picture is of, for its name."""

    document: Document
    shot: Shot
    choices: Mapping[str, str]
    size: tuple[int, int]
    time: float = 0.0
    number: int = 1
    date: str = ""


def file_stem(pattern: str, of: Named) -> str:
    """The name that a pattern gives one picture, without an ending of its own. Raises BadValue for a word that nothing is known of."""
    of_axes = {axis.name: [choice.name for choice in axis.choices] for axis in of.document.axes}
    picked = {
        axis.name: file_name(choice.name, of_axes[axis.name], "choice") for axis, choice in variants.picked(of.document, of.choices)
    }  # fmt: skip
    shot = file_name(of.shot.name, [s.name for s in of.document.shots], "shot")
    known = {
        "project": safe(of.document.name), "shot": shot, "variant": " ".join(picked.values()), "size": f"{of.size[0]}x{of.size[1]}",
        "width": str(of.size[0]), "height": str(of.size[1]), "time": f"{of.time:.2f}", "number": f"{of.number:03d}", "date": of.date,
    }  # fmt: skip
    axes = {a.name.lower(): a.name for a in of.document.axes}

    def filled(match: re.Match) -> str:
        word = match.group(1).strip()
        if word.lower() in axes:
            return picked.get(axes[word.lower()], "Base")
        if word.lower() in known:
            return known[word.lower()]
        there = ", ".join(f"{{{w}}}" for w in (*WORDS, *(a.name for a in of.document.axes)))
        raise BadValue(f"The pattern’s {{{word}}} means nothing here; there is {there}.")

    text = _WORD.sub(filled, pattern)
    if "{" in text or "}" in text:
        raise BadValue("The pattern has a bracket that is not closed.")
    text = re.sub(r" {2,}", " ", text).strip(" .")
    if not text:
        raise BadValue("The pattern gives no name.")
    if "/" in text or "\0" in text:
        raise BadValue("A pattern names files, not folders: leave “/” out.")
    if len(text.encode()) > 200:
        raise BadValue("The pattern gives a name that is too long for a file.")
    return text


def file_names(pattern: str, of: list[Named], ending: str) -> list[str]:
    """The names of several pictures, with an ending like ".png" where the pattern has none. Raises BadValue when two would be the same."""
    found = [file_stem(pattern, one) for one in of]
    found = [name if name.lower().endswith(ending) else f"{name}{ending}" for name in found]
    seen: dict[str, int] = {}
    for k, name in enumerate(found):
        if name.lower() in seen:
            named = dict(of[k].choices)
            told = pattern.lower()
            missing = [a.name for a in of[k].document.axes if f"{{{a.name.lower()}}}" not in told and a.name in named]
            what = f" Add {{{missing[0]}}} to the pattern." if missing else " Add {number} to the pattern."
            raise BadValue(f"The pattern gives two pictures the same name, {name}.{what}")
        seen[name.lower()] = k
    return found


def kind_of(name: str) -> str:
    """The file type that a name's ending stands for; nothing when it has none that is known."""
    from aulmo.deliver.picture_file import FILE_TYPES

    ending = Path(name).suffix.lower()
    return next((kind for kind, known in FILE_TYPES.items() if known.ending == ending), "")
