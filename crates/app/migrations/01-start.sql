CREATE TABLE setting (name TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE source (id INTEGER PRIMARY KEY, name TEXT NOT NULL, file_name TEXT NOT NULL, brought_in TEXT NOT NULL);
CREATE TABLE sheet (
  id INTEGER PRIMARY KEY,
  source_id INTEGER NOT NULL REFERENCES source(id) ON DELETE CASCADE,
  position INTEGER NOT NULL,
  name TEXT NOT NULL,
  columns TEXT NOT NULL,
  decimal_mark TEXT NOT NULL,
  date_order TEXT NOT NULL,
  row_count INTEGER NOT NULL
);
CREATE TABLE sheet_row (sheet_id INTEGER NOT NULL REFERENCES sheet(id) ON DELETE CASCADE, number INTEGER NOT NULL, cells TEXT NOT NULL, PRIMARY KEY (sheet_id, number)) WITHOUT ROWID;
CREATE TABLE filter (id INTEGER PRIMARY KEY, sheet_id INTEGER NOT NULL REFERENCES sheet(id) ON DELETE CASCADE, name TEXT NOT NULL, condition TEXT NOT NULL, UNIQUE (sheet_id, name));
CREATE TABLE template (id INTEGER PRIMARY KEY, name TEXT NOT NULL);
CREATE TABLE template_version (
  id INTEGER PRIMARY KEY,
  template_id INTEGER NOT NULL REFERENCES template(id) ON DELETE CASCADE,
  number INTEGER NOT NULL,
  file_name TEXT NOT NULL,
  file TEXT NOT NULL,
  size INTEGER NOT NULL,
  brought_in TEXT NOT NULL,
  UNIQUE (template_id, number)
);
CREATE TABLE dispatch (
  id INTEGER PRIMARY KEY,
  key TEXT NOT NULL UNIQUE,
  name TEXT NOT NULL,
  template_id INTEGER REFERENCES template(id),
  sheet_id INTEGER REFERENCES sheet(id),
  setup TEXT NOT NULL,
  changed TEXT NOT NULL
);
-- A run keeps all that it needs: what changes later does not reach it.
CREATE TABLE run (
  id INTEGER PRIMARY KEY,
  dispatch_id INTEGER NOT NULL REFERENCES dispatch(id) ON DELETE CASCADE,
  kind TEXT NOT NULL CHECK (kind IN ('run', 'proof')),
  state TEXT NOT NULL CHECK (state IN ('going', 'paused', 'stopped', 'done')),
  started TEXT NOT NULL,
  finished TEXT,
  moment TEXT NOT NULL,
  template_version_id INTEGER NOT NULL REFERENCES template_version(id),
  sheet_id INTEGER NOT NULL REFERENCES sheet(id),
  setup TEXT NOT NULL,
  proof_to TEXT NOT NULL DEFAULT '',
  count INTEGER NOT NULL
);
CREATE TABLE item (
  id INTEGER PRIMARY KEY,
  run_id INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE,
  position INTEGER NOT NULL,
  sheet_id INTEGER NOT NULL,
  row INTEGER NOT NULL,
  label TEXT NOT NULL,
  cells TEXT NOT NULL,
  state TEXT NOT NULL CHECK (state IN ('waiting', 'filed', 'sending', 'delivered', 'held', 'failed', 'left out')),
  file_name TEXT NOT NULL DEFAULT '',
  pdf TEXT,
  docx TEXT,
  size INTEGER NOT NULL DEFAULT 0,
  message TEXT,
  message_id TEXT,
  tries INTEGER NOT NULL DEFAULT 0,
  next_try INTEGER NOT NULL DEFAULT 0,
  error_code TEXT NOT NULL DEFAULT '',
  error_place TEXT NOT NULL DEFAULT '',
  error_message TEXT NOT NULL DEFAULT '',
  changed TEXT NOT NULL,
  UNIQUE (run_id, position)
);
CREATE INDEX item_state ON item (run_id, state);
CREATE INDEX item_row ON item (sheet_id, row, id);
