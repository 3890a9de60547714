-- The pictures of a dispatch's folder, by the name that records give.
CREATE TABLE picture (
  dispatch_id INTEGER NOT NULL REFERENCES dispatch(id) ON DELETE CASCADE,
  name TEXT NOT NULL COLLATE NOCASE,
  file TEXT NOT NULL,
  size INTEGER NOT NULL,
  PRIMARY KEY (dispatch_id, name)
) WITHOUT ROWID;
-- The clause library; a clause may have a text for each language.
CREATE TABLE clause (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  language TEXT NOT NULL DEFAULT '',
  body TEXT NOT NULL,
  changed TEXT NOT NULL,
  UNIQUE (name, language)
);
-- Columns whose dates can be read two ways, until a person says which.
ALTER TABLE sheet ADD COLUMN unsure TEXT NOT NULL DEFAULT '[]';
