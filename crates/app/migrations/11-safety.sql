-- How often the making of an item was begun: one that ends the program is not begun for ever.
ALTER TABLE item ADD COLUMN makes INTEGER NOT NULL DEFAULT 0;
-- Counts the changes of sheets, in the transaction of each: an open sheet is current while the
-- number is the one that it was read under.
CREATE TABLE sheet_state (id INTEGER PRIMARY KEY CHECK (id = 1), revision INTEGER NOT NULL);
INSERT INTO sheet_state (id, revision) VALUES (1, 1);
CREATE TRIGGER sheet_added AFTER INSERT ON sheet BEGIN UPDATE sheet_state SET revision = revision + 1; END;
CREATE TRIGGER sheet_changed AFTER UPDATE ON sheet BEGIN UPDATE sheet_state SET revision = revision + 1; END;
CREATE TRIGGER sheet_deleted AFTER DELETE ON sheet BEGIN UPDATE sheet_state SET revision = revision + 1; END;
CREATE TRIGGER rows_changed AFTER INSERT ON sheet_change BEGIN UPDATE sheet_state SET revision = revision + 1; END;
CREATE TRIGGER rows_stepped AFTER UPDATE ON sheet_change BEGIN UPDATE sheet_state SET revision = revision + 1; END;
CREATE TRIGGER relation_added AFTER INSERT ON relation BEGIN UPDATE sheet_state SET revision = revision + 1; END;
CREATE TRIGGER relation_changed AFTER UPDATE ON relation BEGIN UPDATE sheet_state SET revision = revision + 1; END;
CREATE TRIGGER relation_deleted AFTER DELETE ON relation BEGIN UPDATE sheet_state SET revision = revision + 1; END;
CREATE TRIGGER source_changed AFTER UPDATE ON source BEGIN UPDATE sheet_state SET revision = revision + 1; END;
-- What runs keep of the office besides their records, set-ups and templates, by the hash of it.
CREATE TABLE snapshot (hash TEXT PRIMARY KEY, body TEXT NOT NULL) WITHOUT ROWID;
-- None of a run that was started before there were any: it takes the office as it is.
ALTER TABLE run ADD COLUMN snapshot TEXT REFERENCES snapshot(hash);
