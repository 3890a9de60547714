-- Items, their documents and their deliveries, each in a table of its own.
CREATE TABLE new_run (
  id INTEGER PRIMARY KEY,
  dispatch_id INTEGER NOT NULL REFERENCES dispatch(id) ON DELETE CASCADE,
  kind TEXT NOT NULL CHECK (kind IN ('run', 'proof')),
  state TEXT NOT NULL CHECK (state IN ('running', 'paused', 'stopped', 'done')),
  started TEXT NOT NULL,
  finished TEXT,
  moment TEXT NOT NULL,
  template_version_id INTEGER NOT NULL REFERENCES template_version(id),
  sheet_id INTEGER NOT NULL REFERENCES sheet(id),
  setup TEXT NOT NULL,
  proof_to TEXT NOT NULL DEFAULT '',
  count INTEGER NOT NULL,
  columns TEXT NOT NULL DEFAULT '[]',
  start_key TEXT,
  snapshot TEXT REFERENCES snapshot(hash),
  -- Whether its documents are delivered at all, or only stored.
  sends INTEGER NOT NULL DEFAULT 0,
  -- Whether its deliveries wait until a person releases them.
  hold INTEGER NOT NULL DEFAULT 0,
  -- Who or what started it.
  started_by TEXT NOT NULL DEFAULT 'user'
);
INSERT INTO new_run (id, dispatch_id, kind, state, started, finished, moment, template_version_id, sheet_id, setup, proof_to, count, columns, start_key, snapshot, sends)
  SELECT id, dispatch_id, kind, CASE state WHEN 'going' THEN 'running' ELSE state END, started, finished, moment, template_version_id,
    sheet_id, setup, proof_to, count, columns, start_key, snapshot,
    proof_to <> '' OR (json_valid(setup) AND json_extract(setup, '$.email') IS NOT NULL)
  FROM run;

CREATE TABLE new_item (
  id INTEGER PRIMARY KEY,
  run_id INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE,
  position INTEGER NOT NULL,
  sheet_id INTEGER NOT NULL,
  row INTEGER NOT NULL,
  label TEXT NOT NULL,
  record TEXT NOT NULL,
  state TEXT NOT NULL CHECK (state IN ('waiting', 'making', 'made', 'failed', 'left out')),
  -- How often its making was begun, and until when who began it may be thought to be at work.
  attempts INTEGER NOT NULL DEFAULT 0,
  lease INTEGER NOT NULL DEFAULT 0,
  -- The documents' name without extension.
  file_name TEXT NOT NULL DEFAULT '',
  error_code TEXT NOT NULL DEFAULT '',
  error_place TEXT NOT NULL DEFAULT '',
  error_message TEXT NOT NULL DEFAULT '',
  changed TEXT NOT NULL,
  -- How far the record is, its deliveries included; kept by the triggers below.
  progress TEXT NOT NULL DEFAULT 'waiting',
  UNIQUE (run_id, position)
);
CREATE TABLE document (
  id INTEGER PRIMARY KEY,
  item_id INTEGER NOT NULL REFERENCES item(id) ON DELETE CASCADE,
  format TEXT NOT NULL,
  version INTEGER NOT NULL DEFAULT 1,
  file TEXT NOT NULL,
  name TEXT NOT NULL,
  -- None of documents that are not of pages, and of those of an older Mangle.
  pages INTEGER,
  size INTEGER NOT NULL,
  made TEXT NOT NULL,
  UNIQUE (item_id, format, version)
);
CREATE TABLE delivery (
  id INTEGER PRIMARY KEY,
  item_id INTEGER NOT NULL REFERENCES item(id) ON DELETE CASCADE,
  run_id INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE,
  -- The channel's place in the set-up, its kind and its name.
  channel INTEGER NOT NULL,
  kind TEXT NOT NULL,
  name TEXT NOT NULL,
  state TEXT NOT NULL CHECK (state IN ('blocked', 'to send', 'sending', 'delivered', 'failed', 'uncertain', 'withdrawn', 'skipped')),
  -- The moment from which it may be tried, in seconds since 1970.
  due INTEGER NOT NULL DEFAULT 0,
  attempts INTEGER NOT NULL DEFAULT 0,
  -- When it was first tried, in seconds since 1970: giving up counts from there.
  first_tried INTEGER,
  -- What tells this delivery from every other, to whoever takes it.
  key TEXT NOT NULL,
  recipient TEXT NOT NULL DEFAULT '',
  -- The formats that go along, and what the adapter takes.
  documents TEXT NOT NULL DEFAULT '[]',
  payload TEXT NOT NULL DEFAULT 'null',
  -- Where it is going at the step that can't be called back, and what the other side said.
  target TEXT NOT NULL DEFAULT '',
  receipt TEXT NOT NULL DEFAULT '',
  error_code TEXT NOT NULL DEFAULT '',
  error_message TEXT NOT NULL DEFAULT '',
  changed TEXT NOT NULL,
  UNIQUE (item_id, channel)
);
-- What happened, in its order; nothing is ever changed in it.
CREATE TABLE event (
  id INTEGER PRIMARY KEY,
  at TEXT NOT NULL,
  who TEXT NOT NULL,
  run_id INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE,
  item_id INTEGER REFERENCES item(id) ON DELETE CASCADE,
  delivery_id INTEGER REFERENCES delivery(id) ON DELETE CASCADE,
  what TEXT NOT NULL,
  detail TEXT NOT NULL DEFAULT ''
);

INSERT INTO new_item (id, run_id, position, sheet_id, row, label, record, state, attempts, file_name, error_code, error_place, error_message, changed, progress)
  SELECT id, run_id, position, sheet_id, row, label, record,
    CASE
      WHEN state = 'waiting' THEN 'waiting'
      WHEN state IN ('failed', 'left out') AND pdf IS NULL AND docx IS NULL THEN state
      ELSE 'made'
    END,
    makes, file_name,
    CASE WHEN state = 'failed' AND pdf IS NULL AND docx IS NULL THEN error_code ELSE '' END,
    CASE WHEN state = 'failed' AND pdf IS NULL AND docx IS NULL THEN error_place ELSE '' END,
    CASE WHEN state = 'failed' AND pdf IS NULL AND docx IS NULL THEN error_message ELSE '' END,
    changed,
    CASE
      WHEN state = 'filed' THEN 'to send'
      WHEN state = 'held' THEN 'uncertain'
      WHEN state = 'delivered' AND message IS NULL THEN 'made'
      WHEN state = 'left out' AND NOT (pdf IS NULL AND docx IS NULL) THEN 'withdrawn'
      ELSE state
    END
  FROM item;
INSERT INTO document (item_id, format, file, name, size, made)
  SELECT id, 'pdf', pdf, file_name || '.pdf', CASE WHEN docx IS NULL THEN size ELSE 0 END, changed FROM item WHERE pdf IS NOT NULL;
INSERT INTO document (item_id, format, file, name, size, made)
  SELECT id, 'docx', docx, file_name || '.docx', CASE WHEN pdf IS NULL THEN size ELSE 0 END, changed FROM item WHERE docx IS NOT NULL;
INSERT INTO delivery (item_id, run_id, channel, kind, name, state, due, attempts, key, recipient, documents, payload, error_code, error_message, changed)
  SELECT id, run_id, 0, 'email', 'E-mail',
    CASE state WHEN 'filed' THEN 'to send' WHEN 'held' THEN 'uncertain' WHEN 'left out' THEN 'withdrawn' ELSE state END,
    next_try, tries, coalesce(message_id, 'item ' || id),
    coalesce((SELECT group_concat(value, ', ') FROM json_each(message, '$.to')), ''),
    CASE
      WHEN docx IS NULL OR json_extract(message, '$.docx') = 0 THEN '["pdf"]'
      WHEN pdf IS NULL THEN '["docx"]'
      ELSE '["pdf","docx"]'
    END,
    json_remove(message, '$.docx'),
    CASE WHEN state IN ('failed', 'held', 'filed') THEN error_code ELSE '' END,
    CASE WHEN state IN ('failed', 'held', 'filed') THEN error_message ELSE '' END,
    changed
  FROM item WHERE message IS NOT NULL AND json_valid(message) AND state <> 'waiting';

DROP TABLE item;
ALTER TABLE new_item RENAME TO item;
DROP TABLE run;
ALTER TABLE new_run RENAME TO run;

CREATE UNIQUE INDEX run_start ON run (dispatch_id, start_key);
CREATE INDEX item_state ON item (run_id, state);
CREATE INDEX item_progress ON item (run_id, progress);
CREATE INDEX item_row ON item (sheet_id, row, id);
CREATE INDEX document_file ON document (file);
CREATE INDEX delivery_due ON delivery (kind, state, due, id);
CREATE INDEX delivery_run ON delivery (run_id, state);
CREATE INDEX event_item ON event (item_id, id);
CREATE INDEX event_run ON event (run_id, id);

-- How far an item is: what needs a person comes first, then what is still to be done.
CREATE VIEW item_now AS SELECT item.id, CASE
    WHEN item.state <> 'made' THEN item.state
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'failed') THEN 'failed'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'uncertain') THEN 'uncertain'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'sending') THEN 'sending'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'to send') THEN 'to send'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'blocked') THEN 'blocked'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'withdrawn') THEN 'withdrawn'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'delivered') THEN 'delivered'
    ELSE 'made'
  END AS progress FROM item;
CREATE TRIGGER item_moved AFTER UPDATE OF state ON item BEGIN
  UPDATE item SET progress = (SELECT progress FROM item_now WHERE id = NEW.id) WHERE id = NEW.id;
END;
CREATE TRIGGER delivery_added AFTER INSERT ON delivery BEGIN
  UPDATE item SET progress = (SELECT progress FROM item_now WHERE id = NEW.item_id) WHERE id = NEW.item_id;
END;
CREATE TRIGGER delivery_moved AFTER UPDATE OF state ON delivery BEGIN
  UPDATE item SET progress = (SELECT progress FROM item_now WHERE id = NEW.item_id) WHERE id = NEW.item_id;
END;
CREATE TRIGGER event_stays BEFORE UPDATE ON event BEGIN SELECT RAISE(ABORT, 'events are never changed'); END;

-- Template versions name their kind.
ALTER TABLE template_version ADD COLUMN kind TEXT NOT NULL DEFAULT 'docx';
