"""``wemble show`` and ``wemble light-desk``: a show listed, checked, run without anybody; and a stand-in for what it sends events to."""

from __future__ import annotations

import json
import sys
from dataclasses import asdict
from pathlib import Path

import click

from wemble.cli.options import FINDINGS, HOME, JSON, progress
from wemble.errors import InvalidInput

_JOB = click.argument("job")
_PATH = click.Path(path_type=Path)


@click.group()
def show() -> None:
    """List, check or run a show; JOB is a job's name or id, or a saved job (.wemble.zip)."""


@show.command("list")
@_JOB
@click.option("--csv", "as_csv", is_flag=True, help="As CSV, which is the only form so far.")
@HOME
def list_cues(job: str, as_csv: bool, home: Path | None) -> None:
    """List the running order.

    Example: wemble show list "The Night Crossing" --csv > order.csv
    """
    from wemble.actions.library import default_home
    from wemble.actions.shell.show import listed, opened_show

    with opened_show(home or default_home(), job) as (library, _, revision):
        click.echo(listed(library, revision), nl=False)


@show.command("check")
@_JOB
@JSON
@HOME
def check_show(job: str, as_json: bool, home: Path | None) -> None:
    """Say what will go wrong. Exit status 1 if anything will.

    Example: wemble show check "The Night Crossing"
    """
    from wemble.actions.library import default_home
    from wemble.actions.shell.show import checked, opened_show

    with opened_show(home or default_home(), job) as (library, job_id, revision):
        found = checked(library, job_id, revision)
    for one in found:
        click.echo(json.dumps(one) if as_json else f"{one['number']} {one['cue']}: {one['text']}")
    sys.exit(FINDINGS if found else 0)


@show.command("render")
@_JOB
@click.option(
    "--go", "go", default="", help="Seconds at which GO is pressed, such as 0,12.5; without them one every 10 s."
)
@click.option("--let-go", "let_go", default="", help="Seconds at which the newest loop is let go.")
@click.option("--stop", "stop_s", type=float, help="The second at which everything is stopped.")
@click.option(
    "--length", "length_s", type=float, default=0.0, help="Seconds to run; without it until all that ends has ended."
)
@click.option("--to", "to", required=True, type=_PATH, help="The WAV to write, with a mark at each cue.")
@JSON
@HOME
def render_show(
    job: str, go: str, let_go: str, stop_s: float | None, length_s: float, to: Path, as_json: bool, home: Path | None
) -> None:
    """Run a show without anybody, and write what is heard.

    Example: wemble show render "The Night Crossing" --go 0,12.5,40 --let-go 30 --to rehearsal.wav
    """
    from wemble.actions.library import default_home
    from wemble.actions.shell.show import opened_show, render
    from wemble.actions.show.rehearsing import Rehearsal

    rehearsal = Rehearsal(_moments(go), _moments(let_go), stop_s, length_s)
    with opened_show(home or default_home(), job) as (library, job_id, revision), progress(job) as report:
        made = render(report, library, job_id, revision, rehearsal, to)
        rate = library.job_at(revision).rate_hz
    if as_json:
        click.echo(json.dumps({"file": str(to), "sample_rate_hz": rate, **asdict(made)}))
    else:
        click.echo(f"{to}: {made.fired} cues in {made.frames / rate:.3f} s, peak {made.peak_db:.1f} dB, {made.sha256}")


def _moments(text: str) -> tuple[float, ...]:
    try:
        return tuple(float(part) for part in text.split(",") if part.strip())
    except ValueError:
        raise InvalidInput(f"moments are seconds with commas between them, such as 0,12.5, not {text!r}") from None


@click.command("light-desk")
@click.option("--port", default=8737, show_default=True)
def light_desk(port: int) -> None:
    """Start the stand-in for a light desk, which shows the events that a show sends.

    Example: wemble light-desk --port 8737
    """
    import waitress

    from wemble.web.light_desk import create_light_desk

    try:
        server = waitress.create_server(create_light_desk(), host="127.0.0.1", port=port, threads=4)
    except OSError as error:
        raise InvalidInput(f"port {port} cannot be used ({error.strerror}); try --port") from None
    click.echo(f"the light desk (stand-in) is at http://127.0.0.1:{port}   (stop with Ctrl-C)")
    server.run()
