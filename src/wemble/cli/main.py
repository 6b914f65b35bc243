"""``wemble``: every command with an example; exit status 0 fine, 1 findings, 2 wrong use, 3 some files failed."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any, TypeVar, cast

import click

from wemble import __version__
from wemble.actions import shell
from wemble.actions.kit_shell import KitWanted, audio_files, make_kit
from wemble.actions.library import Library, default_home
from wemble.actions.recipes import named, named_for_hits
from wemble.actions.sending import MapKind, Request
from wemble.cli.serve import serve as run_server
from wemble.core.edges.recipe import HitRecipe
from wemble.demo.build import add_demo
from wemble.errors import InvalidInput, WembleError
from wemble.formats.encode import KINDS

T = TypeVar("T")
FINDINGS, WRONG_USE, SOME_FAILED = 1, 2, 3
_HOME = click.option(
    "--home", type=click.Path(path_type=Path), default=None, help="Data folder instead of WEMBLE_HOME."
)
_FILES = click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))


class _Group(click.Group):
    """Tells our own errors in one line, without a trace."""

    def invoke(self, context: click.Context) -> object:
        try:
            return super().invoke(context)
        except WembleError as error:
            click.echo(f"wemble: {error.message}", err=True)
            sys.exit(WRONG_USE)


@click.group(cls=_Group)
@click.version_option(__version__)
def main() -> None:
    """Clean the edges of audio: find, cut, fade, check, send."""


@main.command()
@_HOME
@click.option(
    "--host", default="127.0.0.1", show_default=True, help="Address to listen on; loopback unless you know why."
)
@click.option("--port", default=8731, show_default=True)
@click.option("--demo", is_flag=True, help="Make the demo data first, if it is not there.")
def serve(home: Path | None, host: str, port: int, demo: bool) -> None:
    """Serve the application.

    Example: wemble serve --port 9000
    """
    if demo:
        _make_demo(home or default_home())
    run_server(home or default_home(), host, port)


@main.command()
@_HOME
def demo(home: Path | None) -> None:
    """Make the demo data.

    Example: wemble demo --home /tmp/try
    """
    _make_demo(home or default_home())


@main.group()
def find() -> None:
    """Find the edges in files, without touching any library."""


@find.command("sound")
@_FILES
@_HOME
@click.option("--recipe", "recipe_name", help="A saved recipe; without one, settings are proposed for each file.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object a file.")
def find_sound(files: tuple[Path, ...], home: Path | None, recipe_name: str | None, as_json: bool) -> None:
    """Find sound and silence. Spans have rooms, sounds have none; both in frames of the file.

    Example: wemble find sound take.wav --json
    """
    recipe = _saved(home, recipe_name, named)
    failed = False
    for path in files:
        try:
            found = shell.find_sound(path, recipe)
        except WembleError as error:
            failed = _told(path, error)
            continue
        if as_json:
            click.echo(json.dumps(found))
            continue
        click.echo(
            f"{path}: {len(found['spans'])} sounds, floor {found['floor_db']} dB, threshold {found['threshold_db']} dB"
        )
        for start, end in found["spans"]:
            click.echo(f"  {start / found['sample_rate_hz']:10.4f} s  to {end / found['sample_rate_hz']:10.4f} s")
    sys.exit(SOME_FAILED if failed else 0)


_JSON = click.option("--json", "as_json", is_flag=True, help="One JSON object a file.")
_HIT_RECIPE = click.option("--recipe", "recipe_name", help="A saved recipe for hits, in place of the numbers here.")


@find.command("onset")
@_FILES
@click.option(
    "--mic-set", "pattern", help="How files are named, such as {name}_{strength}_{mic}: one hit's are cut alike."
)
@click.option("--start-db", default=40.0, show_default=True, help="A sample speaks so many dB under its own peak.")
@click.option("--within-ms", default=400.0, show_default=True, help="Do not look further in.")
@click.option("--over-floor-db", default=3.0, show_default=True, help="It is over so many dB above the floor.")
@_HIT_RECIPE
@_HOME
@_JSON
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
    recipe = _saved(home, recipe_name, named_for_hits) or HitRecipe(
        start_under_peak_db=start_db, within_ms=within_ms, over_floor_db=over_floor_db
    )
    if pattern is not None:
        _each([files], lambda paths: shell.find_onsets_of_sets(paths, pattern, recipe), as_json, _onset_line)
    _each(files, lambda path: [shell.find_onset(path, recipe)], as_json, _onset_line)


def _onset_line(row: dict[str, Any]) -> str:
    rate = row["sample_rate_hz"]
    sure = f"{row['confidence']:.2f} {row['reason']}"
    return f"{row['file']}: {row['onset_frame'] / rate:.5f} s to {row['end_frame'] / rate:.4f} s, {sure}"


@find.command("hits")
@_FILES
@click.option("--shortest-gap-ms", default=80.0, show_default=True, help="Two hits closer than this are one.")
@click.option("--softest-db", default=22.0, show_default=True, help="What lies further under the loudest is no hit.")
@_HIT_RECIPE
@_HOME
@_JSON
def find_hits(
    files: tuple[Path, ...],
    shortest_gap_ms: float,
    softest_db: float,
    recipe_name: str | None,
    home: Path | None,
    as_json: bool,
) -> None:
    """Find every hit of a take, also one that falls into the ring-out of another.

    Example: wemble find hits toms.wav --json
    """
    recipe = _saved(home, recipe_name, named_for_hits) or HitRecipe(
        shortest_gap_ms=shortest_gap_ms, softest_under_peak_db=softest_db, many=True
    )
    _each(files, lambda path: [shell.find_all_hits(path, recipe)], as_json, _hits_text)


def _hits_text(row: dict[str, Any]) -> str:
    rate = row["sample_rate_hz"]
    lines = [f"  {hit['onset_frame'] / rate:10.4f} s  to {hit['end_frame'] / rate:10.4f} s" for hit in row["hits"]]
    return "\n".join([f"{row['file']}: {len(row['hits'])} hits", *lines])


@find.command("loop")
@_FILES
@click.option("--near", help="About where, as START,END in frames; without it, behind the attack.")
@_JSON
def find_loop(files: tuple[Path, ...], near: str | None, as_json: bool) -> None:
    """Find seamless loops, the best first: start, end, crossfade before the end. A score under 1 is not heard.

    Example: wemble find loop pad.wav --near 48000,144000 --json
    """
    asked = None if near is None else _span(near)
    _each(files, lambda path: [shell.find_loops(path, asked)], as_json, _loops_text)


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
    """Print what is found in each, tell of those that fail, and leave with the exit status for both."""
    failed = False
    for thing in things:
        try:
            for row in find(thing):
                click.echo(json.dumps(row) if as_json else text(row))
        except WembleError as error:
            failed = _told(thing if isinstance(thing, Path) else Path(", ".join(map(str, thing))), error)
    sys.exit(SOME_FAILED if failed else 0)


@main.command()
@_FILES
@click.option("--json", "as_json", is_flag=True, help="One JSON object a file.")
def check(files: tuple[Path, ...], as_json: bool) -> None:
    """Check the head and the tail of files: clicks, cut tails, clipped speech, air. Exit status 1 if anything is found.

    Example: wemble check out/*.wav
    """
    failed = doubtful = False
    for path in files:
        try:
            checked = shell.check_file(path)
        except WembleError as error:
            failed = _told(path, error)
            continue
        doubts = [v for v in checked["verdicts"] if v["state"] != "fine"]
        doubtful = doubtful or bool(doubts)
        if as_json:
            click.echo(json.dumps(checked))
        else:
            click.echo(f"{path}: {'clean' if not doubts else '; '.join(v['side'] + ': ' + v['text'] for v in doubts)}")
    sys.exit(SOME_FAILED if failed else FINDINGS if doubtful else 0)


@main.command()
@_FILES
@_HOME
@click.option("--recipe", "recipe_name", help="A saved recipe; without one, settings are proposed for each file.")
@click.option(
    "--to", "folder", required=True, type=click.Path(path_type=Path), help="Where the files go; made if need be."
)
@click.option("--kind", type=click.Choice(list(KINDS)), default="wav_24", show_default=True)
@click.option("--whole", is_flag=True, help="One file for each source instead of one for each phrase.")
@click.option("--pattern", default=None, help="Names, such as '{source} {number:2}'.")
def clean(
    files: tuple[Path, ...],
    home: Path | None,
    recipe_name: str | None,
    folder: Path,
    kind: str,
    whole: bool,
    pattern: str | None,
) -> None:
    """Find, shape and write in one go. Nothing that is there is written over.

    Example: wemble clean take.wav --recipe booth --to phrases/
    """
    recipe = _saved(home, recipe_name, named)
    request = shell.clean_request(kind, whole, pattern)
    failed = False
    for path in files:
        with click.progressbar(length=1000, label=path.name, file=sys.stderr) as bar:

            def report(part: float, doing: str, bar=bar) -> None:  # type: ignore[no-untyped-def]
                bar.update(max(round(part * 1000) - bar.pos, 0))

            try:
                written = shell.clean(report, path, recipe, folder, request)
            except WembleError as error:
                failed = _told(path, error)
                continue
            bar.update(1000 - bar.pos)
        for name in written:
            click.echo(str(folder / name))
    sys.exit(SOME_FAILED if failed else 0)


@main.command()
@click.argument("folder", type=click.Path(path_type=Path))
@click.option("--to", "to", required=True, type=click.Path(path_type=Path), help="Folder for what is made.")
@click.option("--names", "pattern", help="How files are named; without it, as most of them seem to be.")
@click.option("--name", "naming", default="{clip}", show_default=True, help="How to name what is written.")
@click.option("--start-db", default=40.0, show_default=True, help="A sample speaks so many dB under its own peak.")
@click.option("--within-ms", default=400.0, show_default=True, help="Do not look further in.")
@click.option(
    "--ceiling-db", default=-1.0, show_default=True, help="Turn what is hotter down to this, bring nothing up."
)
@click.option("--soften-ms", type=click.Choice(["0", "1", "5", "20", "80"]), default="0", show_default=True)
@click.option("--map", "with_map", type=click.Choice(["none", "cut", "offset"]), default="cut", show_default=True)
@_HIT_RECIPE
@_HOME
def kit(
    folder: Path,
    to: Path,
    pattern: str | None,
    naming: str,
    start_db: float,
    within_ms: float,
    ceiling_db: float,
    soften_ms: str,
    with_map: str,
    recipe_name: str | None,
    home: Path | None,
) -> None:
    """Make a kit of a folder of rough one-shots: names, mic sets, heads, tails, hot ones down, a map and a report.

    Example: wemble kit recorded/ --to kit/ --names "{name}_{note}_{strength}_{mic}"
    """
    wanted = KitWanted(
        pattern=pattern,
        recipe=_saved(home, recipe_name, named_for_hits)
        or HitRecipe(start_under_peak_db=start_db, within_ms=within_ms),
        ceiling_db=ceiling_db,
        soften_ms=float(soften_ms),
        send=Request(kind="as_source", what="one_shots", pattern=naming, with_map=cast(MapKind, with_map)),
    )
    files = audio_files(folder)
    with click.progressbar(length=1000, label=f"{len(files)} files", file=sys.stderr) as bar:
        made = make_kit(lambda part, doing: bar.update(max(round(part * 1000) - bar.pos, 0)), files, to, wanted)
        bar.update(1000 - bar.pos)
    for path, why in made.failed:
        click.echo(f"{path}: {why}", err=True)
    for note in made.notes:
        click.echo(note)
    if made.missing:
        click.echo(f"missing from the grid: {', '.join(made.missing)}")
    click.echo(f"{len(made.written)} files in {to}; {made.doubtful} hits to look at, see report.csv")
    sys.exit(SOME_FAILED if made.failed else FINDINGS if made.doubtful else 0)


def _make_demo(home: Path) -> None:
    library = Library(home, workers=1)
    try:
        library.start()
        add_demo(library, lambda text: click.echo(f"demo: {text}"))
    finally:
        library.close()


def _saved(home: Path | None, name: str | None, look_up: Callable[[Library, str], T]) -> T | None:
    """Return a recipe that was saved in the application, if one is asked for."""
    if name is None:
        return None
    library = Library(home or default_home(), workers=0)
    try:
        return look_up(library, name)
    finally:
        library.close()


def _told(path: Path, error: WembleError) -> bool:
    click.echo(f"{path}: {error.message}", err=True)
    return True


if __name__ == "__main__":
    main()
