-- Edits of sheets that can be taken back: what a section held before and after.
CREATE TABLE edit (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  campaign_id INTEGER NOT NULL REFERENCES campaign (id) ON DELETE CASCADE,
  what TEXT NOT NULL CHECK (what IN ('shape', 'air', 'setup')),
  owner INTEGER NOT NULL,                   -- the variant, the operating point or the campaign
  before TEXT NOT NULL,                     -- JSON
  after TEXT NOT NULL,                      -- JSON
  undone INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX edit_owner ON edit (what, owner);
