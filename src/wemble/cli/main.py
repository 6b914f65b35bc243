"""``wemble``: every command with an example; exit status 0 fine, 1 findings, 2 wrong use, 3 some files failed."""

from __future__ import annotations

import sys
from io import TextIOWrapper

import click

from wemble import __version__
from wemble.cli.files import check, clean, kit, loudness
from wemble.cli.find import find
from wemble.cli.options import WRONG_USE
from wemble.cli.release import release
from wemble.cli.serving import demo, doctor, serve
from wemble.cli.show import light_desk, show
from wemble.cli.talk import episode
from wemble.errors import WembleError


class _Group(click.Group):
    """Tells our own errors in one line, without a trace."""

    def invoke(self, context: click.Context) -> object:
        try:
            return super().invoke(context)
        except WembleError as error:
            click.echo(f"wemble: {error.message}", err=True)
            sys.exit(WRONG_USE)


@click.group(
    cls=_Group, commands=[serve, demo, find, check, loudness, clean, episode, kit, release, show, light_desk, doctor]
)
@click.version_option(__version__)
def main() -> None:
    """Clean the edges of audio: find, cut, fade, check, send."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")  # a file name need not be text


if __name__ == "__main__":
    main()
