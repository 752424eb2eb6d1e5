-- What each run took in of each feed: the ledger itself keeps only a file's last intake.
CREATE TABLE feed_intakes (
  run_id    BIGINT      NOT NULL,
  feed      VARCHAR(64) NOT NULL,
  files     BIGINT      NOT NULL,
  records   BIGINT      NOT NULL,
  set_aside BIGINT      NOT NULL,
  PRIMARY KEY (run_id, feed),
  KEY by_feed (feed, run_id)
);

INSERT INTO feed_intakes
SELECT run_id, feed, COUNT(*), SUM(records), SUM(set_aside) FROM intake GROUP BY run_id, feed;
