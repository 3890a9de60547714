-- Signing rounds: the signatures that are asked for on one document.
CREATE TABLE round (
  id INTEGER PRIMARY KEY,
  item_id INTEGER NOT NULL UNIQUE REFERENCES item ON DELETE CASCADE,
  run_id INTEGER NOT NULL REFERENCES run ON DELETE CASCADE,
  -- What the document is called.
  title TEXT NOT NULL,
  state TEXT NOT NULL CHECK (state IN ('draft', 'open', 'completed', 'declined', 'withdrawn', 'expired')),
  -- Its seats, its plan, its fields and the states of its file, each as JSON.
  round TEXT NOT NULL,
  plan TEXT NOT NULL,
  fields TEXT NOT NULL,
  revisions TEXT NOT NULL,
  -- The document as it was sent, with the marks so far, and sealed; blank before that.
  sent TEXT NOT NULL,
  file TEXT NOT NULL,
  sealed TEXT NOT NULL DEFAULT '',
  -- The moment from which the seal is tried, in seconds since 1970, how often it was, and why not.
  seal_due INTEGER NOT NULL DEFAULT 0,
  seal_tries INTEGER NOT NULL DEFAULT 0,
  seal_error TEXT NOT NULL DEFAULT '',
  begun TEXT NOT NULL,
  -- When it ends by itself, in UTC; none for never.
  ends TEXT,
  changed TEXT NOT NULL,
  -- Counts changes: what was worked out from an older one is not written.
  revision INTEGER NOT NULL DEFAULT 1
);
CREATE INDEX round_run ON round (run_id);
CREATE INDEX round_state ON round (state);
-- What happened in a round, each holding the digest of the one before.
CREATE TABLE round_event (
  round_id INTEGER NOT NULL REFERENCES round ON DELETE CASCADE,
  number INTEGER NOT NULL,
  link TEXT NOT NULL,
  PRIMARY KEY (round_id, number)
) WITHOUT ROWID;
-- The links of signers. What opens a round is not here: only its digest, and the number that it is
-- made of with the key of the data folder.
CREATE TABLE signer_link (
  token TEXT PRIMARY KEY,
  nonce TEXT NOT NULL UNIQUE,
  round_id INTEGER NOT NULL REFERENCES round ON DELETE CASCADE,
  seat INTEGER NOT NULL,
  person INTEGER NOT NULL,
  revoked INTEGER NOT NULL DEFAULT 0,
  invited TEXT NOT NULL,
  reminded INTEGER NOT NULL DEFAULT 0,
  -- When it was first opened; none before that.
  opened TEXT,
  -- How often a wrong passcode was entered since the last right one.
  wrong INTEGER NOT NULL DEFAULT 0,
  -- What its signer has filled in so far, as JSON.
  filled TEXT NOT NULL DEFAULT '{}'
) WITHOUT ROWID;
CREATE INDEX signer_link_of ON signer_link (round_id, seat, person);
-- The organisation's key, closed, with its certificates.
CREATE TABLE seal_key (
  id INTEGER PRIMARY KEY CHECK (id = 1),
  private TEXT NOT NULL,
  chain TEXT NOT NULL,
  own INTEGER NOT NULL,
  since TEXT NOT NULL
);

-- What a delivery waits for besides a release and a moment: 'signing', or nothing; and the round
-- whose message it is, with the signer's place.
ALTER TABLE delivery ADD COLUMN waits TEXT NOT NULL DEFAULT '';
ALTER TABLE delivery ADD COLUMN round_id INTEGER REFERENCES round ON DELETE CASCADE;
ALTER TABLE delivery ADD COLUMN place TEXT NOT NULL DEFAULT '';
CREATE INDEX delivery_round ON delivery (round_id) WHERE round_id IS NOT NULL;

DROP TRIGGER delivery_moved;
DROP VIEW item_now;
-- How far an item is: what needs a person comes first, then what is still to be done.
CREATE VIEW item_now AS SELECT item.id, CASE
    WHEN item.state <> 'made' THEN item.state
    -- A signer's message that failed counts no more once the signer has a newer one.
    WHEN EXISTS (SELECT 1 FROM delivery AS own WHERE item_id = item.id AND state = 'failed' AND NOT EXISTS
      (SELECT 1 FROM delivery AS later WHERE later.round_id = own.round_id AND later.place = own.place AND later.id > own.id)) THEN 'failed'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'uncertain') THEN 'uncertain'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'sending') THEN 'sending'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'to send' AND kind NOT IN ('crm', 'sheet')) THEN 'to send'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'blocked' AND held <> 0 AND waits = '') THEN 'blocked'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'blocked' AND waits = '') THEN 'scheduled'
    WHEN EXISTS (SELECT 1 FROM round WHERE item_id = item.id AND (state = 'open' OR (state = 'completed' AND sealed = ''))) THEN 'signing'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'blocked') THEN 'blocked'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'to send') THEN 'to send'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'withdrawn') THEN 'withdrawn'
    WHEN EXISTS (SELECT 1 FROM delivery WHERE item_id = item.id AND state = 'delivered') THEN 'delivered'
    ELSE 'made'
  END AS progress FROM item;
CREATE TRIGGER delivery_moved AFTER UPDATE OF state, held, waits ON delivery BEGIN
  UPDATE item SET progress = (SELECT progress FROM item_now WHERE id = NEW.item_id) WHERE id = NEW.item_id;
END;
CREATE TRIGGER round_moved AFTER UPDATE OF state, sealed ON round BEGIN
  UPDATE item SET progress = (SELECT progress FROM item_now WHERE id = NEW.item_id) WHERE id = NEW.item_id;
END;
CREATE TRIGGER round_added AFTER INSERT ON round BEGIN
  UPDATE item SET progress = (SELECT progress FROM item_now WHERE id = NEW.item_id) WHERE id = NEW.item_id;
END;
