package yardage.core.star.model;

import java.util.List;
import java.util.Optional;
import yardage.core.lake.TableName;
import yardage.core.sql.Relation;

/** The tables of a star, and queries over them. */
public interface StarTables {
  Optional<Relation> table(TableName name);

  /** The rows of a query that names tables as they are. */
  List<List<Object>> query(String sql);
}
