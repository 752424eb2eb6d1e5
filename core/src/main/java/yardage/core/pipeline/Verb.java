package yardage.core.pipeline;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.exec.PhysicalNode.JoinKind;
import yardage.core.lake.PartitionField;
import yardage.core.lake.TableName;
import yardage.core.lake.WriteMode;

/** What a step does. Closed: the document's grammar. */
sealed interface Verb {

  String word();

  /** Rows of a feed's files. */
  record ReadFeed(Located feed) implements Verb {
    @Override
    public String word() {
      return "read";
    }
  }

  /** Rows of a table. */
  record ReadTable(TableName table, Located name) implements Verb {
    @Override
    public String word() {
      return "read";
    }
  }

  /** Trims, then renames, then sets, then drops columns. */
  record Shape(
      Optional<ColumnChoice> trim,
      Map<Located, Located> rename,
      Map<Located, Located> set,
      Optional<ColumnChoice> drop)
      implements Verb {
    @Override
    public String word() {
      return "shape";
    }
  }

  /** Keeps the rows for which a condition is true. */
  record Keep(Located condition) implements Verb {
    @Override
    public String word() {
      return "keep";
    }
  }

  /** Keeps one row per key. */
  record Dedupe(List<Located> by, List<Located> order, boolean keepLast) implements Verb {
    @Override
    public String word() {
      return "dedupe";
    }
  }

  /**
   * Joins the main input with another.
   *
   * @param on key columns, left to right
   * @param take the right side's columns that come out; all when empty
   * @param prefix put before right columns whose name the left side has too
   */
  record JoinStep(
      Located with,
      Map<Located, Located> on,
      JoinKind kind,
      Optional<ColumnChoice> take,
      Optional<String> prefix)
      implements Verb {
    @Override
    public String word() {
      return "join";
    }
  }

  /** Groups and aggregates. */
  record AggregateStep(List<Located> by, Map<Located, Located> set) implements Verb {
    @Override
    public String word() {
      return "aggregate";
    }
  }

  /** All rows of all inputs, columns matched by name. */
  record Stack() implements Verb {
    @Override
    public String word() {
      return "stack";
    }
  }

  /** A query over the inputs, by the names of their steps. */
  record Sql(Located query) implements Verb {
    @Override
    public String word() {
      return "sql";
    }
  }

  /** Writes a table. */
  record Write(
      TableName table,
      Located name,
      WriteMode mode,
      List<PartitionField> partition,
      Optional<Located> partitionPlace,
      boolean follow,
      long targetBytes)
      implements Verb {
    @Override
    public String word() {
      return "write";
    }
  }
}
