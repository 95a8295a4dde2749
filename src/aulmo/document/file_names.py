"""Files named after things: the one function that every writer asks. Names that differ stay apart, none leads out of its folder, none is too long.
Described in docs/file-format.md under "Names"."""

import hashlib
import unicodedata
from pathlib import Path
from typing import Iterable, Sequence

KEPT = " -_.,()&+#%"  # what stays as it is besides letters and digits
LONGEST = 120  # bytes of a name; endings, numbers and temporary files need room too


def safe(text: str) -> str:
    """A text as a part of a file's name: what a file system, a table or a shell could stumble over becomes "-". May be empty."""
    text = unicodedata.normalize("NFC", text)
    kept = "".join(c if c.isalnum() or c in KEPT else "-" for c in text).strip(" .")
    return kept.encode()[:LONGEST].decode(errors="ignore").strip(" .")


def _marked(text: str, plain: str) -> str:
    """A name with a mark that follows from the whole text, for one that is not told from others by what is left of it."""
    mark = " ~" + hashlib.sha256(text.encode(errors="surrogatepass")).hexdigest()[:6]
    return plain.encode()[: LONGEST - len(mark)].decode(errors="ignore").rstrip(" .") + mark


def file_name(text: str, among: Iterable[str] | None = (), otherwise: str = "unnamed") -> str:
    """The name, without an ending, of a file that belongs to a thing called `text`.

    `among` are the names of all things whose files lie in the same folder; where theirs would be the same, a mark tells them apart. None stands for
    things that are not known: whatever is not spelled as it is called is marked then.
    """
    plain = safe(text)
    if among is None:
        return plain if plain == text and plain else _marked(text, plain or otherwise)
    plain = plain or otherwise
    others = {other for other in among if other != text and (safe(other) or otherwise).casefold() == plain.casefold()}
    first = min((o for o in others if o == safe(o)), default="")  # the one that is spelled as it is called keeps its name
    return plain if not others or (plain == text and not (first and first < text)) else _marked(text, plain)


def names_apart(texts: Sequence[str], otherwise: str = "unnamed") -> list[str]:
    """The names of several things' files in one folder, in their order; things of one name are numbered."""
    found: list[str] = []
    taken: set[str] = set()
    for text in texts:
        plain = file_name(text, texts, otherwise)
        name, number = plain, 2
        while name.casefold() in taken:
            name, number = f"{plain} {number}", number + 1
        taken.add(name.casefold())
        found.append(name)
    return found


def free_in(folder: Path, text: str, ending: str, otherwise: str = "unnamed") -> Path:
    """A path in a folder that no file has, capitals or not: after `text`, numbered from 2 where that is had."""
    plain, number = safe(text) or otherwise, 2
    name, there = f"{plain}{ending}", {path.name.casefold() for path in (folder.iterdir() if folder.is_dir() else ())}
    while name.casefold() in there:
        name, number = f"{plain} {number}{ending}", number + 1
    return folder / name
