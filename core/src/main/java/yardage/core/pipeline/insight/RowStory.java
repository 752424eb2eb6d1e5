package yardage.core.pipeline.insight;

import java.math.BigDecimal;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import yardage.core.column.Batch;
import yardage.core.column.Schema;
import yardage.core.column.Values;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.StepTally;
import yardage.core.feed.FeedColumn;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.FeedRelation;
import yardage.core.format.record.FieldRule;
import yardage.core.lake.Lake;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.Catalog;
import yardage.core.pipeline.compile.ColumnLineage;
import yardage.core.pipeline.compile.ColumnLineage.At;
import yardage.core.pipeline.compile.ColumnLineage.From;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.task.TaskEndpoints;

/**
 * What became of some rows on their way through a pipeline, told step by step. Rows are known by
 * values: a column counts as the same as one before it as long as a step passes it on, be it
 * trimmed or cast, and rows are followed by all such columns. The pipeline's steps run again over
 * what its feeds and tables hold now, and nothing is written.
 */
public record RowStory(String pipeline, List<Chapter> chapters) {
  private static final int MOST_ROWS = 200;
  private static final int SHOWN = 10;
  private static final String FILE = "yardage file";
  private static final String LINE = "yardage line";

  /**
   * A step.
   *
   * @param by the columns by which rows were known here, with their values
   * @param in rows that came in; 0 for steps that read
   * @param out rows that went out
   * @param rows some of those
   * @param left some of the rows that came in and did not go out, with the columns of {@code rows}
   * @param words what happened, where that is more than passing
   * @param places where in which file rows were read
   */
  public record Chapter(
      String step,
      String verb,
      String detail,
      Map<String, String> by,
      long in,
      long out,
      List<String> columns,
      List<List<Object>> rows,
      List<List<Object>> left,
      String words,
      List<String> places) {}

  /** What to look for at a step: the values of some of its columns, as text. */
  private record Wanted(Map<String, String> values) {
    int[] ordinals(Schema schema) {
      return values.keySet().stream().mapToInt(schema::indexOf).toArray();
    }
  }

  /**
   * Follows rows of a table back to where they came from.
   *
   * @param key columns of the table and their values
   */
  public static RowStory of(
      PipelineCheck check, PipelineRun run, Look look, TableName table, Map<String, String> key) {
    ColumnLineage lineage = ColumnLineage.of(check);
    Map<String, Map<String, String>> byStep = new HashMap<>();
    List<String> writes = lineage.writesOf(table);
    for (String write : writes) {
      key.forEach(
          (column, value) ->
              lineage
                  .sameBehind(new At(write, column))
                  .forEach(
                      at ->
                          byStep
                              .computeIfAbsent(at.step(), s -> new TreeMap<>())
                              .put(at.column(), value)));
    }
    // Fewer columns than the key has would find rows that have nothing to do with it.
    Map<String, Wanted> wanted = new LinkedHashMap<>();
    byStep.forEach(
        (step, values) -> {
          if (values.values().stream().distinct().count()
              == key.values().stream().distinct().count()) {
            wanted.put(step, new Wanted(values));
          }
        });
    return new Telling(check, lineage, look, wanted).tell(run, writes);
  }

  /**
   * Follows a row that a step reads to where it ends.
   *
   * @param values the row's columns; those that are null are left out
   */
  public static RowStory ahead(
      PipelineCheck check, PipelineRun run, Look look, String step, Map<String, String> values) {
    ColumnLineage lineage = ColumnLineage.of(check);
    Map<String, Wanted> wanted = new LinkedHashMap<>();
    values.forEach(
        (column, value) ->
            lineage
                .sameAhead(new At(step, column))
                .forEach(
                    at ->
                        wanted
                            .computeIfAbsent(at.step(), s -> new Wanted(new TreeMap<>()))
                            .values()
                            .put(at.column(), value)));
    List<String> writes =
        check.document().steps().values().stream()
            .filter(s -> s.verb() instanceof Verb.Write && wanted.containsKey(s.name()))
            .map(PipelineDocument.Step::name)
            .toList();
    return new Telling(check, lineage, look, wanted).tell(run, writes);
  }

  /** The steps of a document that read a feed or a table. */
  public static List<String> readers(PipelineCheck check, String feedOrTable) {
    return check.document().steps().values().stream()
        .filter(
            s ->
                s.verb() instanceof Verb.ReadFeed f && f.feed().text().equals(feedOrTable)
                    || s.verb() instanceof Verb.ReadTable t
                        && t.table().toString().equals(feedOrTable))
        .map(PipelineDocument.Step::name)
        .toList();
  }

  /** Where raw files and feeds are found, and with what they are read. */
  public record Look(Catalog catalog, Lake lake, ExecutionContext execution) {
    /** The values of one line of a feed, without nulls; empty when it is not there. */
    public Optional<Map<String, String>> line(FeedDefinition feed, String file, long line) {
      Map<String, String> out = new LinkedHashMap<>();
      scan(
          feed,
          (schema, batch, r) -> {
            if (!file.equals(batch.column(schema.indexOf(FILE)).value(r))
                || !Long.valueOf(line).equals(batch.column(schema.indexOf(LINE)).value(r))) {
              return;
            }
            for (FeedColumn c : feed.columns()) {
              Object value = batch.column(schema.indexOf(c.name())).value(r);
              if (value != null) {
                out.put(c.name(), Values.text(value));
              }
            }
          });
      return out.isEmpty() ? Optional.empty() : Optional.of(out);
    }

    private interface Row {
      void see(Schema schema, Batch batch, int row);
    }

    /** All rows of a feed with their file and line. */
    private void scan(FeedDefinition feed, Row row) {
      List<FeedColumn> columns = new ArrayList<>(feed.columns());
      columns.add(added(FILE, FeedColumn.Addition.FILE));
      columns.add(added(LINE, FeedColumn.Addition.LINE));
      FeedRelation relation = new FeedRelation(feed.withColumns(columns), lake.raw());
      Schema schema = relation.schema();
      int[] all = schema.ordinals();
      StepTally tally = new StepTally("look", "read");
      new Executor(execution, TaskEndpoints.reading(lake), step -> tally)
          .run(
              relation.read(all, List.of(), "look"),
              worker ->
                  batch -> {
                    synchronized (row) {
                      for (int r = 0; r < batch.rowCount(); r++) {
                        row.see(schema, batch, r);
                      }
                    }
                  },
              "look");
    }

    private static FeedColumn added(String name, FeedColumn.Addition what) {
      return new FeedColumn(
          FieldRule.of(name, what.type()), new FeedColumn.Added(what), Optional.empty());
    }
  }

  /** Whether a value is the one that is looked for, but for type, case and blanks. */
  public static boolean same(Object value, String wanted) {
    if (value == null) {
      return false;
    }
    String w = wanted.strip();
    if (value instanceof LocalDate || value instanceof LocalDateTime) {
      String v = Values.text(value);
      int length = value instanceof LocalDate || w.length() == 10 ? 10 : v.length();
      return v.substring(0, length)
          .equals(w.replace('T', ' ').substring(0, Math.min(w.length(), length)));
    }
    if (value instanceof String text) {
      String v = text.strip();
      if (v.equalsIgnoreCase(w)) {
        return true;
      }
      return v.replaceAll("\\s+", " ").equalsIgnoreCase(w.replaceAll("\\s+", " "));
    }
    try {
      return new BigDecimal(Values.text(value)).compareTo(new BigDecimal(w)) == 0;
    } catch (NumberFormatException e) {
      return Values.text(value).equalsIgnoreCase(w);
    }
  }

  /** What a step was seen to give. */
  private static final class Seen {
    private final List<List<Object>> rows = new ArrayList<>();
    private long count;

    synchronized void add(Batch batch, int row) {
      count++;
      if (rows.size() < MOST_ROWS) {
        rows.add(batch.row(row));
      }
    }
  }

  /** Runs the steps, looks on, and tells. */
  private record Telling(
      PipelineCheck check, ColumnLineage lineage, Look look, Map<String, Wanted> wanted) {

    RowStory tell(PipelineRun run, List<String> writes) {
      Map<String, Seen> seen = new HashMap<>();
      wanted.keySet().forEach(s -> seen.put(s, new Seen()));
      run.watch(
          writes,
          (step, batch) -> {
            Wanted w = wanted.get(step);
            if (w != null) {
              see(batch, w.ordinals(check.schema(step)), w, seen.get(step));
            }
          });
      List<Chapter> chapters = new ArrayList<>();
      for (String step : inOrder(writes)) {
        Seen mine = seen.get(step);
        if (mine == null) {
          continue;
        }
        boolean begins =
            check.document().steps().get(step).from().stream()
                .noneMatch(f -> seen.containsKey(f.text()));
        Chapter c = chapter(step, seen, begins);
        // Where nothing arrives the story is over, whatever rows have the same values by chance.
        if (c.in() > 0 || begins && c.out() > 0) {
          chapters.add(c);
        } else {
          mine.count = 0;
          mine.rows.clear();
        }
      }
      return new RowStory(check.document().name(), chapters);
    }

    private static void see(Batch batch, int[] ordinals, Wanted w, Seen seen) {
      String[] values = w.values().values().toArray(String[]::new);
      for (int r = 0; r < batch.rowCount(); r++) {
        boolean all = true;
        for (int i = 0; all && i < ordinals.length; i++) {
          all = same(batch.column(ordinals[i]).value(r), values[i]);
        }
        if (all) {
          seen.add(batch, r);
        }
      }
    }

    /** Each step behind those that it reads. */
    private List<String> inOrder(List<String> writes) {
      Set<String> out = new LinkedHashSet<>();
      writes.forEach(w -> visit(w, out));
      return List.copyOf(out);
    }

    private void visit(String step, Set<String> out) {
      if (!out.contains(step)) {
        check.document().steps().get(step).inputs().forEach(i -> visit(i.text(), out));
        out.add(step);
      }
    }

    /**
     * @param begins whether rows are first met here: none of the inputs could be followed
     */
    private Chapter chapter(String name, Map<String, Seen> seen, boolean begins) {
      PipelineDocument.Step step = check.document().steps().get(name);
      Seen mine = seen.get(name);
      long in = 0;
      for (int i = 0; i < step.inputs().size(); i++) {
        Seen before = seen.get(step.inputs().get(i).text());
        in += before == null || step.isLookUp(i) ? 0 : before.count;
      }
      List<List<Object>> left =
          in > mine.count && !step.from().isEmpty()
              ? left(step, mine, seen.get(step.from().get(0).text()))
              : List.of();
      return new Chapter(
          name,
          step.verb().word(),
          detail(step),
          wanted.get(name).values(),
          in,
          mine.count,
          check.schema(name).names(),
          first(mine.rows),
          first(left),
          words(step, begins ? mine.count : in, mine),
          places(step, mine));
    }

    private static List<List<Object>> first(List<List<Object>> rows) {
      return List.copyOf(rows.subList(0, Math.min(SHOWN, rows.size())));
    }

    private String detail(PipelineDocument.Step step) {
      return check.steps().stream()
          .filter(s -> s.name().equals(step.name()))
          .map(PipelineCheck.StepInfo::detail)
          .findFirst()
          .orElse("");
    }

    /** Rows that came in and are not among those that went out, with the columns that go out. */
    private List<List<Object>> left(PipelineDocument.Step step, Seen mine, Seen before) {
      if (before == null || before.count > MOST_ROWS || mine.count > MOST_ROWS) {
        return List.of();
      }
      String input = step.from().get(0).text();
      Schema in = check.schema(input);
      Schema out = check.schema(step.name());
      int[] inputOf = new int[out.size()];
      for (int c = 0; c < inputOf.length; c++) {
        inputOf[c] = -1;
        for (From f : lineage.from(new At(step.name(), out.field(c).name()))) {
          if (f.same() && f.at().step().equals(input)) {
            inputOf[c] = in.indexOf(f.at().column());
          }
        }
      }
      List<String> stayed = new ArrayList<>();
      for (List<Object> row : mine.rows) {
        List<Object> known = new ArrayList<>();
        for (int c = 0; c < inputOf.length; c++) {
          known.add(inputOf[c] < 0 ? null : row.get(c));
        }
        stayed.add(known.toString().toLowerCase(Locale.ROOT));
      }
      List<List<Object>> left = new ArrayList<>();
      for (List<Object> row : before.rows) {
        List<Object> known = new ArrayList<>();
        for (int c : inputOf) {
          known.add(c < 0 ? null : row.get(c));
        }
        if (!stayed.remove(known.toString().toLowerCase(Locale.ROOT))) {
          left.add(known);
        }
      }
      return left;
    }

    private String words(PipelineDocument.Step step, long in, Seen mine) {
      Verb verb = step.verb();
      long gone = in - mine.count;
      if (verb instanceof Verb.JoinStep join) {
        String partner = partner(step, join.with().text(), mine);
        return gone > 0
            ? "%d found no partner in %s and left".formatted(gone, join.with().text())
            : gone < 0
                ? "multiplied: several rows of %s match".formatted(join.with().text())
                : partner;
      } else if (gone <= 0) {
        return verb instanceof Verb.Write w && mine.count > 0
            ? "ended in %s".formatted(w.table())
            : "";
      } else if (verb instanceof Verb.Keep keep) {
        return "%d left here: not %s".formatted(gone, keep.condition().text());
      } else if (verb instanceof Verb.Dedupe) {
        return mine.count > 0
            ? "%d merged into the row that stayed".formatted(gone)
            : "merged into another row that stayed, alike in the columns of the dedupe";
      } else if (verb instanceof Verb.AggregateStep) {
        return "went into %d %s".formatted(mine.count, mine.count == 1 ? "group" : "groups");
      } else if (verb instanceof Verb.Check) {
        return "%d did not meet the rules and were set aside".formatted(gone);
      }
      return "%d left here".formatted(gone);
    }

    /** Whether what a join brings is there. */
    private String partner(PipelineDocument.Step step, String with, Seen mine) {
      Schema schema = check.schema(step.name());
      List<Integer> theirs = new ArrayList<>();
      for (int c = 0; c < schema.size(); c++) {
        Set<From> from = lineage.from(new At(step.name(), schema.field(c).name()));
        if (!from.isEmpty() && from.stream().allMatch(f -> f.at().step().equals(with))) {
          theirs.add(c);
        }
      }
      if (theirs.isEmpty() || mine.rows.isEmpty()) {
        return "";
      }
      boolean found =
          mine.rows.stream().anyMatch(r -> theirs.stream().anyMatch(c -> r.get(c) != null));
      return found ? "found its partner in " + with : "found no partner in " + with;
    }

    /** Where the rows of a feed stand. */
    private List<String> places(PipelineDocument.Step step, Seen mine) {
      Optional<FeedDefinition> feed = lineage.feed(step.name(), look.catalog());
      if (feed.isEmpty() || mine.count == 0) {
        return List.of();
      }
      List<String> out = new ArrayList<>();
      Map<String, String> values = wanted.get(step.name()).values();
      look.scan(
          feed.get(),
          (schema, batch, r) -> {
            boolean all =
                out.size() < SHOWN
                    && values.entrySet().stream()
                        .allMatch(
                            e ->
                                same(
                                    batch.column(schema.indexOf(e.getKey())).value(r),
                                    e.getValue()));
            if (all) {
              out.add(
                  "%s, line %s"
                      .formatted(
                          batch.column(schema.indexOf(FILE)).value(r),
                          batch.column(schema.indexOf(LINE)).value(r)));
            }
          });
      out.sort(null);
      return out;
    }
  }
}
