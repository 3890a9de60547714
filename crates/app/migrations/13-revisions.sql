-- Counts the changes of what people edit, so that one window does not overwrite another.
ALTER TABLE form ADD COLUMN revision INTEGER NOT NULL DEFAULT 1;
ALTER TABLE clause ADD COLUMN revision INTEGER NOT NULL DEFAULT 1;
-- A dispatch that has run stays for its history when it is deleted.
ALTER TABLE dispatch ADD COLUMN deleted TEXT;
