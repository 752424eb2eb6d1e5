package yardage.core.lake;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.column.Type;
import yardage.core.pipeline.run.RunFailedException;
import yardage.core.testing.TestLake;

/** Partitions at the ends of what types, folders and changes of type allow. */
class PartitionEdgesTest {
  @TempDir Path folder;
  private TestLake lake;
  private int files;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder);
  }

  private void land(String columns, String write, String... rows) {
    lake.declare("feed: f\nfiles: f%d/*\ntext: {}\ncolumns: {%s}\n".formatted(++files, columns));
    // Every column of these tests is called by one word.
    String header = String.join(",", columns.replaceAll("\"[^\"]*\"|: \\w+|[: ]", "").split(","));
    lake.file("f%d/1.csv".formatted(files), header + "\n" + String.join("\n", rows) + "\n");
    lake.run(
        "pipeline: p%d\nsteps:\n  rows: {read: {feed: f}}\n  out: {from: rows, write: {table: t.t%s}}\n"
            .formatted(files, write));
    assertEquals(
        0, lake.lastRun().setAsideByReason().size(), lake.lastRun().setAsideByReason().toString());
  }

  private List<String> partitions() {
    return lake.table(TableName.parse("t.t")).orElseThrow().files().stream()
        .map(LakeTable.FileInfo::partition)
        .toList();
  }

  @ParameterizedTest
  @ValueSource(strings = {"[n]", "[\"truncate(n, 10)\"]", "[\"bucket(n, 4)\"]"})
  void aColumnThatPartitionsMayBecomeWider(String partition) {
    String write = ", partition: %s, columns: follow".formatted(partition);
    land("n: int, v: int", write, "7,1", "12,2", ",3");
    land("n: bigint, v: int", write, "7,4", "5000000000,5");
    land(
        "n: bigint, v: int",
        write.replace(", columns", ", mode: upsert, key: [v], columns"),
        "12,1",
        "8,9");
    land("n: bigint, v: int", write + ", mode: replace-partitions", "7,6");

    assertTrue(lake.query("select n, v from t.t").toString().contains("[7, 6]"));
    assertEquals(
        lake.query("select n, v from t.t order by v").toString(),
        lake.query("select n, v from t.t where n is null or n < 6000000000 order by v").toString(),
        "files are found by their partitions of before and of now");
    assertEquals(1L, lake.query("select count(*) from t.t where n = 5000000000").get(0).get(0));
  }

  @ParameterizedTest
  @ValueSource(strings = {"[n]", "[\"truncate(n, 1000)\"]", "[\"bucket(n, 4)\"]", "[]"})
  void aDecimalMayBecomeWiderThanALong(String partition) {
    String write = ", partition: %s, columns: follow".formatted(partition);
    land("n: \"decimal(9, 2)\", v: int", write, "7.25,1", "-12.50,2", ",3");
    land(
        "n: \"decimal(30, 2)\", v: int",
        write,
        "7.25,4",
        "1234567890123456789012345678.25,5",
        "-9999999999999999999999999899.99,6");
    land(
        "n: \"decimal(30, 2)\", v: int",
        write.replace(", columns", ", mode: upsert, key: [v], columns"),
        "99999999999999999999.01,1");

    assertEquals(
        "[[1, 99999999999999999999.01], [2, -12.50], [3, null], [4, 7.25],"
            + " [5, 1234567890123456789012345678.25], [6, -9999999999999999999999999899.99]]",
        lake.query("select v, n from t.t order by v").toString());
    assertEquals(
        "[[1], [5]]",
        lake.query("select v from t.t where n > 10000000000000000000 order by v").toString());
    assertEquals(
        "[[4], [5]]",
        lake.query(
                "select v from t.t where n = 7.25 or n = 1234567890123456789012345678.25 order by v")
            .toString());
    assertEquals(
        "[[1234567990123456789012345672.01, -9999999999999999999999999899.99]]",
        lake.query("select sum(n) + 9999999999999999999999999899.99 as s, min(n) from t.t")
            .toString());
  }

  /** Sums and products may have more digits than the column of a table that was there before. */
  @Test
  void aTablesColumnTakesDecimalsOfMoreDigitsWhereTheyFit() {
    land("n: \"decimal(18, 2)\", v: int", "", "1.25,1", "9999999999999999.99,2");
    String more =
        "pipeline: more%1$d\nsteps:\n  rows: {read: {feed: f}}\n  some: {from: rows, keep: v <= %1$d}\n"
            + "  twice: {from: some, shape: {set: {n: n + n}}}\n  out: {from: twice, write: {table: t.t}}\n";
    lake.run(more.formatted(1));

    assertEquals(
        "[[1, 1.25], [1, 2.50], [2, 9999999999999999.99]]",
        lake.query("select v, n from t.t order by v, n").toString());
    assertEquals(
        Type.decimal(18, 2),
        lake.table(TableName.parse("t.t")).orElseThrow().schema().field(0).type());
    RunFailedException refused =
        assertThrows(RunFailedException.class, () -> lake.run(more.formatted(2)));
    assertTrue(
        refused
            .getMessage()
            .contains(
                "Value [19999999999999999.98] does not fit decimal(18, 2), which column [n] of table [t.t] is"),
        refused.getMessage());
  }

  @ParameterizedTest
  @CsvSource({
    "int, -2147483648",
    "bigint, -9223372036854775808",
    "'\"decimal(9, 2)\"', -9999999.99",
    "'\"decimal(20, 2)\"', -999999999999999999.99"
  })
  void aValueThatCannotBeTruncatedIsRefusedInWords(String type, String value) {
    RunFailedException refused =
        assertThrows(
            RunFailedException.class,
            () ->
                land(
                    "n: %s, v: int".formatted(type),
                    ", partition: [\"truncate(n, 1000)\"]",
                    value + ",1"));

    assertEquals("table", refused.code());
    assertTrue(
        refused.getMessage().contains("[" + value + "] is too near the least"),
        refused.getMessage());
  }

  @Test
  void noValueAndItsNameAreTwoFoldersAndLongValuesHaveShortOnes() {
    String longText = "x".repeat(400);
    land(
        "code: varchar, v: int",
        ", partition: [code]",
        "null,1",
        ",2",
        longText + "a,3",
        longText + "b,4",
        "a/b=c,5");

    assertEquals(5, partitions().stream().distinct().count(), partitions().toString());
    assertTrue(
        partitions().contains("code=null") && partitions().contains("code=%6Eull"),
        partitions().toString());
    assertEquals("[[2]]", lake.query("select v from t.t where code is null").toString());
    assertEquals("[[1]]", lake.query("select v from t.t where code = 'null'").toString());
    assertEquals(
        "[[4]]", lake.query("select v from t.t where code = '%sb'".formatted(longText)).toString());
  }

  @Test
  void rowsAreDeletedByTheirKeyAloneWhateverElseTheTableHas() {
    lake.declare(
            "feed: j\nfiles: j/*\njson: {records: lines}\ncolumns: {id: int, day: date, parts: \"list(struct(a int, b varchar))\"}\n")
        .file(
            "j/1.jsonl",
            "{\"id\":1,\"day\":\"2026-01-01\",\"parts\":[{\"a\":1,\"b\":\"it's\"}]}\n{\"id\":2,\"day\":\"2026-02-01\",\"parts\":null}\n{\"id\":3,\"day\":\"2026-02-01\",\"parts\":[]}\n");
    lake.run(
        "pipeline: j\nsteps:\n  rows: {read: {feed: j}}\n  out: {from: rows, write: {table: t.t, partition: [month(day)]}}\n");
    lake.declare("feed: gone\nfiles: gone/*\ntext: {}\ncolumns: {id: int}\n")
        .file("gone/1.csv", "id\n1\n3\n");

    lake.run(
        "pipeline: gone\nsteps:\n  rows: {read: {feed: gone}}\n  out: {from: rows, write: {table: t.t, mode: delete, key: [id], partition: [month(day)]}}\n");

    assertEquals("[[2]]", lake.query("select id from t.t").toString());
    lake.declare("feed: more\nfiles: more/*\ntext: {}\ncolumns: {id: int}\n")
        .file("more/1.csv", "id\n4\n");
    lake.run(
        "pipeline: more\nsteps:\n  rows: {read: {feed: more}}\n  out: {from: rows, write: {table: t.t, columns: fit, partition: [month(day)]}}\n");
    assertEquals("[[2], [4]]", lake.query("select id from t.t order by id").toString());
  }
}
