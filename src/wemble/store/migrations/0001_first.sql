CREATE TABLE job (
  id TEXT PRIMARY KEY,
  name TEXT NOT NULL,
  brief TEXT NOT NULL,
  head_revision INTEGER REFERENCES revision (id) DEFERRABLE INITIALLY DEFERRED,
  created_at REAL NOT NULL
) STRICT;

CREATE TABLE revision (
  id INTEGER PRIMARY KEY,
  job_id TEXT NOT NULL REFERENCES job (id) ON DELETE CASCADE,
  parent_id INTEGER REFERENCES revision (id),
  depth INTEGER NOT NULL CHECK (depth >= 0),
  label TEXT NOT NULL,
  merge_key TEXT,
  created_at REAL NOT NULL
) STRICT;
CREATE INDEX revision_parent ON revision (parent_id);
CREATE INDEX revision_job ON revision (job_id);

CREATE TABLE change (
  revision_id INTEGER NOT NULL REFERENCES revision (id) ON DELETE CASCADE,
  number INTEGER NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('job', 'sources', 'lanes', 'clips', 'joins', 'findings')),
  entity_id TEXT NOT NULL,
  before TEXT,
  after TEXT,
  PRIMARY KEY (revision_id, number)
) STRICT, WITHOUT ROWID;

CREATE TABLE checkpoint (
  revision_id INTEGER PRIMARY KEY REFERENCES revision (id) ON DELETE CASCADE,
  state TEXT NOT NULL
) STRICT;

CREATE TABLE source (
  id TEXT PRIMARY KEY,
  file_sha256 TEXT NOT NULL,
  decoder TEXT NOT NULL,
  kind TEXT NOT NULL,
  rate_hz INTEGER NOT NULL CHECK (rate_hz > 0),
  channels INTEGER NOT NULL CHECK (channels > 0),
  frames INTEGER NOT NULL CHECK (frames > 0),
  peak REAL NOT NULL,
  floors TEXT NOT NULL,
  notes TEXT NOT NULL,
  created_at REAL NOT NULL
) STRICT;

CREATE TABLE upload (
  id TEXT PRIMARY KEY,
  job_id TEXT NOT NULL REFERENCES job (id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  size_bytes INTEGER NOT NULL CHECK (size_bytes >= 0),
  created_at REAL NOT NULL
) STRICT;

CREATE TABLE task (
  id TEXT PRIMARY KEY,
  job_id TEXT NOT NULL REFERENCES job (id) ON DELETE CASCADE,
  kind TEXT NOT NULL CHECK (kind IN ('import', 'convert', 'export', 'check', 'demo')),
  title TEXT NOT NULL,
  state TEXT NOT NULL CHECK (state IN ('waiting', 'running', 'done', 'failed', 'cancelled', 'interrupted')),
  progress REAL NOT NULL DEFAULT 0,
  doing TEXT NOT NULL DEFAULT '',
  request TEXT NOT NULL,
  result TEXT,
  error TEXT,
  created_at REAL NOT NULL
) STRICT;
CREATE INDEX task_job ON task (job_id);

CREATE TABLE recipe (
  name TEXT PRIMARY KEY,
  body TEXT NOT NULL,
  updated_at REAL NOT NULL
) STRICT;
