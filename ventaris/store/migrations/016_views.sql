-- Views of flows that a campaign keeps, as JSON: they are drawn anew for every run.
ALTER TABLE campaign ADD COLUMN views TEXT NOT NULL DEFAULT '';
