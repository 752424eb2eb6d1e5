-- Contents that files had in an earlier intake: a file that is replaced must not make its first contents new again.
CREATE TABLE intake_past (
  pipeline     VARCHAR(64) NOT NULL,
  feed         VARCHAR(64) NOT NULL,
  content_hash VARCHAR(64) NOT NULL,
  path         TEXT        NOT NULL,
  size_bytes   BIGINT      NOT NULL,
  run_id       BIGINT      NOT NULL,
  PRIMARY KEY (pipeline, feed, content_hash)
);
