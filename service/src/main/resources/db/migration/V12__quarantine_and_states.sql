-- Files of feeds that no run reads, as they were when somebody, or a run, put them there.
CREATE TABLE quarantine (
  feed        VARCHAR(64) NOT NULL,
  path_hash   CHAR(64)    NOT NULL,
  path        TEXT        NOT NULL,
  size_bytes  BIGINT      NOT NULL,
  modified_at DATETIME(6) NOT NULL,
  why         TEXT        NOT NULL,
  put_by      VARCHAR(64) NOT NULL,
  put_at      DATETIME(6) NOT NULL,
  PRIMARY KEY (feed, path_hash)
);

-- The file that a run could not read, so that it can be put into quarantine from there.
ALTER TABLE runs ADD COLUMN failure_feed VARCHAR(64) NULL, ADD COLUMN failure_file TEXT NULL;

-- What stands about a document beside its text: it is removed, paused, or has another name now.
CREATE TABLE document_states (
  kind       VARCHAR(10) NOT NULL,
  name       VARCHAR(64) NOT NULL,
  removed_at DATETIME(6) NULL,
  removed_by VARCHAR(64) NULL,
  paused_at  DATETIME(6) NULL,
  paused_by  VARCHAR(64) NULL,
  paused_why TEXT        NULL,
  renamed_to VARCHAR(64) NULL,
  PRIMARY KEY (kind, name)
);
