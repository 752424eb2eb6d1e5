CREATE TABLE set_aside_fates (
  run_id      BIGINT       NOT NULL,
  number_in_run  BIGINT       NOT NULL,
  corrected   MEDIUMTEXT   NULL,
  identity    CHAR(64)     NULL,
  replay_file VARCHAR(500) NULL,
  changed_by  VARCHAR(64)  NOT NULL,
  changed_at  DATETIME(6)  NOT NULL,
  PRIMARY KEY (run_id, number_in_run),
  -- A record is replayed once, however often runs have set it aside.
  UNIQUE KEY replayed_once (identity)
);

CREATE TABLE uploads (
  id         CHAR(36)     NOT NULL PRIMARY KEY,
  path       TEXT         NOT NULL,
  size_bytes BIGINT       NOT NULL,
  if_there   VARCHAR(10)  NOT NULL,
  begun_by   VARCHAR(64)  NOT NULL,
  begun_at   DATETIME(6)  NOT NULL
);

ALTER TABLE intake ADD KEY by_feed (feed, run_id);
