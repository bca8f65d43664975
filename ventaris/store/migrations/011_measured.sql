-- What the columns of measured data are, as JSON; nothing where they are guessed from their names.
ALTER TABLE measured ADD COLUMN about TEXT NOT NULL DEFAULT '';
