"""What is kept: SQLite through plain SQL, source and peak files on disk. It never commits; the action's transaction does."""
