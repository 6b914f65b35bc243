"""Where sound begins and ends."""
