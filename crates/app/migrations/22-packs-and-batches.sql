-- Which templates the versions of packs are put together from.
CREATE TABLE pack_part (
  version_id INTEGER NOT NULL REFERENCES template_version ON DELETE CASCADE,
  template_id INTEGER NOT NULL REFERENCES template,
  PRIMARY KEY (version_id, template_id)
) WITHOUT ROWID;
CREATE INDEX pack_part_of ON pack_part (template_id);

-- How many documents of a run are delivered before the rest waits for a person; none where there is
-- no first batch. And the moment from which a run delivers; blank for at once.
ALTER TABLE run ADD COLUMN hold_after INTEGER;
ALTER TABLE run ADD COLUMN opens TEXT NOT NULL DEFAULT '';

-- The running documents of dispatches: which items' PDFs were added to which, in their order.
CREATE TABLE running_part (
  id INTEGER PRIMARY KEY,
  dispatch_id INTEGER NOT NULL REFERENCES dispatch ON DELETE CASCADE,
  name TEXT NOT NULL COLLATE NOCASE,
  item_id INTEGER NOT NULL UNIQUE REFERENCES item ON DELETE CASCADE,
  added TEXT NOT NULL
);
CREATE INDEX running_part_of ON running_part (dispatch_id, name, id);
