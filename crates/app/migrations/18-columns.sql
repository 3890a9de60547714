-- What is written into the sheet comes last: a record that waits for a person or for a moment over
-- another channel waits for that.
DROP TRIGGER delivery_moved;
DROP VIEW item_now;
-- How far an item is: what needs a person comes first, then what is still to be done.
CREATE VIEW item_now AS SELECT item.id, CASE
    WHEN item.state <> 'made' THEN item.state
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'failed') THEN 'failed'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'uncertain') THEN 'uncertain'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'sending') THEN 'sending'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'to send' AND kind <> 'sheet') THEN 'to send'
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
