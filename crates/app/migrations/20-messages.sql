-- Message templates, which the e-mail channels of several dispatches may use.
CREATE TABLE message (
  id INTEGER PRIMARY KEY,
  key TEXT NOT NULL UNIQUE,
  name TEXT NOT NULL,
  in_use INTEGER NOT NULL,
  revision INTEGER NOT NULL DEFAULT 1
);
CREATE TABLE message_version (
  message_id INTEGER NOT NULL REFERENCES message ON DELETE CASCADE,
  number INTEGER NOT NULL,
  subject TEXT NOT NULL,
  body TEXT NOT NULL,
  html TEXT NOT NULL,
  -- The pictures that it shows: JSON, [{ name, file, size }].
  pictures TEXT NOT NULL,
  note TEXT NOT NULL,
  made TEXT NOT NULL,
  made_by TEXT NOT NULL,
  PRIMARY KEY (message_id, number)
) WITHOUT ROWID;
