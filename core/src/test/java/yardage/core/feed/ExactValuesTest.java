package yardage.core.feed;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.apache.parquet.conf.PlainParquetConfiguration;
import org.apache.parquet.example.data.Group;
import org.apache.parquet.example.data.simple.SimpleGroup;
import org.apache.parquet.hadoop.ParquetWriter;
import org.apache.parquet.hadoop.example.ExampleParquetWriter;
import org.apache.parquet.io.LocalOutputFile;
import org.apache.parquet.io.api.Binary;
import org.apache.parquet.schema.MessageType;
import org.apache.parquet.schema.MessageTypeParser;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.feed.propose.Proposal;
import yardage.core.feed.propose.Proposals;
import yardage.core.testing.TestLake;

/** Values past what a type holds stay what they are, as text, or are told; none is rounded. */
class ExactValuesTest {
  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder);
  }

  private Proposal propose(String path) {
    Proposals.Result result = Proposals.of(lake.lake().inbox(), List.of(path), List.of());
    assertEquals(Map.of(), result.unknown());
    return result.proposals().get(0);
  }

  private void land(Proposal proposal) {
    lake.declare(proposal.text());
    lake.run(
        "pipeline: land\nsteps:\n  rows: {read: {feed: %s}}\n  out: {from: rows, write: {table: raw.t}}\n"
            .formatted(proposal.name()));
    assertEquals(Map.of(), lake.lastRun().setAsideByReason(), proposal.text());
  }

  @Test
  void unsignedNumbersAndWideDecimalsOfParquetKeepEveryDigit() throws Exception {
    MessageType schema =
        MessageTypeParser.parseMessageType(
            """
            message m {
              required int32 small (INTEGER(32, false));
              required int64 vast (INTEGER(64, false));
              required fixed_len_byte_array(16) wide (DECIMAL(38, 4));
              required int64 fine (TIMESTAMP(NANOS, true));
            }
            """);
    Path file = Files.createDirectories(lake.inbox().resolve("p")).resolve("1.parquet");
    BigInteger wide = new BigInteger("1234567890123456789012345678901234");
    try (ParquetWriter<Group> out =
        ExampleParquetWriter.builder(new LocalOutputFile(file))
            .withConf(new PlainParquetConfiguration())
            .withType(schema)
            .build()) {
      for (int i = 0; i < 3; i++) {
        Group row = new SimpleGroup(schema);
        row.add("small", (int) (4_000_000_000L + i));
        row.add("vast", Long.parseUnsignedLong("18446744073709551613") + i);
        byte[] bytes = new byte[16];
        byte[] digits = wide.add(BigInteger.valueOf(i)).toByteArray();
        System.arraycopy(digits, 0, bytes, 16 - digits.length, digits.length);
        row.add("wide", Binary.fromConstantByteArray(bytes));
        row.add("fine", 1_772_352_000_123_456_789L + i);
        out.write(row);
      }
    }
    Files.setLastModifiedTime(
        file, java.nio.file.attribute.FileTime.from(java.time.Instant.now().minusSeconds(60)));

    Proposal proposal = propose("p/1.parquet");
    assertTrue(proposal.text().contains("decimal(20, 0)"), proposal.text());
    assertTrue(proposal.text().contains("decimal(38, 4)"), proposal.text());
    land(proposal);

    assertEquals(
        "[[4000000000, 18446744073709551613, %1$s0], [4000000001, 18446744073709551614, %1$s1], [4000000002, 18446744073709551615, %1$s2]]"
            .formatted("x")
            .replace("x0", new BigDecimal(wide, 4).toPlainString())
            .replace("x1", new BigDecimal(wide.add(BigInteger.ONE), 4).toPlainString())
            .replace("x2", new BigDecimal(wide.add(BigInteger.TWO), 4).toPlainString()),
        lake.query("select small, vast, wide from raw.t order by small").toString());
  }

  @Test
  void longIdentifiersAreProposedAsTextAndStayApart() {
    for (String format : List.of("csv", "jsonl")) {
      StringBuilder rows = new StringBuilder(format.equals("csv") ? "code,share\n" : "");
      for (int i = 0; i < 50; i++) {
        String code = new BigInteger("93847562019384756201").add(BigInteger.valueOf(i)).toString();
        rows.append(
            format.equals("csv")
                ? "%s,0.%d\n".formatted(code, i)
                : "{\"code\": %s, \"share\": 0.%d}\n".formatted(code, i));
      }
      lake.file("ids." + format, rows.toString());
      Proposal proposal = propose("ids." + format);
      assertTrue(proposal.text().contains("they stay text"), proposal.text());
      lake.declare(proposal.text());
      lake.run(
          "pipeline: %1$s\nsteps:\n  rows: {read: {feed: %2$s}}\n  out: {from: rows, write: {table: raw.%1$s}}\n"
              .formatted(format, proposal.name()));

      assertEquals(
          "[[50]]", lake.query("select count(distinct code) from raw." + format).toString());
    }
  }

  @Test
  void whatNoDoubleHoldsIsSetAsideAsItWasWritten() {
    lake.file("n/1.csv", "n\n1e400\n1e-400\n0e5\n0.0\n-1e-999\n2.5e3\n");
    lake.file("j/1.jsonl", "{\"n\": 1e400}\n{\"n\": 1e-400}\n{\"n\": 7.5}\n");
    for (String name : List.of("n", "j")) {
      lake.declare(
          "feed: %s\nfiles: %s/*\n%s\ncolumns: {n: double}\nset-aside-limit: {share: 100%%}\n"
              .formatted(name, name, name.equals("n") ? "text: {}" : "json: {records: lines}"));
      lake.run(
          "pipeline: %1$s\nsteps:\n  rows: {read: {feed: %1$s}}\n  out: {from: rows, write: {table: raw.%1$s}}\n"
              .formatted(name));

      assertEquals(
          Map.of("out-of-range", name.equals("n") ? 3L : 2L),
          lake.lastRun().setAsideByReason(),
          name);
    }
    assertEquals(
        "[[0.0], [0.0], [2500.0]]", lake.query("select n from raw.n order by n").toString());
    Proposal proposal = propose("j/1.jsonl");
    assertTrue(!proposal.text().contains("Infinity"), proposal.text());
  }

  @Test
  void digitsBeyondMicrosecondsAreCutAndCounted() {
    lake.file(
        "t/1.csv",
        "at\n2026-03-01T08:00:00.123456789\n2026-03-01 08:00:00.123456000\n2026-03-01T08:00:00.1234567+01:00\n");
    lake.declare("feed: t\nfiles: t/*\ntext: {}\ncolumns: {at: timestamp}\n");
    lake.run(
        "pipeline: t\nsteps:\n  rows: {read: {feed: t}}\n  out: {from: rows, write: {table: raw.t}}\n");

    assertEquals(
        List.of("feed t: 2 values of at have digits beyond microseconds, which are cut"),
        lake.lastRun().warnings());
  }

  @Test
  void aReplaceThatShrinksATableIsTold() {
    lake.declare("feed: r\nfiles: r/*\ntake: all\ntext: {}\ncolumns: {n: int}\n");
    lake.file("r/1.csv", "n\n" + "1\n".repeat(100));
    String pipeline =
        "pipeline: r\nsteps:\n  rows: {read: {feed: r}}\n  out: {from: rows, write: {table: raw.r, mode: replace%s}}\n";
    lake.run(pipeline.formatted(""));
    lake.file("r/1.csv", "n\n" + "1\n".repeat(85));
    lake.run(pipeline.formatted(""));
    assertEquals(List.of(), lake.lastRun().warnings(), "a little less is no news");
    lake.file("r/1.csv", "n\n" + "1\n".repeat(30));

    lake.run(pipeline.formatted(""));

    assertEquals(1, lake.lastRun().warnings().size());
    assertTrue(
        lake.lastRun()
            .warnings()
            .get(0)
            .startsWith("out: raw.r had 85 rows and gets 30, 65 % fewer"),
        lake.lastRun().warnings().toString());
    lake.file("r/1.csv", "n\n1\n");
    lake.run(pipeline.formatted(", may-shrink: 100%"));
    assertEquals(List.of(), lake.lastRun().warnings());
  }

  @Test
  void yearsOfTwoDigitsSayOfWhichHundredYearsTheyAre() {
    FeedDefinition.Parsed without =
        FeedDefinition.parse(
            "feed: y\nfiles: y/*\ntext: {}\ncolumns: {d: {type: date, format: dd.MM.yy}}\n");
    assertTrue(
        without.problems().get(0).message().contains("dd.MM.yy(1950)"),
        without.problems().toString());
    lake.declare(
        "feed: y\nfiles: y/*\ntext: {}\ncolumns: {d: {type: date, format: dd.MM.yy(1950)}}\n");
    lake.file("y/1.csv", "d\n01.02.50\n01.02.49\n01.02.99\n01.02.00\n");
    lake.run(
        "pipeline: y\nsteps:\n  rows: {read: {feed: y}}\n  out: {from: rows, write: {table: raw.y}}\n");

    assertEquals(
        "[[1950-02-01], [2049-02-01], [1999-02-01], [2000-02-01]]",
        lake.query("select d from raw.y").toString());
  }

  @Test
  void whatIsThereTwiceOrTooLongIsSetAside() {
    lake.file("m/1.jsonl", "{\"m\":{\"a\":1,\"b\":2}}\n{\"m\":{\"a\":1,\"a\":2}}\n{\"m\":{}}\n");
    lake.declare(
        "feed: m\nfiles: m/*\njson: {records: lines}\ncolumns: {m: \"map(varchar, int)\"}\nset-aside-limit: {share: 100%}\n");
    lake.run(
        "pipeline: m\nsteps:\n  rows: {read: {feed: m}}\n  out: {from: rows, write: {table: raw.m}}\n");
    assertEquals(Map.of("repeated-field", 1L), lake.lastRun().setAsideByReason());

    lake.file("w/1.txt", "0001abc\n0002abcX\n0003abc  \n");
    String feed =
        "feed: w\nfiles: w/*\ntake: all\nfixed: {%s}\ncolumns: {n: {type: int, at: 1-4}, t: {type: varchar, at: 5-7}}\nset-aside-limit: {share: 100%%}\n";
    String pipeline =
        "pipeline: w\nsteps:\n  rows: {read: {feed: w}}\n  out: {from: rows, write: {table: raw.w, mode: replace}}\n";
    lake.declare(feed.formatted(""));
    lake.run(pipeline);
    assertEquals(Map.of("too-many-fields", 1L), lake.lastRun().setAsideByReason());
    lake.declare(feed.formatted("long-rows: cut"));
    assertEquals(3, lake.run(pipeline).get("out").rowsOut());
  }
}
