"""Tags, covers and chapters in files that were just written: ID3v2, Vorbis comments, MP4. By mutagen.

References
----------
*ID3 tag version 2.3.0* and *2.4.0*; *ID3v2 Chapter Frame Addendum 1.0* (CHAP, CTOC, times in milliseconds); Xiph's
``METADATA_BLOCK_PICTURE``; all from memory.
"""

from __future__ import annotations

import base64
from collections.abc import Mapping, Sequence
from pathlib import Path

from mutagen import aiff, flac, id3, mp3, mp4, oggopus, oggvorbis, wave

from wemble.core.deliver.chapters import Chapter
from wemble.core.deliver.tags import Tags
from wemble.formats.pictures import picture_kind

_VORBIS = {
    "title": "TITLE", "artist": "ARTIST", "album": "ALBUM", "number": "TRACKNUMBER", "year": "DATE", "genre": "GENRE",
    "comment": "COMMENT", "isrc": "ISRC", "barcode": "BARCODE",
}  # fmt: skip
_MP4 = {
    "title": "\xa9nam",
    "artist": "\xa9ART",
    "album": "\xa9alb",
    "year": "\xa9day",
    "genre": "\xa9gen",
    "comment": "\xa9cmt",
}
_ID3 = {
    "title": id3.TIT2,
    "artist": id3.TPE1,
    "album": id3.TALB,
    "number": id3.TRCK,
    "year": id3.TDRC,
    "genre": id3.TCON,
    "isrc": id3.TSRC,
}
_MP4_FREE = {"isrc": "----:com.apple.iTunes:ISRC", "barcode": "----:com.apple.iTunes:BARCODE"}
"""Codes have no atom of their own; these names are common practice (memory)."""
_UTF16, _UTF8 = id3.Encoding.UTF16, id3.Encoding.UTF8
_OTHER, _FRONT = 0, 3


def write_tags(
    path: Path, tags: Tags, chapters: Sequence[Chapter] = (), pictures: Mapping[str, bytes] | None = None
) -> None:
    """Write tags, and chapters where the format has a place for them, into a file; none at all leave it as it is.

    ``pictures`` are the cover and those of chapters, by the names by which they are spoken of.
    """
    if tags.empty and not chapters:
        return
    pictures = pictures or {}
    cover = pictures[tags.cover] if tags.cover else b""
    match path.suffix:
        case ".mp3":
            _write_id3(mp3.MP3(path), tags, chapters, pictures)
        case ".wav":
            _write_id3(wave.WAVE(path), tags, chapters, pictures)
        case ".aiff":
            _write_id3(aiff.AIFF(path), tags, chapters, pictures)
        case ".flac":
            file = flac.FLAC(path)
            _write_comments(file, tags)
            if cover:
                file.add_picture(_picture(cover))
            file.save()
        case ".ogg" | ".opus":
            ogg = oggvorbis.OggVorbis(path) if path.suffix == ".ogg" else oggopus.OggOpus(path)
            _write_comments(ogg, tags)
            if cover:
                ogg["METADATA_BLOCK_PICTURE"] = [base64.b64encode(_picture(cover).write()).decode()]
            ogg.save()
        case ".m4a":
            _write_mp4(path, tags, cover)


def _write_id3(
    file: mp3.MP3 | wave.WAVE | aiff.AIFF, tags: Tags, chapters: Sequence[Chapter], pictures: Mapping[str, bytes]
) -> None:
    encoding = _UTF8 if tags.id3_minor == 4 else _UTF16
    if file.tags is None:
        file.add_tags()
    for name, frame in _ID3.items():
        if text := getattr(tags, name):
            file.tags.add(frame(encoding=encoding, text=[text]))
    if tags.barcode:
        file.tags.add(id3.TXXX(encoding=encoding, desc="BARCODE", text=[tags.barcode]))
    if tags.comment:
        file.tags.add(id3.COMM(encoding=encoding, lang="und", desc="", text=[tags.comment]))

    def picture(name: str, role: int) -> list[id3.APIC]:
        data = pictures[name] if name else b""
        return [id3.APIC(encoding=encoding, mime=picture_kind(data), type=role, desc="", data=data)] if name else []

    for cover in picture(tags.cover, _FRONT):
        file.tags.add(cover)
    for number, one in enumerate(chapters):
        named = [id3.TIT2(encoding=encoding, text=[one.title])]
        link = [id3.WXXX(encoding=encoding, desc="", url=one.link)] if one.link else []
        file.tags.add(
            id3.CHAP(
                element_id=f"ch{number}", start_time=one.start_ms, end_time=one.end_ms, start_offset=0xFFFFFFFF,
                end_offset=0xFFFFFFFF, sub_frames=[*named, *link, *picture(one.picture, _OTHER)],
            )
        )  # fmt: skip
    if chapters:
        flags = id3.CTOCFlags.TOP_LEVEL | id3.CTOCFlags.ORDERED
        names = [f"ch{number}" for number in range(len(chapters))]
        file.tags.add(id3.CTOC(element_id="toc", flags=flags, child_element_ids=names, sub_frames=[]))
    if tags.id3_minor == 3:
        file.tags.update_to_v23()
    file.save(v2_version=tags.id3_minor)


def _write_comments(file: flac.FLAC | oggvorbis.OggVorbis | oggopus.OggOpus, tags: Tags) -> None:
    for name, key in _VORBIS.items():
        if text := getattr(tags, name):
            file[key] = [text]


def _write_mp4(path: Path, tags: Tags, cover: bytes) -> None:
    file = mp4.MP4(path)
    for name, key in _MP4.items():
        if text := getattr(tags, name):
            file[key] = [text]
    number, _, of = tags.number.partition("/")
    if number.isdecimal():
        file["trkn"] = [(int(number), int(of) if of.isdecimal() else 0)]
    for name, key in _MP4_FREE.items():
        if text := getattr(tags, name):
            file[key] = [mp4.MP4FreeForm(text.encode())]
    if cover:
        kind = mp4.MP4Cover.FORMAT_PNG if picture_kind(cover) == "image/png" else mp4.MP4Cover.FORMAT_JPEG
        file["covr"] = [mp4.MP4Cover(cover, kind)]
    file.save()


def _picture(cover: bytes) -> flac.Picture:
    picture = flac.Picture()
    picture.type, picture.mime, picture.data = _FRONT, picture_kind(cover), cover
    return picture
