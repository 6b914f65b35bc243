"""Open formats in and out. Nothing here knows a job, a database or the web."""
