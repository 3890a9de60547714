-- What the other side said last of a delivery that it has taken; none where nothing more is
-- waited for.
ALTER TABLE delivery ADD COLUMN heard TEXT;
CREATE INDEX delivery_heard ON delivery (kind) WHERE heard IS NOT NULL;
-- What is written into the CRM and the sheet comes last.
DROP TRIGGER delivery_moved;
DROP VIEW item_now;
-- How far an item is: what needs a person comes first, then what is still to be done.
CREATE VIEW item_now AS SELECT item.id, CASE
    WHEN item.state <> 'made' THEN item.state
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'failed') THEN 'failed'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'uncertain') THEN 'uncertain'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'sending') THEN 'sending'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'to send' AND kind NOT IN ('crm', 'sheet')) THEN 'to send'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'blocked' AND held <> 0) THEN 'blocked'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'blocked') THEN 'scheduled'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'to send') THEN 'to send'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'withdrawn') THEN 'withdrawn'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'delivered') THEN 'delivered'
    ELSE 'made'
  END AS progress FROM item;
CREATE TRIGGER delivery_moved AFTER UPDATE OF state, held ON delivery BEGIN
  UPDATE item SET progress = (SELECT progress FROM item_now WHERE id = NEW.item_id) WHERE id = NEW.item_id;
END;
-- What became of the message that tells of a run: none where it was not thought of yet.
ALTER TABLE run ADD COLUMN summary TEXT;
UPDATE run SET summary = 'none';
CREATE INDEX run_untold ON run (id) WHERE summary IS NULL;
