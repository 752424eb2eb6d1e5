-- What a run said of its joins that found little, as it found them.
CREATE TABLE run_joins (
  run_id  BIGINT      NOT NULL,
  step    VARCHAR(64) NOT NULL,
  insight MEDIUMTEXT  NOT NULL,
  PRIMARY KEY (run_id, step),
  FOREIGN KEY (run_id) REFERENCES runs (id)
);
