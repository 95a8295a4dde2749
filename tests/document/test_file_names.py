"""Files named after things stay apart, inside, and short."""

from pathlib import Path

from hypothesis import given, strategies as st

from aulmo.document.file_names import LONGEST, file_name, free_in, names_apart, safe

TEXTS = st.text(max_size=300) | st.sampled_from(["", ".", "..", "../../evil", "/etc/passwd", "A/B", "A:B", "a\0b", "CON", "é", "é", "-rf", " x "])


@given(st.lists(TEXTS, min_size=1, max_size=12))
def test_no_two_names_share_a_file_and_none_leaves_its_folder(texts):
    found = names_apart(texts)
    assert len({name.casefold() for name in found}) == len(texts)
    for name in found:
        assert name and name not in (".", "..") and not set(name) & set("/\\\0\n:*?\"<>|")
        assert len(name.encode()) <= LONGEST + 4 and Path("x", name).resolve().parent == Path("x").resolve()


@given(TEXTS, TEXTS)
def test_what_stands_alone_is_told_from_all_that_may_come(one, other):
    if one != other and safe(one) != one:
        assert file_name(one, None) != file_name(other, None)


def test_plain_names_stay_as_they_are_and_the_same_whoever_asks(tmp_path):
    assert names_apart(["Hero", "Cut-out", "Öl, 2 %"]) == ["Hero", "Cut-out", "Öl, 2 %"]
    one, other = file_name("A/B", ["A/B", "A:B"]), file_name("A:B", ["A:B", "A/B"])
    assert one.startswith("A-B ~") and other.startswith("A-B ~") and one != other and file_name("A/B") == "A-B"
    assert file_name("A-B", ["A-B", "A/B"]) == "A-B"
    assert names_apart(["Hero", "Hero"]) == ["Hero", "Hero 2"]
    (tmp_path / "a.png").touch()
    assert free_in(tmp_path, "a", ".png").name == "a 2.png"
    assert free_in(tmp_path, "A", ".png").name == "A 2.png"  # for whoever unpacks it where capitals do not count
