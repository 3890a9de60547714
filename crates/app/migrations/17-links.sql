-- What the public page of a share link is found by, and how often it was opened.
ALTER TABLE delivery ADD COLUMN token TEXT NOT NULL DEFAULT '';
ALTER TABLE delivery ADD COLUMN opened INTEGER NOT NULL DEFAULT 0;
CREATE UNIQUE INDEX delivery_token ON delivery (token) WHERE token <> '';
