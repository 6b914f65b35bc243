"""What is said in *Low Water 7*: a host and a guest, line by line; how each was spoken, and when it begins."""

from __future__ import annotations

from typing import Literal, NamedTuple

VOICES = {"host": "en-gb-x-rp+m3", "guest": "en-gb-scotland+f2"}
WORDS_PER_MINUTE = {"host": 150, "guest": 162}


class Line(NamedTuple):
    """One line: who says it, what, the pause before it (less than nothing talks over the one before), and how soft it is."""

    who: Literal["host", "guest"]
    text: str
    pause_s: float = 0.5
    under_db: float = 0.0


COUNT_IN = (
    Line("host", "Are we rolling?", 2.0),
    Line("guest", "I think so.", 0.3),
    Line("host", "Three. Two. One.", 1.2),
)
EPISODE = (
    Line("host", "Welcome to Low Water, the show about what the tide leaves behind.", 3.2),
    Line(
        "host",
        "I am in the boat shed at Ferry House, and across the table is Morag, who has mended boats here for thirty years.",
        0.6,
    ),
    Line("guest", "Thirty two. But who counts.", 0.3),
    Line("host", "Thirty two, then. Morag, what is the first thing you look at when a boat comes in?", 0.5),
    Line("guest", "The keel. Everybody looks at the paint, and the paint tells you nothing at all.", 0.5),
    Line("host", "Mm.", -2.2, 9.0),
    Line("guest", "Run a hand along it. Where it is soft you know what the winter was like.", 1.4),
    Line("host", "And if it is soft all along?", 0.4),
    Line("guest", "Then you put the kettle on, because it will be a long day.", 0.3),
    Line("host", "You wrote once that a boat remembers. What does it remember?", 2.4),
    Line("guest", "Every stone that it ever sat on. You can read them like a letter.", 0.5),
    Line(
        "guest",
        "There was one last spring, an old ferry, and I found the mark of the slipway that we closed in my grandfather's time.",
        0.9,
    ),
    Line("host", "Wait, the old slipway? The one by the mill?", -0.7),
    Line(
        "guest", "The very one. The stone has a nick in it, and the boat had the same nick, the other way about.", 0.4
    ),
    Line("host", "I have walked past that stone a thousand times.", 0.5),
    Line("guest", "So had I.", -0.4, 4.0),
    Line(
        "host",
        "We will put a picture of it on the page. Let us talk about the tide table, which was wrong, and seldom by chance.",
        1.8,
    ),
    Line("guest", "Oh, it was never wrong by chance. If the inn was full, low water came a little later.", 0.5),
    Line("host", "Ha! So people missed the boat and stayed the night.", -0.5),
    Line("guest", "They did, and paid for supper too.", 0.3),
    Line("host", "That is all we have time for. Thank you, Morag.", 1.6),
    Line("guest", "Thank you. Mind the wet steps on your way out.", 0.4),
    Line("host", "This was Low Water. The next one comes with the spring tide.", 0.8),
)
CHATTER = (
    Line("guest", "Was that all right?", 3.5, 3.0),
    Line("host", "That was lovely. I will stop the recorder.", 0.6, 3.0),
)
LINES = (*COUNT_IN, *EPISODE, *CHATTER)
CHAPTERS = (("Welcome", 3), ("What a boat remembers", 12), ("The tide table", 19))
"""(title, number of the line that it begins with)."""
