-- Deliveries wait for a person's release, for a moment, or for both.
ALTER TABLE delivery ADD COLUMN held INTEGER NOT NULL DEFAULT 0;
-- The moment (UTC) before which it stays here; blank for none.
ALTER TABLE delivery ADD COLUMN opens TEXT NOT NULL DEFAULT '';
UPDATE delivery SET held = 1 WHERE state = 'blocked';
CREATE INDEX delivery_opens ON delivery (opens) WHERE state = 'blocked' AND held = 0;

DROP TRIGGER delivery_moved;
DROP VIEW item_now;
-- How far an item is: what needs a person comes first, then what is still to be done.
CREATE VIEW item_now AS SELECT item.id, CASE
    WHEN item.state <> 'made' THEN item.state
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'failed') THEN 'failed'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'uncertain') THEN 'uncertain'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'sending') THEN 'sending'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'to send') THEN 'to send'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'blocked' AND held <> 0) THEN 'blocked'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'blocked') THEN 'scheduled'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'withdrawn') THEN 'withdrawn'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'delivered') THEN 'delivered'
    ELSE 'made'
  END AS progress FROM item;
CREATE TRIGGER delivery_moved AFTER UPDATE OF state, held ON delivery BEGIN
  UPDATE item SET progress = (SELECT progress FROM item_now WHERE id = NEW.item_id) WHERE id = NEW.item_id;
END;
