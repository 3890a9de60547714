-- The rows of a document that serves more than one of them; of the others, the item
-- itself names the row.
CREATE TABLE joint_row (
    sheet_id INTEGER NOT NULL,
    row INTEGER NOT NULL,
    item_id INTEGER NOT NULL REFERENCES item (id) ON DELETE CASCADE,
    PRIMARY KEY (sheet_id, row, item_id)
) WITHOUT ROWID;
