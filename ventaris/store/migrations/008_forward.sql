-- Runs that a person has brought forward go before all others, the last one brought forward first.
ALTER TABLE run ADD COLUMN forward INTEGER NOT NULL DEFAULT 0;
