"""``wemble episode``: a recording of each speaker in, one finished file out."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from wemble.cli.options import FILES, FINDINGS, progress
from wemble.errors import InvalidInput

_FILE = click.Path(path_type=Path)


@click.command()
@FILES
@click.option("--to", "to", required=True, type=_FILE, help="The file to write; its ending says which kind.")
@click.option("--opening", type=_FILE, help="A file that goes in front, in the place of the lead.")
@click.option("--closing", type=_FILE, help="A file that goes behind.")
@click.option("--align", is_flag=True, help="The recordings did not start together: line them up by what they hear.")
@click.option("--lead", "lead_s", default=1.0, show_default=True, help="Seconds left in front of the first word.")
@click.option(
    "--starts", "starts_s", type=float, help="Second of the recordings at which the talk starts; default: found."
)
@click.option("--ends", "ends_s", type=float, help="Second of the recordings at which the talk ends; default: found.")
@click.option("--longest-gap", "longest_gap_s", type=float, help="Close gaps in which nobody speaks to these seconds.")
@click.option(
    "--loudness",
    "loudness_lufs",
    type=float,
    help="Loudness of the file and of every voice, in LUFS; default: that of the loudest voice.",
)
@click.option("--ceiling", "ceiling_db", default=-4.0, show_default=True, help="Ceiling of the file, in dB.")
@click.option("--true-peak", is_flag=True, help="The ceiling holds between samples too.")
@click.option("--no-limit", is_flag=True, help="Without a limiter.")
@click.option("--kbps", default=192, show_default=True, help="Bit rate of MP3, M4A and Opus.")
@click.option(
    "--rate", "rate_hz", default=44_100, show_default=True, help="Sample rate, in Hz; 0: that of the first lane."
)
@click.option("--channels", type=click.Choice(["1", "2"]), default="1", show_default=True)
@click.option("--title", default="", help="Title, for the tags; without --title and --artist there are none.")
@click.option("--artist", default="")
def episode(
    files: tuple[Path, ...],
    to: Path,
    opening: Path | None,
    closing: Path | None,
    align: bool,
    lead_s: float,
    starts_s: float | None,
    ends_s: float | None,
    longest_gap_s: float | None,
    loudness_lufs: float | None,
    ceiling_db: float,
    true_peak: bool,
    no_limit: bool,
    kbps: int,
    rate_hz: int,
    channels: str,
    title: str,
    artist: str,
) -> None:
    """Make an episode: a recording of each speaker in, one file out. Exit status 1 if there is something to look at.

    What a lane hears of the others goes, and so do a count-in and chatter, unless that is doubtful; the voices come to one
    loudness.

    Example: wemble episode host.wav guest.wav --opening music.wav --to episode.mp3
    """
    from wemble.actions.delivery.request import Request
    from wemble.actions.shell import talk
    from wemble.core.deliver.tags import Tags
    from wemble.core.render.limiter import LimiterSettings

    if not 0.0 <= lead_s <= 60.0 or not 0.0 <= (longest_gap_s or 0.0) <= 60.0:
        raise InvalidInput("--lead and --longest-gap are 0 to 60 s")
    if not 0.0 <= (starts_s or 0.0) < (ends_s or float("inf")):
        raise InvalidInput("--starts comes before --ends, and neither before 0")
    send = Request(
        kind=talk.kind_for(to),
        what="one",
        kbps=kbps,
        rate_hz=rate_hz,
        channels=int(channels),
        tags=Tags(title, artist) if title or artist else None,
        limiter=None if no_limit else LimiterSettings(ceiling_db, true_peak),
        loudness_lufs=loudness_lufs,
    )
    wanted = talk.EpisodeWanted(align, opening, closing, lead_s, starts_s, ends_s, longest_gap_s, loudness_lufs, send)
    with progress(to.name) as report:
        made = talk.make_episode(report, files, to, wanted)
    for note in made.notes:
        click.echo(note)
    lufs = "" if made.integrated_lufs is None else f", {made.integrated_lufs:.1f} LUFS"
    click.echo(f"{made.file}: {made.seconds:.3f} s{lufs}, true peak {made.true_peak_db:.1f} dBTP")
    if made.to_look_at:
        click.echo(
            f"{made.to_look_at} to check: {'this' if made.to_look_at == 1 else 'these'} can be seen and heard in Wemble"
        )
    sys.exit(FINDINGS if made.to_look_at else 0)
