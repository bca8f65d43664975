-- Settings of single variants, operating points or cells that differ from the campaign's, as JSON.
ALTER TABLE campaign ADD COLUMN exceptions TEXT NOT NULL DEFAULT '';
