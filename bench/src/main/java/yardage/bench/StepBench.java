package yardage.bench;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.SplittableRandom;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.LongColumn;
import yardage.core.column.Schema;
import yardage.core.column.TextBuilder;
import yardage.core.column.Type;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.ScanSource;
import yardage.core.plan.JoinKind;
import yardage.core.plan.PlanNode;
import yardage.core.plan.ScanDescription;
import yardage.core.step.LikenessStep;
import yardage.core.testing.LivePlans;

/** The steps in the middle of a pipeline on rows in memory. */
final class StepBench {
  private static final String[] SYLLABLES = {
    "ta", "re", "mi", "lo", "fi", "ça", "dou", "ven", "qui", "bra", "gos", "tel", "ão", "mar",
    "nor", "ber"
  };

  private static final int TOWNS = 300;
  private static final String[] ENDINGS = {"Lda", "& Filhos", "SA", "e Irmãos", "Lda."};

  private static ScanDescription source(List<Batch> batches) {
    return LivePlans.source(
        () ->
            batches.stream()
                .<ScanSource.Split>map(b -> (worker, out) -> out.accept(b.withSequence(0)))
                .toList());
  }

  private static List<Batch> longs(int rows, int columns, int keys, long seed) {
    SplittableRandom random = new SplittableRandom(seed);
    List<Batch> out = new ArrayList<>();
    for (int at = 0; at < rows; at += Batch.TARGET_ROWS) {
      int n = Math.min(Batch.TARGET_ROWS, rows - at);
      List<Column> all = new ArrayList<>();
      for (int c = 0; c < columns; c++) {
        long[] v = new long[n];
        for (int i = 0; i < n; i++) {
          v[i] = random.nextInt(keys) * 7L;
        }
        all.add(new LongColumn(Type.BIGINT, v, null, n));
      }
      out.add(new Batch(all, n, out.size()));
    }
    return out;
  }

  private static Schema schema(int columns) {
    List<Schema.Field> fields = new ArrayList<>();
    for (int c = 0; c < columns; c++) {
      fields.add(new Schema.Field("c" + c, Type.BIGINT));
    }
    return new Schema(fields);
  }

  /** One row for each of 1 M keys, of 10 M rows; and of whole rows of four columns. */
  void dedupe() throws Exception {
    int rows = 10_000_000;
    for (int width : new int[] {2, 4}) {
      List<Batch> input = longs(rows, width, width == 2 ? 1_000_000 : 40, 3);
      int[] keys =
          width == 2 ? new int[] {0} : java.util.stream.IntStream.range(0, width).toArray();
      PlanNode plan =
          new PlanNode.Deduplicate(
              new PlanNode.Scan(source(input), schema(width), "s"), keys, List.of(), false, "d");
      // A service has compiled its loops long before: four runs warm up.
      double ours = Measure.seconds(4, 5, () -> OperatorBench.run(plan));
      double scan =
          Measure.seconds(
              1, 3, () -> OperatorBench.run(new PlanNode.Scan(source(input), schema(width), "s")));
      double other = Measure.seconds(1, 3, () -> byHashSet(input, keys));
      Measure.print(
          width == 2
              ? "dedupe by key, 10 M rows, 1 M keys"
              : "dedupe by whole rows, 10 M rows of 4",
          "M rows/s",
          rows / 1e6 / ours,
          "reading the rows alone",
          rows / 1e6 / scan,
          "a java.util.HashSet of keys, one thread",
          rows / 1e6 / other);
    }
  }

  private static long byHashSet(List<Batch> input, int[] keys) {
    Set<Object> seen = new HashSet<>();
    for (Batch b : input) {
      for (int r = 0; r < b.rowCount(); r++) {
        if (keys.length == 1) {
          seen.add(((LongColumn) b.column(keys[0])).values()[r]);
        } else {
          List<Long> key = new ArrayList<>(keys.length);
          for (int k : keys) {
            key.add(((LongColumn) b.column(k)).values()[r]);
          }
          seen.add(key);
        }
      }
    }
    return seen.size();
  }

  /** Words as names have them: some thousands, the first ones far more often than the last. */
  private static List<String> words(SplittableRandom random) {
    List<String> out = new ArrayList<>();
    for (int w = 0; w < 20_000; w++) {
      StringBuilder word = new StringBuilder();
      for (int s = random.nextInt(2, 5); s > 0; s--) {
        word.append(SYLLABLES[random.nextInt(SYLLABLES.length)]);
        word.append((char) ('a' + random.nextInt(26)));
      }
      out.add(word.toString());
    }
    return out;
  }

  private static String name(SplittableRandom random, List<String> words) {
    StringBuilder out = new StringBuilder();
    for (int w = 0; w < 3; w++) {
      double skew = random.nextDouble();
      out.append(words.get((int) (skew * skew * words.size()))).append(' ');
    }
    return out.append(ENDINGS[random.nextInt(ENDINGS.length)]).toString();
  }

  /** A million supplier names, a fifth of them spelt in another way; alike within a town. */
  void likeness() throws Exception {
    int rows = 1_000_000;
    SplittableRandom random = new SplittableRandom(5);
    TextBuilder texts = new TextBuilder();
    List<String> names = new ArrayList<>();
    List<String> words = words(random);
    for (int i = 0; i < rows; i++) {
      String name =
          i > 0 && random.nextInt(5) == 0
              ? names.get(random.nextInt(names.size()))
              : name(random, words);
      if (random.nextInt(5) == 0) {
        int at = random.nextInt(name.length());
        name = name.substring(0, at) + name.substring(at + 1);
      }
      names.add(name);
      texts.append(name);
    }
    long[] town = new long[rows];
    for (int i = 0; i < rows; i++) {
      town[i] = random.nextInt(TOWNS);
    }
    List<Column> columns = List.of(texts.build(), new LongColumn(Type.BIGINT, town, null, rows));
    LikenessStep step = new LikenessStep(new int[] {1}, 0, LikenessStep.Measure.TRIGRAMS, 0.7);
    double ours =
        Measure.seconds(0, 3, () -> step.apply(columns, ExecutionContext.standalone(8L << 30)));
    int few = 3000;
    double pairs =
        Measure.seconds(
            0,
            1,
            () -> {
              long alike = 0;
              List<Set<String>> sets = new ArrayList<>();
              for (String n : names.subList(0, few)) {
                Set<String> grams = new HashSet<>();
                for (int i = 0; i + 3 <= n.length(); i++) {
                  grams.add(n.substring(i, i + 3));
                }
                sets.add(grams);
              }
              for (int i = 0; i < few; i++) {
                for (int j = 0; j < i; j++) {
                  Set<String> both = new HashSet<>(sets.get(i));
                  both.retainAll(sets.get(j));
                  alike += both.size() * 10 > 7 * sets.get(i).size() ? 1 : 0;
                }
              }
              return alike;
            });
    System.out.printf(
        java.util.Locale.ROOT,
        "%-44s %10.1f s        target 10 s; every pair of a town, reckoned from %,d names: %,.0f s (%,.0f times)%n%n",
        "likeness, 1 M names in 300 towns, 70 %",
        ours,
        few,
        pairs * ((double) rows / few) * ((double) rows / few) / TOWNS,
        pairs * ((double) rows / few) * ((double) rows / few) / TOWNS / ours);
  }

  /** A dimension of a million members, of which 5 % changed. */
  void dimension() throws Exception {
    int members = 1_000_000;
    GatheringPlans.Plan plan = GatheringPlans.dimension(members, 20);
    double ours = Measure.seconds(1, 3, () -> GatheringPlans.run(plan, 8L << 30, Main.WORKERS));
    long[] code = new long[2 * members];
    long[] value = new long[2 * members];
    for (int at = 0; at < 2 * members; at++) {
      code[at] = Long.reverse(at % members + 1) >>> 1;
      value[at] = at >= members && at % 20 == 0 ? 7 : 1;
    }
    double other =
        Measure.seconds(
            1,
            3,
            () -> {
              Map<Long, Long> hall = new HashMap<>();
              long changed = 0;
              for (int r = 0; r < code.length; r++) {
                Long before = hall.put(code[r], value[r]);
                changed += before != null && before != value[r] ? 1 : 0;
              }
              return changed;
            });
    System.out.printf(
        java.util.Locale.ROOT,
        "%-44s %10.2f s        target 10 s; telling changes by a java.util.HashMap alone: %.2f s%n%n",
        "history dimension, 1 M members, 5 % changed",
        ours,
        other);
  }

  /** Twenty million fact rows, each looked up in five dimensions of 10,000 members. */
  void fact() throws Exception {
    int rows = 20_000_000;
    int members = 10_000;
    List<Batch> facts = longs(rows / 4, 6, members, 9);
    List<Batch> four = new ArrayList<>();
    for (int i = 0; i < 4; i++) {
      four.addAll(facts);
    }
    PlanNode node = new PlanNode.Scan(source(four), schema(6), "f");
    List<Batch> dimension = new ArrayList<>();
    long[] key = new long[members];
    long[] code = new long[members];
    for (int i = 0; i < members; i++) {
      key[i] = i + 1;
      code[i] = i * 7L;
    }
    dimension.add(
        new Batch(
            List.of(
                new LongColumn(Type.BIGINT, key, null, members),
                new LongColumn(Type.BIGINT, code, null, members)),
            members,
            0));
    for (int d = 0; d < 5; d++) {
      int width = node.schema().size();
      node =
          new PlanNode.Join(
              node,
              new PlanNode.Scan(source(dimension), schema(2), "d"),
              JoinKind.LEFT,
              new int[] {d},
              new int[] {1},
              Optional.empty(),
              schema(width + 2),
              "fact");
      List<yardage.core.expr.Expression> kept = new ArrayList<>();
      for (int c = 0; c < width + 1; c++) {
        kept.add(yardage.core.expr.Expression.input(c, Type.BIGINT));
      }
      node = new PlanNode.Project(node, kept, schema(width + 1));
    }
    PlanNode plan = node;
    // A service has compiled its loops long before: four runs warm up.
    double ours = Measure.seconds(4, 5, () -> OperatorBench.run(plan));
    double other =
        Measure.seconds(
            1,
            3,
            () -> {
              Map<Long, Long> lookUp = new HashMap<>();
              for (int i = 0; i < members; i++) {
                lookUp.put(code[i], key[i]);
              }
              long sum = 0;
              for (Batch b : four) {
                for (int d = 0; d < 5; d++) {
                  long[] values = ((LongColumn) b.column(d)).values();
                  for (long v : values) {
                    sum += lookUp.getOrDefault(v, -1L);
                  }
                }
              }
              return sum;
            });
    Measure.print(
        "fact, 20 M rows, five look-ups of 10 K",
        "M rows/s",
        rows / 1e6 / ours,
        "the target",
        4,
        "a java.util.HashMap for each dimension, one thread",
        rows / 1e6 / other);
  }
}
