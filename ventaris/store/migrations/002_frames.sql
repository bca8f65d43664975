-- Recorded frames of unsteady runs are kept beside the other arrays.
CREATE TABLE stored_array_2 (
  run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
  kind TEXT NOT NULL CHECK (kind IN ('checkpoint', 'field', 'taps', 'picture', 'frames')),
  data BLOB NOT NULL,
  version INTEGER NOT NULL DEFAULT 1,
  PRIMARY KEY (run_id, kind)
);
INSERT INTO stored_array_2 (run_id, kind, data, version) SELECT run_id, kind, data, version FROM stored_array;
DROP TABLE stored_array;
ALTER TABLE stored_array_2 RENAME TO stored_array;
