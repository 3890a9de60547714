-- The moment (UTC) at which an open round is to be looked at next: to remind, or to end it.
ALTER TABLE round ADD COLUMN look TEXT NOT NULL DEFAULT '';
CREATE INDEX round_look ON round (look) WHERE state = 'open';

-- What a document is: made, edited or signed; and what it was before, the first version first.
ALTER TABLE document ADD COLUMN kind TEXT NOT NULL DEFAULT 'made' CHECK (kind IN ('made', 'edited', 'signed'));
UPDATE document SET kind = 'signed' WHERE version > 1;
CREATE TABLE earlier_version (
  document_id INTEGER NOT NULL REFERENCES document ON DELETE CASCADE,
  version INTEGER NOT NULL,
  kind TEXT NOT NULL,
  file TEXT NOT NULL,
  pages INTEGER,
  size INTEGER NOT NULL,
  made TEXT NOT NULL,
  PRIMARY KEY (document_id, version)
) WITHOUT ROWID;
CREATE INDEX earlier_version_file ON earlier_version (file);

-- When an item's documents were made (UTC), how long that took, in milliseconds, and how many pages
-- they had; and when and why they were removed, blank for never.
ALTER TABLE item ADD COLUMN made TEXT NOT NULL DEFAULT '';
ALTER TABLE item ADD COLUMN took INTEGER NOT NULL DEFAULT 0;
ALTER TABLE item ADD COLUMN pages INTEGER NOT NULL DEFAULT 0;
ALTER TABLE item ADD COLUMN removed TEXT NOT NULL DEFAULT '';
UPDATE item SET made = coalesce((SELECT min(document.made) FROM document WHERE document.item_id = item.id), changed),
  pages = coalesce((SELECT sum(pages) FROM document WHERE document.item_id = item.id), 0) WHERE state = 'made';
CREATE INDEX item_made ON item (made);
CREATE INDEX item_far ON item (progress, id);
-- The ledger counts by when something came to its end.
CREATE INDEX delivery_changed ON delivery (changed) WHERE state IN ('delivered', 'failed');
CREATE INDEX item_failed ON item (changed) WHERE state = 'failed';

-- By what a document is found: its record's name, its file name, its recipients, its record's values.
-- Its words alone are here, not the texts.
CREATE VIRTUAL TABLE item_text USING fts5(label, file_name, people, field_values, content = '', contentless_delete = 1,
  tokenize = 'unicode61 remove_diacritics 2', prefix = '2 3 4');
-- The words of items that have documents.
CREATE VIEW item_words AS SELECT item.id, item.label, item.file_name,
  (SELECT group_concat(recipient, ' ') FROM delivery WHERE delivery.item_id = item.id) AS people,
  (SELECT substr(group_concat(atom, ' '), 1, 20000) FROM json_tree(item.record) WHERE type IN ('text', 'integer', 'real')) AS field_values
  FROM item WHERE item.state = 'made' AND item.removed = '' AND json_valid(item.record);
INSERT INTO item_text (rowid, label, file_name, people, field_values) SELECT * FROM item_words;

-- Whether a run is of one record that a person looks at: it stands in no other run's way.
ALTER TABLE run ADD COLUMN sole INTEGER NOT NULL DEFAULT 0;

-- What was erased of people on request: how much of what, never what it was.
CREATE TABLE erasure (
  id INTEGER PRIMARY KEY,
  at TEXT NOT NULL,
  who TEXT NOT NULL,
  -- What the person who did it notes, such as the number of the request.
  note TEXT NOT NULL,
  -- What was removed, and what has to be done elsewhere: JSON.
  erased TEXT NOT NULL
);

-- What happened stays as it is, but for the details of what was removed.
DROP TRIGGER event_stays;
CREATE TRIGGER event_stays BEFORE UPDATE ON event
  WHEN NEW.detail <> '' OR NEW.id IS NOT OLD.id OR NEW.at IS NOT OLD.at OR NEW.who IS NOT OLD.who OR NEW.what IS NOT OLD.what
    OR NEW.run_id IS NOT OLD.run_id OR NEW.item_id IS NOT OLD.item_id OR NEW.delivery_id IS NOT OLD.delivery_id
BEGIN SELECT RAISE(ABORT, 'events are never changed'); END;

-- What templates and forms are known by wherever they are moved.
ALTER TABLE template ADD COLUMN key TEXT NOT NULL DEFAULT '';
UPDATE template SET key = lower(hex(randomblob(8)));
CREATE UNIQUE INDEX template_key ON template (key);
ALTER TABLE form ADD COLUMN key TEXT NOT NULL DEFAULT '';
UPDATE form SET key = lower(hex(randomblob(8)));
CREATE UNIQUE INDEX form_key ON form (key);

-- What people sort their dispatches, templates and sources by.
CREATE TABLE label (
  kind TEXT NOT NULL CHECK (kind IN ('dispatch', 'template', 'source')),
  -- The dispatch's, template's or source's number.
  thing INTEGER NOT NULL,
  name TEXT NOT NULL COLLATE NOCASE,
  PRIMARY KEY (kind, thing, name)
) WITHOUT ROWID;
CREATE TRIGGER dispatch_unlabelled AFTER DELETE ON dispatch BEGIN
  DELETE FROM label WHERE kind = 'dispatch' AND thing = OLD.id;
END;
CREATE TRIGGER template_unlabelled AFTER DELETE ON template BEGIN
  DELETE FROM label WHERE kind = 'template' AND thing = OLD.id;
END;
CREATE TRIGGER source_unlabelled AFTER DELETE ON source BEGIN
  DELETE FROM label WHERE kind = 'source' AND thing = OLD.id;
END;

-- The sites that may show a form, or a CRM's records one by one, within their own pages: origins
-- (RFC 6454), apart by spaces.
ALTER TABLE form ADD COLUMN frames TEXT NOT NULL DEFAULT '';
ALTER TABLE connection ADD COLUMN frames TEXT NOT NULL DEFAULT '';
