"""Cue sheets and ``cart`` chunks, against small readers written from the syntax and the standard, here alone."""

from __future__ import annotations

import re
import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st
from wavinfo import WavInfoReader

from wemble.core.deliver.disc import CueSheet, CueTrack
from wemble.errors import InvalidInput
from wemble.formats.cart import Cart, append_cart, read_cart
from wemble.formats.cue_sheet import cue_text, parse_cue
from wemble.formats.points import Point, append_points

PLAIN = st.text(st.characters(exclude_categories=("C", "Z"), exclude_characters='"'), min_size=1, max_size=20)


@given(title=PLAIN, by=PLAIN, starts=st.lists(st.integers(300, 9_000), min_size=1, max_size=99), data=st.data())
def test_what_is_written_is_read_by_ours_and_by_another(
    title: str, by: str, starts: list[int], data: st.DataObject
) -> None:
    at, tracks = 0, []
    for number, length in enumerate(starts, 1):
        gap = data.draw(st.sampled_from([None, 75, 150]))
        start = at + (gap or 0)
        tracks.append(CueTrack(number, f"{title} {number}", by, "QZA1B2600001", start, at if gap else None))
        at = start + length
    sheet = CueSheet("image.wav", tuple(tracks), title, by, "4006381333931")
    text = cue_text(sheet)
    assert parse_cue(text.encode()) == sheet
    for marked in (b"\xef\xbb\xbf" + text.encode(), text.replace("\r\n", "\n").encode(), text.encode("utf-16")):
        assert parse_cue(marked) == sheet
    times = [
        (int(n), (60 * int(m) + int(s)) * 75 + int(f))
        for n, m, s, f in re.findall(r"INDEX (\d\d) (\d+):(\d\d):(\d\d)", text)
    ]
    expected = [row for t in tracks for row in ([(0, t.gap_start)] if t.gap_start is not None else []) + [(1, t.start)]]
    assert times == expected and text.count(" AUDIO\r\n") == len(tracks)


GOOD = 'FILE "a.wav" WAVE\nTRACK 01 AUDIO\nINDEX 01 00:02:00\nTRACK 02 AUDIO\nINDEX 01 01:00:00\n'


@pytest.mark.parametrize(
    ("change", "line"),
    [
        (("00:02:00", "00:02:75"), "line 3.*frames to 74"),
        (("00:02:00", "00:60:00"), "line 3.*seconds go to 59"),
        (("00:02:00", "two"), "line 3.*MM:SS:FF"),
        (("01:00:00", "00:01:00"), "line 5.*before the index above"),
        (("TRACK 02", "TRACK 03"), "line 4.*track 3 follows track 1"),
        (("INDEX 01 00:02:00\n", "INDEX 01 00:02:00\nINDEX 01 00:02:00\n"), "line 4.*two INDEX 01"),
        (("INDEX 01 00:02:00\n", ""), "line 3.*track 1 has no INDEX 01"),
        (('FILE "a.wav" WAVE\n', ""), "line 1.*before FILE"),
        (('"a.wav"', '"a.wav'), "line 1.*quote"),
        (("AUDIO\n", "MODE1/2352\n"), "line 2.*AUDIO"),
        (("TRACK 01", "WALTZ"), "line 2.*WALTZ"),
    ],
)  # fmt: skip
def test_what_is_wrong_names_its_line(change: tuple[str, str], line: str) -> None:
    assert len(parse_cue(GOOD.encode()).tracks) == 2
    with pytest.raises(InvalidInput, match=line):
        parse_cue(GOOD.replace(change[0], change[1], 1).encode())


def test_a_hundred_tracks_are_too_many_and_old_encodings_are_read() -> None:
    rows = "".join(f"TRACK {n:02d} AUDIO\nINDEX 01 {n:02d}:00:00\n" for n in range(1, 101))
    with pytest.raises(InvalidInput, match=r"line 200.*more than 99"):
        parse_cue(f'FILE "a.wav" WAVE\n{rows}'.encode())
    assert parse_cue('TITLE "Ebbe für Ünna"\n'.encode("cp1252") + GOOD.encode()).title == "Ebbe für Ünna"
    with pytest.raises(InvalidInput, match="no TRACK"):
        parse_cue(b'FILE "a.wav" WAVE\n')


def test_a_cart_chunk_lies_as_the_standard_says_beside_other_chunks(tmp_path: Path) -> None:
    """AES46-2002 (memory): 2,048 bytes; title at 4, artist at 68, cut at 132; eight timers of 8 bytes at 684 + 4 − 4 + 0."""
    path = tmp_path / "a.wav"
    soundfile.write(path, np.zeros((44_100, 2)), 44_100, subtype="PCM_16")
    cart = Cart("Lantern Song", "Ferry House", "FH-7", "Song", (("AUDs", 0), ("INTe", 14_112), ("EOD ", 44_000)))
    append_points(path, [Point(100, "Verse")], rate_hz=44_100)
    append_cart(path, cart)
    assert read_cart(path) == cart
    data = path.read_bytes()
    at = data.index(b"cart")
    size = struct.unpack_from("<I", data, at + 4)[0]
    body = data[at + 8 : at + 8 + size]
    assert size == 2048 and body[:4] == b"0101"
    assert body[4:16] == b"Lantern Song" and body[68:79] == b"Ferry House" and body[132:136] == b"FH-7"
    timers = [struct.unpack_from("<4sI", body, 684 + 8 * n) for n in range(8)]
    assert timers[:3] == [(b"AUDs", 0), (b"INTe", 14_112), (b"EOD ", 44_000)]
    assert timers[3:] == [(b"\0\0\0\0", 0)] * 5
    info = WavInfoReader(str(path), info_encoding="utf-8")
    assert info.data.frame_count == 44_100 and [cue.position for cue in info.cues.cues] == [100]
    assert len(soundfile.read(path)[0]) == 44_100
    path.write_bytes(data[: at + 500])
    assert read_cart(path) is None
