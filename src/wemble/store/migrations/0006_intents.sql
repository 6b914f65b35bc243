-- What is to become of files, written with the rows that it belongs to: carried out after the commit, then removed here.
CREATE TABLE intent (
  id INTEGER PRIMARY KEY,
  act TEXT NOT NULL CHECK (act IN ('place', 'remove')),
  room TEXT NOT NULL CHECK (room IN ('sources', 'uploads', 'exports', 'pictures', 'heard')),
  name TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 200),
  from_name TEXT,
  CHECK ((act = 'place') = (from_name IS NOT NULL))
) STRICT;
-- What was sent and then removed lies in the bin for a while, as jobs do.
ALTER TABLE task ADD COLUMN deleted_at REAL;
