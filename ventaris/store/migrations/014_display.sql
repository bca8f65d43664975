-- Units in which a campaign's pages show and read numbers, as JSON; nothing for those of the sheet.
ALTER TABLE campaign ADD COLUMN display TEXT NOT NULL DEFAULT '';
