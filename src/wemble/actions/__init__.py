"""What a user can ask for, one function each. Nothing here knows HTTP or a terminal."""
