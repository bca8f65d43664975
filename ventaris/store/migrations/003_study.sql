-- Runs of a grid study belong to a cell but are not its answer: `study` is their factor on the cell counts.
ALTER TABLE run ADD COLUMN study REAL;
