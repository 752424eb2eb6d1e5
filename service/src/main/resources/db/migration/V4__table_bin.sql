CREATE TABLE table_bin (
  id                BIGINT        NOT NULL AUTO_INCREMENT PRIMARY KEY,
  namespace         VARCHAR(64)   NOT NULL,
  name              VARCHAR(64)   NOT NULL,
  metadata_location VARCHAR(1000) NOT NULL,
  dropped_at        DATETIME(6)   NOT NULL,
  dropped_by        VARCHAR(64)   NOT NULL,
  KEY by_name (namespace, name)
);
