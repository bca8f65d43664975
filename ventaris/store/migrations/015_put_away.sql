-- Campaigns that a person has put away: they stay, but not on the first page.
ALTER TABLE campaign ADD COLUMN away INTEGER NOT NULL DEFAULT 0;
