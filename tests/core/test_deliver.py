"""Names that every file system takes, and sentences that tell the truth."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from wemble.core.deliver.cells import plain
from wemble.core.deliver.names import LONGEST_BYTES, names, safe_name, told_apart
from wemble.core.deliver.words import Piece, clock, sentence
from wemble.errors import InvalidInput


@given(st.text(max_size=400))
def test_any_text_becomes_a_safe_name_and_stays_one(text: str) -> None:
    name = safe_name(text)
    assert name and name == safe_name(name)
    assert len(name.encode()) <= LONGEST_BYTES + 1
    assert not set(name) & set('<>:"/\\|?*\0\n\r\t') and name.strip(".")
    assert not name.endswith((" ", ".")) and "\u202e" not in name


FEW = st.sampled_from(["", "oar", "Oar", "a/b", "..", "x" * 250, "con"])


@given(st.lists(st.fixed_dictionaries(dict.fromkeys(("clip", "name", "take", "mic", "rate"), FEW)), max_size=12))
def test_proposed_patterns_tell_every_file_apart_and_slashes_make_folders(rows: list[dict[str, str]]) -> None:
    numbered: list[dict[str, str | int]] = [{**row, "number": n} for n, row in enumerate(rows, 1)]
    for usual in ("{clip}", "{name}_{mic}", "{mic}/{clip}"):
        made = names(told_apart(usual, numbered), numbered, ".wav")
        assert not any(name.collides for name in made)
        for name in made:
            assert name.name.count("/") <= usual.count("/")
            assert all(part == safe_name(part) for part in name.name.removesuffix(".wav").split("/"))
    assert [one.name for one in names("{mic}/{clip}", [{"mic": "near", "clip": "a/b"}, {"clip": "c"}], ".wav")] == [
        "near/a_b.wav", "c.wav",
    ]  # fmt: skip
    assert [one.collides for one in names("{clip}", [{"clip": "a"}], "")] == [False]


@pytest.mark.parametrize("text", ["con", "NUL", "com1", "LPT9.wav", "aux.x"])
def test_names_that_some_systems_keep_for_themselves_are_changed(text: str) -> None:
    assert safe_name(text) == f"_{text}"


@pytest.mark.parametrize(
    ("pattern", "match"),
    [
        ("", "1 to 200"),
        ("x" * 201, "1 to 200"),
        ("{speaker}", "no field"),
        ("{clip", "not closed"),
        ("a}", "not closed"),
        ("{number:22}", "not closed"),
    ],
)
def test_wrong_patterns_say_what_is_wrong(pattern: str, match: str) -> None:
    assert names("x" * 200, [{"clip": "a"}], ".wav")
    with pytest.raises(InvalidInput, match=match):
        names(pattern, [{"clip": "a"}], ".wav")


@given(st.lists(st.sampled_from(["Bell", "bell", "BELL", "oar", "../oar", "a/b", "a\\b"]), min_size=1, max_size=8))
def test_a_collision_is_told_of_exactly_those_that_collide(clips: list[str]) -> None:
    made = names("{clip}", [{"clip": clip} for clip in clips], ".wav")
    folded = [name.name.casefold() for name in made]
    assert [name.collides for name in made] == [folded.count(one) > 1 for one in folded]


@given(st.text(" \t\ufeff\u200b\0", max_size=4), st.sampled_from("=+-@\uff1d\uff0b"), st.text(max_size=9))
def test_no_cell_is_a_formula_behind_blanks_either(blanks: str, sign: str, rest: str) -> None:
    assert str(plain(blanks + sign + rest)).startswith("'")


def test_fields_are_filled_and_numbers_padded() -> None:
    row: dict[str, str | int] = {"clip": "Bell", "job": "Guide", "source": "take", "lane": "Narration", "number": 7}
    assert (
        names("{job}-{lane}-{source}-{number:3}-{clip}", [row], ".flac")[0].name == "Guide-Narration-take-007-Bell.flac"
    )


@given(st.integers(0, 10**9))
def test_the_clock_reads_back(milliseconds: int) -> None:
    parts = [float(part) for part in clock(milliseconds / 1000).split(":")]
    total = sum(part * 60**power for power, part in enumerate(reversed(parts)))
    assert round(total * 1000) == milliseconds


def test_the_sentence_counts_what_is_sent() -> None:
    pieces = [Piece(0, 48_000, "a", "s", "l"), Piece(96_000, 120_000, "b", "s", "l")]
    said = sentence(pieces, job_rate_hz=48_000, file_rate_hz=44_100, channels=8, kind="FLAC 24-bit")
    assert said == "2 files, 0:01.500, 8 channels, 44.1 kHz, FLAC 24-bit"
    assert sentence([], job_rate_hz=48_000, file_rate_hz=48_000, channels=1, kind="MP3") == "nothing"
