-- Fonts that a person brought in, each file once.
CREATE TABLE font (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE COLLATE NOCASE,
  families TEXT NOT NULL,
  file TEXT NOT NULL,
  size INTEGER NOT NULL
);
