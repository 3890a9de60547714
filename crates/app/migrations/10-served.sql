-- Items keep their records with the type of each value, not as cells to be read again.
ALTER TABLE item RENAME COLUMN cells TO record;
UPDATE item SET state = 'failed', error_code = 'kept', error_place = 'record',
  error_message = 'Mangle was brought up to date while this record waited; start a new run for the records that failed'
  WHERE state = 'waiting';
-- The same start of a dispatch is one run, however often it is asked for.
ALTER TABLE run ADD COLUMN start_key TEXT;
CREATE UNIQUE INDEX run_start ON run (dispatch_id, start_key);
-- Counts the changes of a dispatch, so that one page does not overwrite another.
ALTER TABLE dispatch ADD COLUMN revision INTEGER NOT NULL DEFAULT 1;
-- What was read otherwise than it stands in the file, until a person dismisses it.
ALTER TABLE sheet ADD COLUMN notes TEXT NOT NULL DEFAULT '[]';
