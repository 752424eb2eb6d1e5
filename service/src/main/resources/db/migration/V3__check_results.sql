CREATE TABLE check_results (
  run_id  BIGINT       NOT NULL,
  step    VARCHAR(64)  NOT NULL,
  rule    VARCHAR(190) NOT NULL,
  outcome VARCHAR(12)  NOT NULL,
  rows_in BIGINT       NOT NULL,
  failed  BIGINT       NOT NULL,
  words   TEXT         NOT NULL,
  PRIMARY KEY (run_id, step, rule),
  FOREIGN KEY (run_id) REFERENCES runs (id)
);
