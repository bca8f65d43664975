-- A campaign is about sections in a plane or bodies in space; imported surfaces are kept once, under a key of their content.
ALTER TABLE campaign ADD COLUMN space TEXT NOT NULL DEFAULT 'section' CHECK (space IN ('section', 'body'));
CREATE TABLE surface (
  key TEXT PRIMARY KEY,
  name TEXT NOT NULL,
  data BLOB NOT NULL,
  created TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now'))
) WITHOUT ROWID;
