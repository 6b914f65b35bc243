-- When a job was last opened, and when it was put in the bin; there it stays for a while.
ALTER TABLE job ADD COLUMN opened_at REAL;
ALTER TABLE job ADD COLUMN deleted_at REAL;
-- The edges' reviews and the fades' origins under the names that the model has now. A quote inside a name is escaped
-- in JSON, so that these keys match nothing that a user wrote.
UPDATE change SET
  before = replace(replace(replace(replace(before,
    '"made":', '"origin":'), '"said":', '"decision":'), '"head_walked":', '"head_review":'), '"tail_walked":', '"tail_review":'),
  after = replace(replace(replace(replace(after,
    '"made":', '"origin":'), '"said":', '"decision":'), '"head_walked":', '"head_review":'), '"tail_walked":', '"tail_review":');
UPDATE checkpoint SET
  state = replace(replace(replace(replace(state,
    '"made":', '"origin":'), '"said":', '"decision":'), '"head_walked":', '"head_review":'), '"tail_walked":', '"tail_review":');
-- What the desk was set to when it was left: settings of a view, no part of the job's history.
CREATE TABLE job_setting (
  job_id TEXT NOT NULL REFERENCES job (id) ON DELETE CASCADE,
  name TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 40),
  value TEXT NOT NULL,
  PRIMARY KEY (job_id, name)
) STRICT, WITHOUT ROWID;
