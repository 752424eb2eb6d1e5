CREATE TABLE users (
  id            BIGINT       NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name          VARCHAR(64)  NOT NULL UNIQUE,
  password_hash VARCHAR(200) NOT NULL,
  one_time      BOOLEAN      NOT NULL,
  created_at    DATETIME(6)  NOT NULL
);

CREATE TABLE sign_ins (
  id         BIGINT       NOT NULL AUTO_INCREMENT PRIMARY KEY,
  user_id    BIGINT       NOT NULL,
  kind       VARCHAR(10)  NOT NULL,
  name       VARCHAR(100) NOT NULL,
  hash       CHAR(64)     NOT NULL UNIQUE,
  created_at DATETIME(6)  NOT NULL,
  expires_at DATETIME(6)  NULL,
  used_at    DATETIME(6)  NULL,
  revoked_at DATETIME(6)  NULL,
  FOREIGN KEY (user_id) REFERENCES users (id)
);

CREATE TABLE documents (
  kind     VARCHAR(10)  NOT NULL,
  name     VARCHAR(64)  NOT NULL,
  version  INT          NOT NULL,
  text     MEDIUMTEXT   NOT NULL,
  saved_by VARCHAR(64)  NOT NULL,
  saved_at DATETIME(6)  NOT NULL,
  PRIMARY KEY (kind, name, version)
);

CREATE TABLE lake_tables (
  namespace         VARCHAR(64)   NOT NULL,
  name              VARCHAR(64)   NOT NULL,
  metadata_location VARCHAR(1000) NOT NULL,
  updated_at        DATETIME(6)   NOT NULL,
  PRIMARY KEY (namespace, name)
);

CREATE TABLE runs (
  id               BIGINT       NOT NULL AUTO_INCREMENT PRIMARY KEY,
  pipeline         VARCHAR(64)  NOT NULL,
  document_version INT          NOT NULL,
  feed_versions    JSON         NOT NULL,
  parameters       JSON         NOT NULL,
  settings         JSON         NOT NULL,
  state            VARCHAR(12)  NOT NULL,
  cause            VARCHAR(10)  NOT NULL,
  requested_by     VARCHAR(64)  NOT NULL,
  requested_at     DATETIME(6)  NOT NULL,
  due_at           DATETIME(6)  NULL,
  started_at       DATETIME(6)  NULL,
  finished_at      DATETIME(6)  NULL,
  owner            VARCHAR(100) NULL,
  lease_until      DATETIME(6)  NULL,
  cancel_asked_by  VARCHAR(64)  NULL,
  failure_code     VARCHAR(40)  NULL,
  failure_step     VARCHAR(64)  NULL,
  failure_message  TEXT         NULL,
  tallies          JSON         NOT NULL,
  set_aside        JSON         NOT NULL,
  peak_bytes       BIGINT       NOT NULL DEFAULT 0,
  UNIQUE KEY one_run_per_due_time (pipeline, due_at),
  KEY by_state (state, id),
  KEY by_pipeline (pipeline, id)
);

CREATE TABLE run_log (
  run_id  BIGINT      NOT NULL,
  line    INT         NOT NULL,
  at      DATETIME(6) NOT NULL,
  message TEXT        NOT NULL,
  PRIMARY KEY (run_id, line)
);

CREATE TABLE intake (
  pipeline    VARCHAR(64)  NOT NULL,
  feed        VARCHAR(64)  NOT NULL,
  path_hash   CHAR(64)     NOT NULL,
  path        TEXT         NOT NULL,
  size_bytes  BIGINT       NOT NULL,
  modified_at DATETIME(6)  NOT NULL,
  sha256      CHAR(64)     NOT NULL,
  records     BIGINT       NOT NULL,
  set_aside   BIGINT       NOT NULL,
  run_id      BIGINT       NOT NULL,
  PRIMARY KEY (pipeline, feed, path_hash)
);

CREATE TABLE schedules (
  pipeline VARCHAR(64) NOT NULL PRIMARY KEY,
  next_at  DATETIME(6) NOT NULL
);
