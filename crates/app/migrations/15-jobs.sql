-- What is done in the background beside runs: imports and CRM fetches. The end of the program
-- interrupts a job; the next start does it again.
CREATE TABLE job (
  id INTEGER PRIMARY KEY,
  kind TEXT NOT NULL,
  -- What it is about: the number of the query, 0 where it is about nothing that is there yet.
  about INTEGER NOT NULL DEFAULT 0,
  name TEXT NOT NULL,
  payload TEXT NOT NULL DEFAULT 'null',
  state TEXT NOT NULL DEFAULT 'waiting',
  attempts INTEGER NOT NULL DEFAULT 0,
  result TEXT NOT NULL DEFAULT 'null',
  error_code TEXT NOT NULL DEFAULT '',
  error_message TEXT NOT NULL DEFAULT '',
  asked TEXT NOT NULL,
  changed TEXT NOT NULL
) STRICT;
CREATE INDEX job_state ON job (state, id);
-- A thing has one job of a kind at a time.
CREATE UNIQUE INDEX job_about ON job (kind, about) WHERE about > 0 AND state IN ('waiting', 'working');
-- Whether the rows of a source are still being written: nobody sees it until they are there.
ALTER TABLE source ADD COLUMN arriving INTEGER NOT NULL DEFAULT 0;
