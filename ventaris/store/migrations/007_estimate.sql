-- What a run will cost, in seconds: short runs go first.
ALTER TABLE run ADD COLUMN estimate REAL;
