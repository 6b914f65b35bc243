-- Pieces that are used again, such as an opening: a span of a recording, under a name.
CREATE TABLE piece (
  name TEXT PRIMARY KEY CHECK (length(name) BETWEEN 1 AND 200),
  source_id TEXT NOT NULL REFERENCES source (id),
  head_frame INTEGER NOT NULL CHECK (head_frame >= 0),
  tail_frame INTEGER NOT NULL CHECK (tail_frame > head_frame),
  created_at REAL NOT NULL
) STRICT;
