"""``wemble serve``, ``demo`` and ``doctor``: the application and its data folder."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from wemble.cli.options import FINDINGS, HOME, LOG_LEVELS


@click.command()
@HOME
@click.option(
    "--host", default="127.0.0.1", show_default=True, help="Address to listen on; loopback unless you know why."
)
@click.option("--port", default=8731, show_default=True)
@click.option("--demo", "with_demo", is_flag=True, help="Make the demo data first, if it is not there.")
@click.option("--log-level", type=click.Choice(LOG_LEVELS), default="info", show_default=True)
def serve(home: Path | None, host: str, port: int, with_demo: bool, log_level: str) -> None:
    """Serve the application.

    Example: wemble serve --port 9000
    """
    from wemble.actions.library import default_home
    from wemble.cli import server

    folder = home or default_home()
    if server.shown_instead(folder):
        return
    if with_demo:
        _make_demo(folder)
    server.serve(folder, host, port, log_level)


@click.command()
@HOME
def demo(home: Path | None) -> None:
    """Make the demo data.

    Example: wemble demo --home /tmp/try
    """
    from wemble.actions.library import default_home

    _make_demo(home or default_home())


@click.command()
@HOME
@click.option("--deep", is_flag=True, help="Read every original and compare its hash.")
@click.option("--clean", is_flag=True, help="Remove what nothing refers to, and what has been in the bin for 30 days.")
def doctor(home: Path | None, deep: bool, clean: bool) -> None:
    """Examine the data folder: versions, space, database, sources, unused files.

    Exit status 1 if anything is wrong. Example: wemble doctor --deep
    """
    from wemble.actions.doctor import examined
    from wemble.actions.library import default_home

    wrong = False
    for fine, line in examined(home or default_home(), check_hashes=deep, clean=clean):
        wrong = wrong or not fine
        click.echo(f"{'ok   ' if fine else 'LOOK '} {line}")
    sys.exit(FINDINGS if wrong else 0)


def _make_demo(home: Path) -> None:
    from wemble.actions.library import Library
    from wemble.demo.build import add_demo

    library = Library(home, workers=1)
    try:
        library.start()
        add_demo(library, lambda text: click.echo(f"demo: {text}"))
    finally:
        library.close()
