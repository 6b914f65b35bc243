"""``wemble check``, ``loudness``, ``clean`` and ``kit``: files in, a verdict, figures or clean files out."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any, get_args

import click

from wemble.cli.options import (
    FILES,
    FINDINGS,
    HIT_RECIPE,
    HOME,
    JSON,
    SOME_FAILED,
    progress,
    report_failure,
    saved_hit_recipe,
    saved_recipe,
)
from wemble.cli.release import disc
from wemble.core.deliver.kinds import FileKind, MapKind
from wemble.errors import WembleError


class _FilesOrDisc(click.Group):
    """``check disc`` is a command of its own; anything else are files to check."""

    def resolve_command(
        self, context: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in self.commands:
            args = ["files", *args]
        return super().resolve_command(context, args)

    def parse_args(self, context: click.Context, args: list[str]) -> list[str]:
        if args and args[0].startswith("-") and args[0] != "--help":
            args = ["files", *args]
        return super().parse_args(context, args)


@click.group(cls=_FilesOrDisc)
def check() -> None:
    """Check files, or with "check disc" cue sheets and their images. Exit status 1 if anything is found.

    Example: wemble check out/*.wav
    """


check.add_command(disc)


@check.command("files")
@FILES
@JSON
def check_files(files: tuple[Path, ...], as_json: bool) -> None:
    """Check the head and the tail of files: clicks, cut tails, clipped speech, air. Exit status 1 if anything is found.

    Example: wemble check out/*.wav
    """
    from wemble.actions.shell import files as shell

    failed = doubtful = False
    for path in files:
        try:
            checked = shell.check_file(path)
        except WembleError as error:
            failed = report_failure(path, error)
            continue
        doubts = [v for v in checked["verdicts"] if v["state"] != "fine"]
        doubtful = doubtful or bool(doubts)
        if as_json:
            click.echo(json.dumps(checked))
        else:
            click.echo(f"{path}: {'clean' if not doubts else '; '.join(v['side'] + ': ' + v['text'] for v in doubts)}")
    sys.exit(SOME_FAILED if failed else FINDINGS if doubtful else 0)


@click.command()
@FILES
@JSON
def loudness(files: tuple[Path, ...], as_json: bool) -> None:
    """Measure loudness (BS.1770): the whole, what speaks in it, its range, and the peaks on and between samples.

    Example: wemble loudness host.wav guest.wav --json
    """
    from wemble.actions.shell import files as shell

    failed = False
    for path in files:
        try:
            with progress(path.name) as report:
                found = shell.measure_loudness(path, report)
        except WembleError as error:
            failed = report_failure(path, error)
            continue
        click.echo(json.dumps(found) if as_json else _loudness_line(found))
    sys.exit(SOME_FAILED if failed else 0)


def _loudness_line(found: dict[str, Any]) -> str:
    if found["integrated_lufs"] is None:
        return f"{found['file']}: nothing loud enough to measure"
    speech = "" if found["speech_lufs"] is None else f" (where it sounds {found['speech_lufs']:.1f})"
    return (
        f"{found['file']}: {found['integrated_lufs']:.1f} LUFS{speech}, range {found['range_lu']:.1f} LU, "
        f"true peak {found['true_peak_dbtp']:.1f} dBTP, sample peak {found['sample_peak_db']:.1f} dB"
    )


@click.command()
@FILES
@HOME
@click.option("--recipe", "recipe_name", help="A saved recipe; without one, settings are proposed for each file.")
@click.option(
    "--to",
    "folder",
    required=True,
    type=click.Path(path_type=Path),
    help="Output folder; created if it does not exist.",
)
@click.option("--kind", type=click.Choice(get_args(FileKind)), default="wav_24", show_default=True)
@click.option("--whole", is_flag=True, help="One file per source instead of one per phrase.")
@click.option("--pattern", default=None, help="Naming pattern, such as '{source} {number:2}'.")
def clean(
    files: tuple[Path, ...],
    home: Path | None,
    recipe_name: str | None,
    folder: Path,
    kind: str,
    whole: bool,
    pattern: str | None,
) -> None:
    """Find, shape and write in one go. Existing files are never overwritten.

    Example: wemble clean take.wav --recipe booth --to phrases/
    """
    from wemble.actions.shell import files as shell

    recipe = saved_recipe(home, recipe_name)
    request = shell.clean_request(kind, whole, pattern)
    failed = False
    for path in files:
        try:
            with progress(path.name) as report:
                written = shell.clean(report, path, recipe, folder, request)
        except WembleError as error:
            failed = report_failure(path, error)
            continue
        for name in written:
            click.echo(str(folder / name))
    sys.exit(SOME_FAILED if failed else 0)


@click.command()
@click.argument("folder", type=click.Path(path_type=Path))
@click.option("--to", "to", required=True, type=click.Path(path_type=Path), help="Output folder.")
@click.option("--names", "pattern", help="How the files are named; default: the pattern most of them follow.")
@click.option("--name", "naming", default="{clip}", show_default=True, help="Naming pattern of the output.")
@click.option(
    "--start-db", default=40.0, show_default=True, help="Level at which a sample speaks, in dB under its own peak."
)
@click.option("--within-ms", default=400.0, show_default=True, help="Search limit from the start of the file.")
@click.option(
    "--ceiling-db", default=-1.0, show_default=True, help="Turn peaks over this down to it; nothing is turned up."
)
@click.option("--soften-ms", type=click.Choice(["0", "1", "5", "20", "80"]), default="0", show_default=True)
@click.option("--map", "with_map", type=click.Choice(["none", "cut", "offset"]), default="cut", show_default=True)
@HIT_RECIPE
@HOME
def kit(
    folder: Path,
    to: Path,
    pattern: str | None,
    naming: str,
    start_db: float,
    within_ms: float,
    ceiling_db: float,
    soften_ms: str,
    with_map: MapKind,
    recipe_name: str | None,
    home: Path | None,
) -> None:
    """Make a kit of a folder of rough one-shots: names, mic sets, heads, tails, hot ones down, a map and a report.

    Example: wemble kit recorded/ --to kit/ --names "{name}_{note}_{strength}_{mic}"
    """
    from wemble.actions.delivery.request import Request
    from wemble.actions.shell.kit import KitWanted, audio_files, make_kit
    from wemble.core.edges.recipe import HitRecipe

    wanted = KitWanted(
        pattern=pattern,
        recipe=saved_hit_recipe(home, recipe_name) or HitRecipe(start_under_peak_db=start_db, within_ms=within_ms),
        ceiling_db=ceiling_db,
        soften_ms=float(soften_ms),
        send=Request(kind="as_source", what="one_shots", pattern=naming, with_map=with_map),
    )
    files = audio_files(folder)
    with progress(f"{len(files)} files") as report:
        made = make_kit(report, files, to, wanted)
    for path, why in made.failed:
        click.echo(f"{path}: {why}", err=True)
    for note in made.notes:
        click.echo(note)
    if made.missing:
        click.echo(f"missing from the grid: {', '.join(made.missing)}")
    click.echo(f"{len(made.written)} files in {to}; {made.doubtful} hits to look at, see report.csv")
    sys.exit(SOME_FAILED if made.failed else FINDINGS if made.doubtful else 0)
