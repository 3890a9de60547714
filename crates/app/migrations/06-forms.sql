-- A form is a source whose one sheet holds its answers: as it is written, and as it
-- is answered once it was opened.
ALTER TABLE source ADD COLUMN kind TEXT NOT NULL DEFAULT 'workbook';
CREATE TABLE form (
  source_id INTEGER PRIMARY KEY REFERENCES source(id) ON DELETE CASCADE,
  sheet_id INTEGER NOT NULL REFERENCES sheet(id) ON DELETE CASCADE,
  token TEXT NOT NULL UNIQUE,
  draft TEXT NOT NULL,
  live TEXT,
  open INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX form_sheet ON form (sheet_id);
-- Files that came for a field and belong to no answer yet.
CREATE TABLE arrival (
  key TEXT PRIMARY KEY,
  source_id INTEGER NOT NULL REFERENCES source(id) ON DELETE CASCADE,
  field INTEGER NOT NULL,
  name TEXT NOT NULL,
  file TEXT NOT NULL,
  size INTEGER NOT NULL,
  picture INTEGER NOT NULL,
  at TEXT NOT NULL
) WITHOUT ROWID;
-- The files that the cells of a sheet name.
CREATE TABLE sheet_file (
  sheet_id INTEGER NOT NULL REFERENCES sheet(id) ON DELETE CASCADE,
  name TEXT NOT NULL COLLATE NOCASE,
  file TEXT NOT NULL,
  size INTEGER NOT NULL,
  picture INTEGER NOT NULL,
  PRIMARY KEY (sheet_id, name)
) WITHOUT ROWID;
-- What was put right in answers.
CREATE TABLE correction (
  id INTEGER PRIMARY KEY,
  sheet_id INTEGER NOT NULL REFERENCES sheet(id) ON DELETE CASCADE,
  row INTEGER NOT NULL,
  column_name TEXT NOT NULL,
  before TEXT NOT NULL,
  after TEXT NOT NULL,
  at TEXT NOT NULL
);
CREATE INDEX correction_row ON correction (sheet_id, row, id);
-- What answers were sent under: one that is sent twice is taken once.
CREATE TABLE answer_sent (
  source_id INTEGER NOT NULL REFERENCES source(id) ON DELETE CASCADE,
  once TEXT NOT NULL,
  PRIMARY KEY (source_id, once)
) WITHOUT ROWID;
