"""What is read in the *Audio guide*: eight stops, phrase by phrase, with the name each clip gets."""

from __future__ import annotations

VOICE = "en-gb-x-rp+f3"
WORDS_PER_MINUTE = 148

PHRASES: tuple[tuple[str, str], ...] = (
    ("Welcome", "Welcome to Ferry House, where the river was crossed for three hundred years."),
    ("How to listen", "Press the number that you see beside each stop."),
    ("Ferry bell, stop 1", "Stop one, the ferry bell."),
    ("Ferry bell, its call", "Passengers on the far bank rang it twice, and waited."),
    ("Ferry bell, fog", "In fog it was answered from this side, once every minute."),
    ("Ferry bell, crack", "Look for the crack near the lip; frost did that."),
    ("Ticket hall, stop 2", "Stop two, the ticket hall."),
    ("Ticket hall, prices", "A penny for a person, twopence for a pig."),
    ("Ticket hall, window", "The small window was for children and for short farmers."),
    ("Ticket hall, closed", "It closed at dusk."),
    ("Rope and chain, stop 3", "Stop three, rope and chain."),
    ("Rope and chain, cross", "The boat pulled itself across on a rope as thick as your wrist."),
    ("Rope and chain, flood", "After the great flood a chain took its place."),
    ("Rope and chain, touch", "You may touch it. It is clean."),
    ("The slipway, stop 4", "Stop four, the slipway."),
    ("The slipway, stones", "Each stone was laid at low water, by hand."),
    ("The slipway, fish", "Fresh fish was sold here on Fridays, straight from the baskets."),
    ("The slipway, wet", "Mind the wet steps."),
    ("Tide table, stop 5", "Stop five, the tide table."),
    ("Tide table, chalk", "The ferryman wrote it in chalk each morning."),
    ("Tide table, half past", "Half past six, half past twelve, and half past six again."),
    ("Tide table, wrong", "When it was wrong, and it was seldom wrong, people slept on the benches."),
    ("Captain's chair, stop 6", "Stop six, the captain's chair."),
    ("Captain's chair, joke", "There never was a captain. There was a ferryman, and his sister."),
    ("Captain's chair, sister", "She steered; he shouted."),
    ("Captain's chair, sit", "Sit down, if you like. It creaks."),
    ("Lamp room, stop 7", "Stop seven, the lamp room."),
    ("Lamp room, oil", "Six lamps burned whale oil, then paraffin, then nothing at all."),
    ("Lamp room, glass", "The thick glass is from the first lamp."),
    ("Lamp room, dark", "Close your eyes for a moment, and listen to the river."),
    ("Last boat, stop 8", "Stop eight, the last boat."),
    ("Last boat, year", "The bridge was opened in spring, and the last boat left at half past five."),
    ("Last boat, crowd", "Six hundred people stood on both banks, and nobody spoke."),
    ("Last boat, horn", "Then the horn sounded, twice."),
    ("Thanks", "Thank you for listening. The way out is past the shop."),
)
"""(name of the clip, what is said)"""
