-- A search varies numbers of a variant's shape at one operating point; its runs are marked by a negative `study`.
CREATE TABLE search (
  id INTEGER PRIMARY KEY,
  campaign_id INTEGER NOT NULL REFERENCES campaign (id) ON DELETE CASCADE,
  variant_id INTEGER NOT NULL REFERENCES variant (id) ON DELETE CASCADE,
  point_id INTEGER NOT NULL REFERENCES operating_point (id) ON DELETE CASCADE,
  plan TEXT NOT NULL,
  sheet TEXT NOT NULL,
  state TEXT NOT NULL DEFAULT 'active' CHECK (state IN ('active', 'paused', 'done')),
  words TEXT NOT NULL DEFAULT '',
  created TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now'))
);
CREATE TABLE search_point (
  search_id INTEGER NOT NULL REFERENCES search (id) ON DELETE CASCADE,
  number INTEGER NOT NULL,
  point TEXT NOT NULL,
  proposed INTEGER NOT NULL DEFAULT 0,
  run_id INTEGER REFERENCES run (id) ON DELETE SET NULL,
  problem TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (search_id, number)
) WITHOUT ROWID;
