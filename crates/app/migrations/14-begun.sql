-- How often a delivery has begun in all; never set back, unlike its attempts.
ALTER TABLE delivery ADD COLUMN begun INTEGER NOT NULL DEFAULT 0;
UPDATE delivery SET begun = attempts;
CREATE INDEX delivery_key ON delivery (key);
