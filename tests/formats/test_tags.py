"""Tags and chapters, read back by readers that did not write them: PyAV for what mutagen writes, mutagen for what we encode."""

from __future__ import annotations

import io
from pathlib import Path

import av
import mutagen
import numpy as np
import pytest
from mutagen import id3

from wemble.core.deliver.chapters import Chapter, chapter_faults
from wemble.core.deliver.kinds import FileKind
from wemble.core.deliver.tags import Tags
from wemble.formats.encode import KINDS, Writer, rate_for
from wemble.formats.tags import picture_kind, write_tags

TAGS = Tags(
    "Low Water 7",
    "Ferry House",
    "Low Water",
    "7",
    "2026",
    "Talk",
    "Ebbe & Flut, “groß”",
    "cover",
    isrc="QZA1B2600001",
    barcode="4006381333931",
)
CHAPTERS = [Chapter(0, 700, "Welcome"), Chapter(700, 1000, "Was ein Boot weiß", "https://example.org/boat", "boat")]


def png() -> bytes:
    with io.BytesIO() as out:
        with av.open(out, "w", format="image2pipe") as container:
            stream = container.add_stream("png", rate=1)
            stream.width = stream.height = 8
            stream.pix_fmt = "rgb24"
            container.mux(stream.encode(av.VideoFrame.from_ndarray(np.full((8, 8, 3), 90, np.uint8), "rgb24")))
            container.mux(stream.encode(None))
        return out.getvalue()


def written(path: Path, kind: FileKind) -> Path:
    rate = rate_for(kind, 44_100)
    tone = (0.3 * np.sin(2 * np.pi * 440 * np.arange(rate) / rate))[None].astype(np.float32)
    writer = Writer(
        path.with_suffix(KINDS[kind].ending), kind, rate_hz=rate, channels=1, frames=rate, chapters=CHAPTERS
    )
    writer.write(tone, 0)
    writer.close()
    return path.with_suffix(KINDS[kind].ending)


@pytest.mark.parametrize("kind", ["mp3", "wav_24", "aiff_16", "flac_16", "ogg", "opus", "m4a"])
def test_another_reader_finds_the_tags_and_the_sound(tmp_path: Path, kind: FileKind) -> None:
    path = written(tmp_path / "a", kind)
    write_tags(path, TAGS, CHAPTERS, {"cover": png(), "boat": png()})
    with av.open(str(path)) as container:
        sound = np.concatenate([frame.to_ndarray().ravel() for frame in container.decode(audio=0)])
        assert abs(len(sound) - container.streams.audio[0].rate) <= 3 * 1152
        if kind not in ("wav_24", "aiff_16"):  # of these FFmpeg reads no ID3
            found = {**container.metadata, **container.streams.audio[0].metadata}
            lower = {key.lower(): value for key, value in found.items()}
            if kind == "m4a":
                marks = [
                    (round(float(one["start"] * one["time_base"]), 3), one["metadata"]["title"])
                    for one in container.chapters()
                ]
                assert marks == [(one.start_ms / 1000, one.title) for one in CHAPTERS]
            codes = {lower.get("isrc", lower.get("tsrc")), lower["barcode"]}
            assert codes == {TAGS.isrc, TAGS.barcode}
            assert lower["title"] == TAGS.title and lower["artist"] == TAGS.artist and lower["comment"] == TAGS.comment
    again = mutagen.File(path)
    assert again.info.length == pytest.approx(1.0, abs=0.08)


@pytest.mark.parametrize("minor", [3, 4])
def test_an_mp3_has_its_chapters_in_order_with_titles_links_and_pictures(tmp_path: Path, minor: int) -> None:
    """The frames are taken apart by hand here: CHAP is four times of 32 bits behind its name, in milliseconds."""
    path = written(tmp_path / "a", "mp3")
    pictures = {"cover": png(), "boat": b"\xff\xd8\xff not looked into"}
    write_tags(path, Tags(title="T", cover="cover", id3_minor=minor), CHAPTERS, pictures)
    data = path.read_bytes()
    assert data[:4] == b"ID3" + bytes([minor])
    times = [
        (data[at + 14 : at + 18], data[at + 18 : at + 22])
        for at in range(len(data) - 30)
        if data[at : at + 4] == b"CHAP"
    ]
    assert [(int.from_bytes(a), int.from_bytes(b)) for a, b in times] == [(0, 700), (700, 1000)]
    tags = id3.ID3(path)
    assert [frame.sub_frames["TIT2"].text[0] for frame in tags.getall("CHAP")] == [one.title for one in CHAPTERS]
    assert tags.getall("CHAP")[1].sub_frames["WXXX:"].url == CHAPTERS[1].link
    first, second = (frame.sub_frames for frame in tags.getall("CHAP"))
    assert not first.getall("APIC") and second.getall("APIC")[0].data == pictures["boat"]
    assert tags.getall("CTOC")[0].child_element_ids == ["ch0", "ch1"]
    assert picture_kind(tags.getall("APIC")[0].data) == "image/png"


def test_no_tags_leave_a_file_as_it_is(tmp_path: Path) -> None:
    path = written(tmp_path / "a", "mp3")
    before = path.read_bytes()
    write_tags(path, Tags())
    assert path.read_bytes() == before


def test_faults_of_chapters_are_named() -> None:
    good = [Chapter(0, 20_000, "One"), Chapter(20_000, 40_000, "Two")]
    assert chapter_faults(good, 10.0) == []
    faults = chapter_faults([Chapter(1, 20_000, "One"), Chapter(20_000, 25_000, "One")], 10.0)
    assert [fault.start_ms for fault in faults] == [1, 20_000, 20_000]


@pytest.mark.parametrize("kind", ["ogg", "opus", "m4a"])
def test_long_blocks_are_coded_at_about_the_rate_asked_and_come_back_as_loud(tmp_path: Path, kind: FileKind) -> None:
    """A minute in one piece once crashed the Vorbis encoder; Opus once came at three times the rate."""
    rng, path = np.random.default_rng(1), tmp_path / f"a{KINDS[kind].ending}"
    samples = (0.1 * rng.standard_normal((2, 60 * 48_000))).astype(np.float32)
    writer = Writer(path, kind, rate_hz=48_000, channels=2, frames=samples.shape[1], kbps=128)
    writer.write(samples, 0)
    writer.close()
    if kind != "ogg":  # of a fixed quality
        assert path.stat().st_size * 8 / 60 / 1000 == pytest.approx(128, rel=0.15)
    with av.open(str(path)) as container:
        back = np.concatenate([frame.to_ndarray().ravel() for frame in container.decode(audio=0)])
    assert np.sqrt(np.mean(np.square(back))) == pytest.approx(0.1, rel=0.2)
