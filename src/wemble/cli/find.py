"""``wemble find``: the edges in files, without touching any library."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterable
from fractions import Fraction
from pathlib import Path
from typing import Any

import click

from wemble.cli.options import (
    FILES,
    HIT_RECIPE,
    HOME,
    JSON,
    SOME_FAILED,
    progress,
    report_failure,
    saved_hit_recipe,
    saved_recipe,
)
from wemble.errors import InvalidInput, WembleError


@click.group()
def find() -> None:
    """Find the edges in files, without touching any library."""


@find.command("sound")
@FILES
@HOME
@click.option("--recipe", "recipe_name", help="A saved recipe; without one, settings are proposed for each file.")
@JSON
def find_sound(files: tuple[Path, ...], home: Path | None, recipe_name: str | None, as_json: bool) -> None:
    """Find sound and silence. Spans include the rooms, sounds do not; both are in frames of the file.

    Example: wemble find sound take.wav --json
    """
    from wemble.actions.shell import finding

    recipe = saved_recipe(home, recipe_name)
    failed = False
    for path in files:
        try:
            with progress(path.name) as report:
                found = finding.find_sound(path, recipe, report)
        except WembleError as error:
            failed = report_failure(path, error)
            continue
        if as_json:
            click.echo(json.dumps(found))
            continue
        counted = f"{len(found['spans'])} sounds, floor {found['floor_db']} dB, threshold {found['threshold_db']} dB"
        click.echo(_spans_text(found, counted))
    sys.exit(SOME_FAILED if failed else 0)


@find.command("programme")
@FILES
@HOME
@click.option("--recipe", "recipe_name", help="A saved recipe: the span that it keeps, with its rooms, is told too.")
@JSON
def find_programme(files: tuple[Path, ...], home: Path | None, recipe_name: str | None, as_json: bool) -> None:
    """Find where the music of a mix begins, and where its last ring-out meets the floor; stops inside it are kept.

    Example: wemble find programme mixes/*.wav --json
    """
    from wemble.actions.shell import finding

    recipe = saved_recipe(home, recipe_name)

    def found(path: Path) -> list[dict[str, Any]]:
        with progress(path.name) as report:
            return [finding.find_whole(path, recipe, report)]

    _each(files, found, as_json, _programme_line)


def _programme_line(row: dict[str, Any]) -> str:
    rate = row["sample_rate_hz"]
    doubt = f"; {row['reason']}" if row["reason"] else ""
    return f"{row['file']}: {row['start_frame'] / rate:.3f} to {row['end_frame'] / rate:.3f} s, floor {row['floor_db']} dB{doubt}"


@find.command("speaker")
@FILES
@HOME
@click.option("--recipe", "recipe_name", help="A saved recipe; without one, settings are proposed for each lane.")
@JSON
def find_speaker(files: tuple[Path, ...], home: Path | None, recipe_name: str | None, as_json: bool) -> None:
    """Find what is said on each lane of a conversation; what it hears of the others is left out. The lanes start together.

    Example: wemble find speaker host.wav guest.wav --json
    """
    from wemble.actions.shell import talk

    recipe = saved_recipe(home, recipe_name)
    with progress(f"{len(files)} lanes") as report:
        rows = talk.find_speakers(files, recipe, report)
    for row in rows:
        click.echo(json.dumps(row) if as_json else _spans_text(row, f"{len(row['spans'])} spans"))


@find.command("onset")
@FILES
@click.option(
    "--mic-set",
    "pattern",
    help="How files are named, such as {name}_{strength}_{mic}; the files of one hit are cut alike.",
)
@click.option(
    "--start-db", default=40.0, show_default=True, help="Level at which a sample speaks, in dB under its own peak."
)
@click.option("--within-ms", default=400.0, show_default=True, help="Search limit from the start of the file.")
@click.option("--over-floor-db", default=3.0, show_default=True, help="Level at which it ends, in dB above the floor.")
@HIT_RECIPE
@HOME
@JSON
def find_onset(
    files: tuple[Path, ...],
    pattern: str | None,
    start_db: float,
    within_ms: float,
    over_floor_db: float,
    recipe_name: str | None,
    home: Path | None,
    as_json: bool,
) -> None:
    """Find where one-shots speak and where they are over, in frames of the file, without rooms.

    Example: wemble find onset kit/*.wav --mic-set "{name}_{strength}_{mic}" --json
    """
    from wemble.actions.shell import finding
    from wemble.core.edges.recipe import HitRecipe

    recipe = saved_hit_recipe(home, recipe_name) or HitRecipe(
        start_under_peak_db=start_db, within_ms=within_ms, over_floor_db=over_floor_db
    )
    if pattern is not None:
        _each([files], lambda paths: finding.find_onsets_of_sets(paths, pattern, recipe), as_json, _onset_line)
    _each(files, lambda path: [finding.find_onset(path, recipe)], as_json, _onset_line)


def _spans_text(row: dict[str, Any], counted: str) -> str:
    rate = row["sample_rate_hz"]
    lines = [f"  {start / rate:10.4f} s  to {end / rate:10.4f} s" for start, end in row["spans"]]
    return "\n".join([f"{row['file']}: {counted}", *lines])


def _onset_line(row: dict[str, Any]) -> str:
    rate = row["sample_rate_hz"]
    sure = f"{row['confidence']:.2f} {row['reason']}, {row['end_confidence']:.2f} {row['end_reason']}"
    return f"{row['file']}: {row['onset_frame'] / rate:.5f} s to {row['end_frame'] / rate:.4f} s, {sure}"


@find.command("hits")
@FILES
@click.option("--shortest-gap-ms", default=80.0, show_default=True, help="Hits closer than this count as one.")
@click.option(
    "--softest-db", default=22.0, show_default=True, help="Hits softer than this under the loudest are ignored."
)
@HIT_RECIPE
@HOME
@JSON
def find_hits(
    files: tuple[Path, ...],
    shortest_gap_ms: float,
    softest_db: float,
    recipe_name: str | None,
    home: Path | None,
    as_json: bool,
) -> None:
    """Find every hit of a take, even one that falls into the ring-out of another.

    Example: wemble find hits toms.wav --json
    """
    from wemble.actions.shell import finding
    from wemble.core.edges.recipe import HitRecipe

    recipe = saved_hit_recipe(home, recipe_name) or HitRecipe(
        shortest_gap_ms=shortest_gap_ms, softest_under_peak_db=softest_db, many=True
    )

    def found(path: Path) -> list[dict[str, Any]]:
        with progress(path.name) as report:
            return [finding.find_all_hits(path, recipe, report)]

    _each(files, found, as_json, _hits_text)


def _hits_text(row: dict[str, Any]) -> str:
    rate = row["sample_rate_hz"]
    lines = [f"  {hit['onset_frame'] / rate:10.4f} s  to {hit['end_frame'] / rate:10.4f} s" for hit in row["hits"]]
    return "\n".join([f"{row['file']}: {len(row['hits'])} hits", *lines])


@find.command("loop")
@FILES
@click.option("--near", help="Where to look, as START,END in frames; default: after the attack.")
@click.option("--bpm", help="The tempo, as 92.3 or 1200/13: only loops of whole bars of four beats.")
@click.option("--bars", type=int, help="How many bars, with --bpm; default: any number.")
@JSON
def find_loop(files: tuple[Path, ...], near: str | None, bpm: str | None, bars: int | None, as_json: bool) -> None:
    """Find seamless loops, the best first: start, end, crossfade before the end. A seam with a score under 1 is inaudible.

    Example: wemble find loop pad.wav --near 48000,144000 --json
    """
    from wemble.actions.shell import finding

    if bars is not None and bpm is None:
        raise InvalidInput("--bars needs a tempo: give --bpm as well")
    asked, tempo = None if near is None else _span(near), None if bpm is None else _tempo(bpm)
    _each(files, lambda path: [finding.find_loops(path, asked, tempo, bars)], as_json, _loops_text)


def _tempo(typed: str) -> Fraction:
    try:
        return Fraction(typed)
    except (ValueError, ZeroDivisionError):
        raise InvalidInput(f"--bpm takes a number or a fraction, such as 92.3 or 1200/13, not {typed!r}") from None


def _loops_text(row: dict[str, Any]) -> str:
    lines = [
        f"  {loop['start_frame']:>10} to {loop['end_frame']:>10}, crossfade {loop['crossfade_frames']}, score {loop['score']}"
        for loop in row["loops"]
    ]
    return "\n".join([f"{row['file']}: {len(row['loops'])} loops", *lines])


def _span(text: str) -> tuple[int, int]:
    start, _, end = text.partition(",")
    if not (start.strip().isdigit() and end.strip().isdigit()):
        raise InvalidInput(f"--near takes START,END in frames, such as 48000,144000; got {text!r}")
    return int(start), int(end)


def _each(
    things: Iterable[Any],
    find: Callable[[Any], list[dict[str, Any]]],
    as_json: bool,
    text: Callable[[dict[str, Any]], str],
) -> None:
    """Print what is found in each, report those that fail, and exit with the status for both."""
    failed = False
    for thing in things:
        try:
            for row in find(thing):
                click.echo(json.dumps(row) if as_json else text(row))
        except WembleError as error:
            failed = report_failure(thing if isinstance(thing, Path) else Path(", ".join(map(str, thing))), error)
    sys.exit(SOME_FAILED if failed else 0)
