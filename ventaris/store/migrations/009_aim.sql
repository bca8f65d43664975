-- What a campaign is after, and the author's own words in its report, as JSON; nothing where none were given.
ALTER TABLE campaign ADD COLUMN aim TEXT NOT NULL DEFAULT '';
ALTER TABLE campaign ADD COLUMN words TEXT NOT NULL DEFAULT '';
