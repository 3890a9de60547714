-- What starts runs by itself: each time that a trigger of a dispatch has something to start. The
-- same time is one firing, however often it is noticed.
CREATE TABLE firing (
  id INTEGER PRIMARY KEY,
  dispatch_id INTEGER NOT NULL REFERENCES dispatch ON DELETE CASCADE,
  -- The trigger's number in the dispatch's set-up, and its kind.
  trigger_id INTEGER NOT NULL,
  kind TEXT NOT NULL,
  key TEXT NOT NULL,
  state TEXT NOT NULL,
  -- When it happened; the rows that it is of, JSON; none where it is of all.
  at TEXT NOT NULL,
  -- Those that wait on are fewer than were asked for, once a run has begun without them.
  "rows" TEXT,
  asked TEXT,
  -- Not before this second of the epoch.
  due INTEGER NOT NULL DEFAULT 0,
  run_id INTEGER REFERENCES run ON DELETE SET NULL,
  message TEXT NOT NULL DEFAULT '',
  -- Whether the person was told that it waits for them.
  told INTEGER NOT NULL DEFAULT 0,
  changed TEXT NOT NULL,
  UNIQUE (dispatch_id, trigger_id, key)
);
CREATE INDEX firing_due ON firing (due) WHERE state = 'due';
CREATE INDEX firing_waiting ON firing (told) WHERE state = 'waiting';
-- What a trigger has seen so far: the settings that this is of, and the rest as its kind has it.
CREATE TABLE trigger_seen (
  dispatch_id INTEGER NOT NULL REFERENCES dispatch ON DELETE CASCADE,
  trigger_id INTEGER NOT NULL,
  settings TEXT NOT NULL,
  seen TEXT NOT NULL,
  PRIMARY KEY (dispatch_id, trigger_id)
) WITHOUT ROWID;
-- The messages of web hooks that were taken, by which the same one is known again.
CREATE TABLE hook_taken (
  dispatch_id INTEGER NOT NULL REFERENCES dispatch ON DELETE CASCADE,
  message TEXT NOT NULL,
  at TEXT NOT NULL,
  PRIMARY KEY (dispatch_id, message)
) WITHOUT ROWID;
