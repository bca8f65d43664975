-- What a run will cost, in seconds: short runs go first.
ALTER TABLE run ADD COLUMN estimate REAL;
-- Revisions of campaign, variant and operating point from which a run was started: while they stand, its inputs have not changed.
ALTER TABLE run ADD COLUMN made_from TEXT NOT NULL DEFAULT '';
