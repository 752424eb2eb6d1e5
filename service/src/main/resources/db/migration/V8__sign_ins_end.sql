-- What a session or token may do, and that each one ends: those made without an end get 90 days from now.
ALTER TABLE sign_ins ADD COLUMN scope VARCHAR(10) NOT NULL DEFAULT 'ALL' AFTER name;
UPDATE sign_ins SET expires_at = UTC_TIMESTAMP(6) + INTERVAL 90 DAY WHERE expires_at IS NULL;
ALTER TABLE sign_ins MODIFY COLUMN expires_at DATETIME(6) NOT NULL;
