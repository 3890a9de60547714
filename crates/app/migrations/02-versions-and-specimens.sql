-- Of a template's versions one is in use; newer ones are drafts.
ALTER TABLE template ADD COLUMN in_use INTEGER NOT NULL DEFAULT 0;
UPDATE template SET in_use = coalesce((SELECT max(number) FROM template_version WHERE template_id = template.id), 0);
ALTER TABLE template_version ADD COLUMN brought_by TEXT NOT NULL DEFAULT '';
ALTER TABLE template_version ADD COLUMN note TEXT NOT NULL DEFAULT '';
-- A kept set of values with the text that it must give.
CREATE TABLE specimen (
  id INTEGER PRIMARY KEY,
  template_id INTEGER NOT NULL REFERENCES template(id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  held TEXT NOT NULL,
  locale TEXT NOT NULL,
  moment TEXT NOT NULL,
  lines TEXT NOT NULL,
  version INTEGER NOT NULL,
  kept TEXT NOT NULL,
  UNIQUE (template_id, name)
);
