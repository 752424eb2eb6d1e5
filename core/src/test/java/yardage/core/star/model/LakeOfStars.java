package yardage.core.star.model;

import java.nio.file.Path;
import java.util.List;
import java.util.Optional;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.TableRelation;
import yardage.core.sql.Relation;
import yardage.core.testing.TestLake;

/** Small tables that stars are made of. */
record LakeOfStars(TestLake lake) implements StarTables {
  LakeOfStars(Path folder) {
    this(new TestLake(folder));
  }

  /** Makes a table of what a small file holds. */
  void table(String name, String columns, List<String> rows) {
    String feed = name.replace('.', '-');
    lake.declare(
        "feed: %s\nfiles: %s/*\ntake: all\ntext: {header: false}\ncolumns:\n%s"
            .formatted(
                feed, feed, ("  " + columns.replace(" ", ": ").replace(",: ", "\n  ")).indent(0)));
    lake.file(feed + "/1", String.join("\n", rows) + "\n");
    lake.run(
        "pipeline: %s\nsteps:\n  rows: {read: {feed: %s}}\n  out: {from: rows, write: {table: %s, mode: replace}}\n"
            .formatted(feed, feed, name));
  }

  void table(String name, String columns, String... rows) {
    table(name, columns, List.of(rows));
  }

  @Override
  public Optional<Relation> table(TableName name) {
    return lake.table(name).map(TableRelation::new);
  }

  @Override
  public List<List<Object>> query(String sql) {
    return lake.query(sql);
  }
}
