"""``wemble release`` and ``wemble check disc``: a folder of mixes in, an image with a cue sheet out; and a look at one."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import get_args

import click

from wemble.cli.options import FINDINGS, HOME, JSON, SOME_FAILED, progress, saved_recipe
from wemble.core.deliver.kinds import FileKind
from wemble.errors import InvalidInput, WembleError

_PATH = click.Path(path_type=Path)


@click.command()
@click.argument("folder", type=_PATH)
@click.option("--to", "to", required=True, type=_PATH, help="Output folder.")
@click.option("--gap", "gap_s", default=2.0, show_default=True, help="Seconds between two tracks.")
@click.option("--title", default="", help="Title of the release; default: the name of the output folder.")
@click.option("--performer", default="")
@click.option("--ean", "catalog", default="", help="The release's EAN, 13 digits.")
@click.option(
    "--tracks", "files", type=click.Choice(["none", *get_args(FileKind)]), default="wav_16", show_default=True
)
@click.option(
    "--gaps", type=click.Choice(["before", "left_out"]), default="before", show_default=True,
    help="In the files of tracks: each gap ends the file before it, or is left out.",
)  # fmt: skip
@click.option("--pause-in-image", is_flag=True, help="The pause before track 1 is in the image, from INDEX 00 at 0 on.")
@click.option("--no-image", is_flag=True, help="Without the image and its cue sheet.")
@click.option("--kbps", default=192, show_default=True, help="Bit rate of MP3 and M4A.")
@click.option("--recipe", "recipe_name", help="A saved recipe; without one, the programme of each mix is found.")
@HOME
def release(
    folder: Path, to: Path, gap_s: float, title: str, performer: str, catalog: str, files: FileKind, gaps: str,
    pause_in_image: bool, no_image: bool, kbps: int, recipe_name: str | None, home: Path | None,
) -> None:  # fmt: skip
    """Make a release of a folder of mixes: image, cue sheet, tracks, lists. Exit status 1 if there is something to look at.

    The order is that of the names. Example: wemble release mixes/ --to release/ --title "Slack Tide"
    """
    from wemble.actions.delivery.release import ReleaseRequest
    from wemble.actions.shell.kit import audio_files
    from wemble.actions.shell.release import ReleaseWanted, make_release

    if not 0.0 <= gap_s <= 60.0:
        raise InvalidInput("--gap is 0 to 60 s")
    send = ReleaseRequest(
        image=not no_image, files=files, gaps="before" if gaps == "before" else "left_out", kbps=kbps,
        first_pause="in_image" if pause_in_image else "left_out", title=title or to.name, performer=performer, catalog=catalog,
    )  # fmt: skip
    mixes = audio_files(folder)
    with progress(f"{len(mixes)} mixes") as report:
        made = make_release(report, mixes, to, ReleaseWanted(gap_s, saved_recipe(home, recipe_name), send))
    for path, why in made.failed:
        click.echo(f"{path}: {why}", err=True)
    for text in made.to_look_at:
        click.echo(f"to look at: {text}")
    click.echo(f"{made.words}; {len(made.written)} files in {to}")
    sys.exit(SOME_FAILED if made.failed else FINDINGS if made.to_look_at else 0)


@click.command("disc")
@click.argument("cue_sheets", nargs=-1, required=True, type=_PATH)
@JSON
def disc(cue_sheets: tuple[Path, ...], as_json: bool) -> None:
    """Check cue sheets and their images by the rules of the disc. Exit status 1 if anything is found.

    Example: wemble check disc release/*.cue
    """
    from wemble.actions.shell.release import check_disc

    failed = doubtful = False
    for path in cue_sheets:
        try:
            found = check_disc(path)
        except WembleError as error:
            click.echo(f"{path}: {error.message}", err=True)
            failed = True
            continue
        doubtful = doubtful or bool(found["faults"])
        if as_json:
            click.echo(json.dumps(found))
        else:
            click.echo(f"{path}: {found['tracks']} tracks, {'; '.join(found['faults']) or 'nothing out of place'}")
    sys.exit(SOME_FAILED if failed else FINDINGS if doubtful else 0)
