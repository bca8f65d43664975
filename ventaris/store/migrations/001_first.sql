-- Numbers are never used twice: browsers and the server keep fields and pictures under a run's number.
CREATE TABLE campaign (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  name TEXT NOT NULL,
  question TEXT NOT NULL DEFAULT '',
  setup TEXT NOT NULL,                      -- JSON: domain, grid, instruments, flow, run
  revision INTEGER NOT NULL DEFAULT 1,
  created TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')),
  deleted TEXT
);

CREATE TABLE variant (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  campaign_id INTEGER NOT NULL REFERENCES campaign (id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  shape TEXT NOT NULL,                      -- JSON: the sheet's shape section
  baseline INTEGER NOT NULL DEFAULT 0,
  revision INTEGER NOT NULL DEFAULT 1,
  deleted TEXT
);
CREATE INDEX variant_campaign ON variant (campaign_id);

CREATE TABLE operating_point (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  campaign_id INTEGER NOT NULL REFERENCES campaign (id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  air TEXT NOT NULL,                        -- JSON: the sheet's air section
  revision INTEGER NOT NULL DEFAULT 1,
  deleted TEXT
);
CREATE INDEX operating_point_campaign ON operating_point (campaign_id);

CREATE TABLE run (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  campaign_id INTEGER NOT NULL REFERENCES campaign (id) ON DELETE CASCADE,
  variant_id INTEGER NOT NULL REFERENCES variant (id) ON DELETE CASCADE,
  point_id INTEGER NOT NULL REFERENCES operating_point (id) ON DELETE CASCADE,
  sheet TEXT NOT NULL,                      -- TOML, whole
  state TEXT NOT NULL DEFAULT 'waiting'
    CHECK (state IN ('waiting', 'gridding', 'running', 'paused', 'settled', 'stopped', 'failed')),
  request TEXT NOT NULL DEFAULT '' CHECK (request IN ('', 'pause', 'stop')),
  extra_steps INTEGER NOT NULL DEFAULT 0,
  attempts INTEGER NOT NULL DEFAULT 0,
  progress TEXT NOT NULL DEFAULT '{}',      -- JSON
  result TEXT,                              -- JSON
  error TEXT NOT NULL DEFAULT '',
  worker TEXT NOT NULL DEFAULT '',
  heartbeat REAL NOT NULL DEFAULT 0,
  created TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')),
  started TEXT,
  finished TEXT
);
CREATE INDEX run_campaign ON run (campaign_id);
CREATE INDEX run_cell ON run (variant_id, point_id);
CREATE INDEX run_state ON run (state);

CREATE TABLE history (
  run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
  step INTEGER NOT NULL,
  entry TEXT NOT NULL,                      -- JSON
  PRIMARY KEY (run_id, step)
) WITHOUT ROWID;

CREATE TABLE log_line (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
  at TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')),
  line TEXT NOT NULL
);
CREATE INDEX log_line_run ON log_line (run_id);

CREATE TABLE stored_array (
  run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
  kind TEXT NOT NULL CHECK (kind IN ('checkpoint', 'field', 'taps', 'picture')),
  version INTEGER NOT NULL DEFAULT 1,
  data BLOB NOT NULL,
  PRIMARY KEY (run_id, kind)
);

CREATE TABLE measured (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  campaign_id INTEGER NOT NULL REFERENCES campaign (id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  columns TEXT NOT NULL,                    -- JSON: name to list of numbers, the station first
  created TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')),
  deleted TEXT
);

CREATE TABLE setting (
  name TEXT PRIMARY KEY,
  value TEXT NOT NULL
) WITHOUT ROWID;
