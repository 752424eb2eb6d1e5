package yardage.core.pipeline.insight;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.stream.IntStream;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.DoubleColumn;
import yardage.core.column.IntColumn;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.column.Values;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.KeyNumbers;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.StepTally;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.step.LikenessStep;

/**
 * What a dedupe took for the same: the rows that went beside the one that stayed, or that was made
 * of them.
 *
 * @param by what makes two rows the same
 * @param sampled whether the input was too long to be read whole
 * @param rows how many came in
 * @param removed how many of them went
 * @param found how many groups of several rows there are, of those that were asked for
 * @param groups the largest of them
 */
public record DuplicateInsight(
    String step,
    List<String> by,
    boolean sampled,
    long rows,
    long removed,
    long found,
    List<String> columns,
    List<DuplicateGroup> groups) {
  private static final long ENOUGH_ROWS = 500_000;

  /** Of one group; one may have all rows. */
  private static final int MOST_ROWS = 50;

  /**
   * Rows that are the same.
   *
   * @param size how many they are; only so many of them are shown
   * @param differing the columns in which they are not the same
   * @param made the one row that was made of them, where the step merges
   */
  public record DuplicateGroup(
      long size, List<String> differing, List<DuplicateRow> rows, Optional<List<String>> made) {}

  /**
   * One of them.
   *
   * @param stays whether this is the row that stayed
   * @param likeness to the row that it was grouped by, where rows are only alike
   * @param values as texts; null where there is none
   */
  public record DuplicateRow(boolean stays, Optional<Double> likeness, List<String> values) {}

  /** The steps of a document that can be looked into. */
  public static List<String> dedupes(PipelineDocument document) {
    return document.steps().values().stream()
        .filter(s -> s.verb() instanceof Verb.Dedupe)
        .map(PipelineDocument.Step::name)
        .toList();
  }

  /**
   * @param run over a checked document; one that takes all files, not only new ones
   * @param find only groups with a row that has this in some column, case aside; all when empty
   * @throws IllegalArgumentException when the step is not a dedupe
   */
  public static DuplicateInsight of(
      PipelineCheck check, PipelineRun run, String step, String find, int most) {
    PipelineDocument.Step s = check.document().steps().get(step);
    if (s == null || !(s.verb() instanceof Verb.Dedupe dedupe)) {
      throw new IllegalArgumentException("Step [%s] is not a dedupe".formatted(step));
    }
    String input = s.from().get(0).text();
    Schema schema = check.schema(input);
    List<Batch> in = run.rowsOf(input, ENOUGH_ROWS);
    List<Batch> out = run.rowsOf(step, ENOUGH_ROWS);
    int rows = in.stream().mapToInt(Batch::rowCount).sum();
    int stayed = out.stream().mapToInt(Batch::rowCount).sum();
    List<Batch> both = new ArrayList<>(in);
    both.addAll(out);
    List<Column> columns = new ArrayList<>();
    for (int c = 0; c < schema.size(); c++) {
      int at = c;
      Type type = schema.field(c).type();
      columns.add(ColumnBuilder.concat(type, both.stream().map(b -> b.column(at)).toList()));
    }
    return new Look(schema, columns, rows, stayed, dedupe, run.execution())
        .insight(step, rows >= ENOUGH_ROWS, find.strip().toLowerCase(Locale.ROOT), most);
  }

  /** The rows that come in, then those that come out, told into groups. */
  private static final class Look {
    private final Schema schema;
    private final List<Column> columns;
    private final int rows;
    private final int stayed;
    private final Verb.Dedupe dedupe;
    private final int[] by;
    private final Optional<DoubleColumn> scores;
    private final Map<Integer, List<Integer>> groups = new LinkedHashMap<>();

    Look(
        Schema schema,
        List<Column> columns,
        int rows,
        int stayed,
        Verb.Dedupe dedupe,
        ExecutionContext context) {
      this.schema = schema;
      this.columns = columns;
      this.rows = rows;
      this.stayed = stayed;
      this.dedupe = dedupe;
      by =
          dedupe
              .by()
              .map(b -> b.resolve(schema, new ArrayList<>()))
              .orElseGet(
                  () ->
                      dedupe.alike().isPresent()
                          ? List.of()
                          : IntStream.range(0, schema.size()).boxed().toList())
              .stream()
              .mapToInt(Integer::intValue)
              .toArray();
      int[] numbers;
      if (dedupe.alike().isPresent()) {
        Verb.Dedupe.Likeness alike = dedupe.alike().get();
        List<Column> told =
            compared(
                new LikenessStep(
                    by, schema.indexOf(alike.on().text()), alike.measure(), alike.least()),
                context);
        numbers = ((IntColumn) told.get(schema.size())).values();
        scores = Optional.of((DoubleColumn) told.get(schema.size() + 1));
      } else {
        Column[] keys = Arrays.stream(by).mapToObj(columns::get).toArray(Column[]::new);
        Type[] types = Arrays.stream(keys).map(Column::type).toArray(Type[]::new);
        numbers = new KeyNumbers(types).numberOf(keys, rows + stayed);
        scores = Optional.empty();
      }
      for (int r = 0; r < rows + stayed; r++) {
        groups.computeIfAbsent(numbers[r], n -> new ArrayList<>()).add(r);
      }
    }

    private List<Column> compared(LikenessStep likeness, ExecutionContext context) {
      try (MemoryPool.Reservation claim =
          context.memory().reservation(new StepTally("", ""), "texts to compare")) {
        claim.resize(likeness.bytesFor(new Batch(columns, rows + stayed, 0)));
        return likeness.apply(columns, context);
      }
    }

    DuplicateInsight insight(String step, boolean sampled, String find, int most) {
      List<List<Integer>> several =
          groups.values().stream()
              .filter(g -> g.size() > 1 && g.get(1) < rows)
              .filter(g -> find.isEmpty() || g.stream().anyMatch(r -> has(r, find)))
              .sorted(Comparator.<List<Integer>>comparingInt(g -> -members(g).size()))
              .toList();
      List<String> names = new ArrayList<>();
      for (int c : by) {
        names.add(schema.field(c).name());
      }
      dedupe.alike().ifPresent(a -> names.add("alike in " + a.on().text()));
      return new DuplicateInsight(
          step,
          names,
          sampled,
          rows,
          Math.max(0, rows - stayed),
          several.size(),
          schema.names(),
          several.stream().limit(most).map(this::group).toList());
    }

    private List<Integer> members(List<Integer> group) {
      return group.subList(0, (int) group.stream().filter(r -> r < rows).count());
    }

    private boolean has(int row, String find) {
      return columns.stream()
          .anyMatch(
              c ->
                  !c.isNull(row)
                      && Values.text(c.value(row)).toLowerCase(Locale.ROOT).contains(find));
    }

    private DuplicateGroup group(List<Integer> group) {
      List<Integer> members = members(group);
      List<Integer> left = new ArrayList<>(group.subList(members.size(), group.size()));
      List<String> differing = new ArrayList<>();
      for (int c = 0; c < schema.size(); c++) {
        Column column = columns.get(c);
        Object first = column.value(members.get(0));
        if (members.stream().anyMatch(r -> !Objects.equals(column.value(r), first))) {
          differing.add(schema.field(c).name());
        }
      }
      List<DuplicateRow> shown = new ArrayList<>();
      for (int r : members.subList(0, Math.min(MOST_ROWS, members.size()))) {
        // What was made of several may look like one of them by chance.
        Optional<Integer> same =
            dedupe.merge().isPresent()
                ? Optional.empty()
                : left.stream().filter(l -> same(r, l)).findFirst();
        same.ifPresent(left::remove);
        shown.add(
            new DuplicateRow(
                same.isPresent(),
                scores.filter(x -> !x.isNull(r)).map(x -> x.values()[r]),
                values(r)));
      }
      return new DuplicateGroup(
          members.size(),
          differing,
          shown,
          dedupe.merge().isPresent()
              ? left.stream().findFirst().map(this::values)
              : Optional.empty());
    }

    private boolean same(int a, int b) {
      return columns.stream().allMatch(c -> Objects.equals(c.value(a), c.value(b)));
    }

    private List<String> values(int row) {
      List<String> out = new ArrayList<>();
      for (Column c : columns) {
        out.add(c.isNull(row) ? null : Values.text(c.value(row)));
      }
      return out;
    }
  }
}
