-- What a list of tables tells of each, as JSON, and what is found when its health is looked into; both of the state
-- that the pointer names, and null where that was not yet worked out.
ALTER TABLE lake_tables ADD COLUMN summary TEXT NULL, ADD COLUMN health TEXT NULL, ADD COLUMN health_at DATETIME(6) NULL, ADD COLUMN changes INT NOT NULL DEFAULT 0;
ALTER TABLE lake_tables ADD COLUMN swept_at DATETIME(6) NULL;
