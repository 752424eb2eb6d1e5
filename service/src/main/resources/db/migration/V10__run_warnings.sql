-- What somebody should look at although a run went well, as a JSON list of sentences.
ALTER TABLE runs ADD COLUMN warnings MEDIUMTEXT NOT NULL DEFAULT '[]';
