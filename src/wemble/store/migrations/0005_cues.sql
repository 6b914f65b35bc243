-- Cues are a kind of entity that a change may be about; SQLite changes a CHECK only by making the table anew.
CREATE TABLE change_with_cues (
  revision_id INTEGER NOT NULL REFERENCES revision (id) ON DELETE CASCADE,
  number INTEGER NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('job', 'sources', 'lanes', 'clips', 'joins', 'marks', 'findings', 'cues')),
  entity_id TEXT NOT NULL,
  before TEXT,
  after TEXT,
  PRIMARY KEY (revision_id, number)
) STRICT, WITHOUT ROWID;
INSERT INTO change_with_cues SELECT revision_id, number, kind, entity_id, before, after FROM change;
DROP TABLE change;
ALTER TABLE change_with_cues RENAME TO change;
