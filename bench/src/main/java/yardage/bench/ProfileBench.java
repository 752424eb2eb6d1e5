package yardage.bench;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.SplittableRandom;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.IntColumn;
import yardage.core.column.LongColumn;
import yardage.core.column.Schema;
import yardage.core.column.TextColumn;
import yardage.core.column.Type;
import yardage.core.exec.CancelToken;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.ScanSource;
import yardage.core.exec.Scratch;
import yardage.core.exec.StepTally;
import yardage.core.insight.profile.ProfileSink;
import yardage.core.plan.PlanNode;
import yardage.core.testing.LivePlans;

/** What columns hold: a million rows of twenty columns, in memory. */
final class ProfileBench {
  private static final int ROWS = 1_000_000;
  private static final int COLUMNS = 20;

  private final List<Batch> batches = new ArrayList<>();
  private final Schema schema;

  ProfileBench() {
    List<Schema.Field> fields = new ArrayList<>();
    for (int c = 0; c < COLUMNS; c++) {
      Type type =
          c % 4 == 0 ? Type.VARCHAR : c % 4 == 1 ? Type.INT : c % 4 == 2 ? Type.BIGINT : Type.DATE;
      fields.add(new Schema.Field("c" + c, type));
    }
    schema = new Schema(fields);
    SplittableRandom random = new SplittableRandom(5);
    for (int at = 0; at < ROWS; at += Batch.TARGET_ROWS) {
      int n = Math.min(Batch.TARGET_ROWS, ROWS - at);
      List<Column> columns = new ArrayList<>();
      for (int c = 0; c < COLUMNS; c++) {
        columns.add(column(c, n, random));
      }
      batches.add(new Batch(columns, n, batches.size()));
    }
  }

  /** Some columns have few values, some many, some all different ones. */
  private static Column column(int c, int n, SplittableRandom random) {
    int values = c % 3 == 0 ? 100 : c % 3 == 1 ? 50_000 : Integer.MAX_VALUE;
    if (c % 4 == 0) {
      int[] offsets = new int[n + 1];
      StringBuilder text = new StringBuilder();
      for (int r = 0; r < n; r++) {
        text.append("L-").append(random.nextInt(values));
        offsets[r + 1] = text.length();
      }
      return TextColumn.plain(
          text.toString().getBytes(StandardCharsets.US_ASCII), offsets, null, n);
    } else if (c % 4 == 2) {
      long[] v = new long[n];
      for (int r = 0; r < n; r++) {
        v[r] = random.nextInt(values);
      }
      return new LongColumn(Type.BIGINT, v, null, n);
    }
    int[] v = new int[n];
    for (int r = 0; r < n; r++) {
      v[r] = random.nextInt(c % 4 == 3 ? 20_000 : values);
    }
    return new IntColumn(c % 4 == 3 ? Type.DATE : Type.INT, v, null, n);
  }

  void profile() throws Exception {
    double ours = Measure.seconds(2, 5, this::ours);
    double limit = Measure.seconds(1, 3, this::sums);
    double other = Measure.seconds(0, 1, this::maps);
    Measure.print(
        "profile of 1 M rows by 20 columns",
        "M values/s",
        ROWS * COLUMNS / ours / 1e6,
        "adding all bytes and numbers up, one thread",
        ROWS * COLUMNS / limit / 1e6,
        "a set of the values and a map of their counts, as plain Java has them",
        ROWS * COLUMNS / other / 1e6);
    System.out.printf("%.2f s; wanted: under 2 s%n%n", ours);
  }

  private Object ours() {
    ScanSource source =
        () ->
            List.of(
                (worker, out) -> batches.subList(0, batches.size() / 2).forEach(out::accept),
                (worker, out) ->
                    batches.subList(batches.size() / 2, batches.size()).forEach(out::accept));
    ExecutionContext context =
        new ExecutionContext(
            MemoryPool.root("bench", 8L << 30),
            Scratch.temporary(1L << 40),
            new CancelToken(),
            Main.WORKERS);
    StepTally tally = new StepTally("profile", "read");
    ProfileSink sink = new ProfileSink(schema, tally, context);
    LivePlans.executor(context, tally)
        .run(new PlanNode.Scan(LivePlans.source(source), schema, "profile"), sink, "profile");
    return sink.profile();
  }

  private Object sums() {
    long sum = 0;
    for (Batch batch : batches) {
      for (Column column : batch.columns()) {
        if (column instanceof TextColumn text) {
          for (byte b : text.bytes()) {
            sum += b;
          }
        } else if (column instanceof LongColumn longs) {
          for (long v : longs.values()) {
            sum += v;
          }
        } else {
          for (int v : ((IntColumn) column).values()) {
            sum += v;
          }
        }
      }
    }
    return sum;
  }

  private Object maps() {
    long distinct = 0;
    for (int c = 0; c < COLUMNS; c++) {
      Set<Object> values = new HashSet<>();
      Map<Object, Long> counts = new HashMap<>();
      for (Batch batch : batches) {
        for (int r = 0; r < batch.rowCount(); r++) {
          Object value = batch.column(c).value(r);
          values.add(value);
          counts.merge(value, 1L, Long::sum);
        }
      }
      distinct += values.size() + counts.size();
    }
    return distinct;
  }
}
