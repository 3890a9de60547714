-- When a delivery was made, beside however many openings of its link there are.
CREATE INDEX event_delivered ON event (delivery_id, at) WHERE what IN ('delivered', 'confirmed');
