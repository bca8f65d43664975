-- A campaign may also be about nozzles and their jets: the list of kinds is kept by the program, not by the table.
ALTER TABLE campaign ADD COLUMN about TEXT NOT NULL DEFAULT 'section';
UPDATE campaign SET about = space;
ALTER TABLE campaign DROP COLUMN space;
ALTER TABLE campaign RENAME COLUMN about TO space;
