"""Shows: their plans and bodies for whoever plays them, rehearsals without anybody, and shifted pitches."""
