-- Megabytes that a run will need, so that no two are begun together that do not fit.
ALTER TABLE run ADD COLUMN memory_mb REAL;
-- When a waiting run's turn is, in seconds: the time it was asked for plus some of what it costs.
ALTER TABLE run ADD COLUMN turn REAL NOT NULL DEFAULT 0;
UPDATE run SET turn = strftime('%s', created) + 3 * max(coalesce(estimate, 1), 1);
CREATE INDEX run_turn ON run (state, forward DESC, turn, id);
