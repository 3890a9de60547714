-- Rows keep their number for good; where they stand is by itself. Cells keep
-- their place in a row wherever their column stands.
ALTER TABLE sheet_row ADD COLUMN position REAL NOT NULL DEFAULT 0;
UPDATE sheet_row SET position = number;
CREATE INDEX sheet_row_position ON sheet_row (sheet_id, position);
ALTER TABLE sheet ADD COLUMN next_number INTEGER NOT NULL DEFAULT 1;
ALTER TABLE sheet ADD COLUMN next_cell INTEGER NOT NULL DEFAULT 0;
UPDATE sheet SET next_number = row_count + 1, next_cell = json_array_length(columns);
-- The rows of one sheet that belong to a row of another.
CREATE TABLE relation (
  id INTEGER PRIMARY KEY,
  many_id INTEGER NOT NULL REFERENCES sheet(id) ON DELETE CASCADE,
  many_key TEXT NOT NULL,
  one_name TEXT NOT NULL,
  one_id INTEGER NOT NULL REFERENCES sheet(id) ON DELETE CASCADE,
  one_key TEXT NOT NULL,
  many_name TEXT NOT NULL
);
-- What was changed in a sheet, newest last: rows and columns as they were before,
-- or, of what was undone, as they were after.
CREATE TABLE sheet_change (
  id INTEGER PRIMARY KEY,
  sheet_id INTEGER NOT NULL REFERENCES sheet(id) ON DELETE CASCADE,
  at TEXT NOT NULL,
  what TEXT NOT NULL,
  rows TEXT NOT NULL,
  columns TEXT,
  undone INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX sheet_change_sheet ON sheet_change (sheet_id, undone, id);
-- A run keeps the columns that its items' cells are read by.
ALTER TABLE run ADD COLUMN columns TEXT NOT NULL DEFAULT '';
