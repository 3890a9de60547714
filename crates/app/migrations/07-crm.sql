-- CRMs that are connected: their token is encrypted, their shape as it was last seen.
CREATE TABLE connection (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  address TEXT NOT NULL,
  token TEXT NOT NULL,
  shape TEXT NOT NULL,
  seen TEXT NOT NULL
);
-- A CRM query is a source whose one sheet holds its records as they were last fetched.
CREATE TABLE query (
  source_id INTEGER PRIMARY KEY REFERENCES source(id) ON DELETE CASCADE,
  sheet_id INTEGER NOT NULL REFERENCES sheet(id) ON DELETE CASCADE,
  connection_id INTEGER NOT NULL REFERENCES connection(id),
  asks TEXT NOT NULL,
  fetched TEXT
);
CREATE INDEX query_sheet ON query (sheet_id);
