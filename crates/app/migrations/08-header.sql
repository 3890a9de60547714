-- What stood above the names of the columns and was passed over.
ALTER TABLE sheet ADD COLUMN passed_over TEXT NOT NULL DEFAULT '[]';
