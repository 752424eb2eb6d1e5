package yardage.core.pipeline.read;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.function.BiConsumer;
import java.util.function.Predicate;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import yardage.core.column.Type;
import yardage.core.document.DocumentReader;
import yardage.core.document.DocumentValue;
import yardage.core.document.DocumentValue.ListValue;
import yardage.core.document.DocumentValue.MapValue;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Problem;
import yardage.core.lake.AsOf;
import yardage.core.lake.FileFilling;
import yardage.core.lake.PartitionField;
import yardage.core.lake.SortWithin;
import yardage.core.lake.TableName;
import yardage.core.lake.TableWriter;
import yardage.core.lake.WriteMode;
import yardage.core.plan.JoinKind;
import yardage.core.step.CastStep;
import yardage.core.step.LikenessStep;

/** Reads what a step's verb says, noting what is wrong with it. */
final class StepReader {
  private static final Pattern SIZE = Pattern.compile("(\\d{1,9}) ?(kB|MB|GB)");
  private static final Pattern SHARE = Pattern.compile("([0-9]+(?:\\.[0-9]+)?) ?%");

  private final List<Problem> problems;

  StepReader(List<Problem> problems) {
    this.problems = problems;
  }

  Optional<Verb> verb(String word, DocumentReader step) {
    if (word.equals("keep")) {
      return step.text("keep").map(t -> new Verb.Keep(new Located(t, "keep")));
    }
    if (word.equals("sql")) {
      return step.text("sql").map(t -> new Verb.Sql(new Located(t, "sql")));
    }
    if (word.equals("stack") && !(step.value("stack").orElse(null) instanceof MapValue)) {
      return Optional.of(new Verb.Stack(false, Optional.empty()));
    }
    Optional<DocumentReader> body = step.reader(word);
    if (body.isEmpty()) {
      return Optional.empty();
    }
    DocumentReader r = body.get();
    Optional<Verb> verb =
        switch (word) {
          case "read" -> read(r);
          case "shape" -> shape(r);
          case "fill" -> fill(r);
          case "sample" -> sample(r);
          case "unnest" -> unnest(r);
          case "pivot" -> pivot(r);
          case "unpivot" -> unpivot(r);
          case "across" -> across(r);
          case "check" -> RuleReader.check(r);
          case "calendar" -> new StarReader(problems).calendar(r);
          case "dimension" -> new StarReader(problems).dimension(r);
          case "fact" -> new StarReader(problems).fact(r);
          case "dedupe" -> dedupe(r);
          case "join" -> join(r);
          case "aggregate" -> aggregate(r);
          case "stack" -> stack(r);
          case "use" -> use(r);
          default -> write(r);
        };
    r.finish();
    return verb;
  }

  private Optional<Verb> read(DocumentReader r) {
    Optional<TextValue> feed = r.text("feed");
    Optional<TextValue> table = r.text("table");
    Optional<AsOf> asOf = r.parsed("as-of", AsOf::parse);
    if (feed.isPresent() == table.isPresent()) {
      r.error(
          "missing-field",
          "",
          r.place(),
          "A read names either a feed or a table, as in {feed: its-name} or {table: namespace.name}");
      return Optional.empty();
    }
    if (feed.isPresent() && asOf.isPresent()) {
      r.error("wrong-value", "as-of", r.place(), "[as-of] goes with [table]; a feed has no past");
    }
    if (feed.isPresent()) {
      return Optional.of(new Verb.ReadFeed(new Located(feed.get(), "read.feed")));
    }
    return r.parsed("table", TableName::parse)
        .map(t -> new Verb.ReadTable(t, new Located(table.get(), "read.table"), asOf));
  }

  private Optional<Verb> shape(DocumentReader r) {
    Map<Located, Type> cast = new LinkedHashMap<>();
    locatedPairs(r, "cast")
        .forEach(
            (column, type) ->
                r.attempt(type.value(), "cast." + column.text(), Type::parse)
                    .ifPresent(t -> cast.put(column, t)));
    CastStep.Otherwise otherwise =
        CastStep.Otherwise.valueOf(
            constant(r.word("if-wrong", "stop", "stop", "null", "set-aside")));
    return Optional.of(
        new Verb.Shape(
            choice(r, "trim"),
            choice(r, "collapse"),
            choice(r, "upper"),
            choice(r, "lower"),
            split(r),
            combine(r),
            cast,
            otherwise,
            locatedPairs(r, "rename"),
            locatedPairs(r, "set"),
            choice(r, "drop"),
            located(r, "order")));
  }

  /** Takes each entry of a map of maps, with its name. */
  static void each(
      DocumentReader r, String field, String example, BiConsumer<Located, DocumentReader> entry) {
    r.reader(field)
        .ifPresent(
            d ->
                d.readers("[%s] is written %s".formatted(field, example))
                    .forEach(
                        (name, inner) -> {
                          entry.accept(new Located(name, d.field(name.text())), inner);
                          inner.finish();
                        }));
  }

  private static Map<Located, Verb.Shape.Split> split(DocumentReader r) {
    Map<Located, Verb.Shape.Split> out = new LinkedHashMap<>();
    each(
        r,
        "split",
        "split: {roll_id: {by: \"-\", into: [mill, number]}}",
        (column, s) -> {
          Optional<TextValue> by = s.required("by", "the separator, as in by: \"-\"");
          List<Located> into = located(s, "into");
          if (into.isEmpty()) {
            s.error(
                "missing-field",
                "into",
                s.place(),
                "[into] is missing: the columns for the parts, as in into: [mill, number]");
          } else if (by.isPresent() && by.get().text().isEmpty()) {
            s.error("wrong-value", "by", by.get().place(), "[by] must have at least one character");
          } else if (by.isPresent()) {
            out.put(column, new Verb.Shape.Split(new Located(by.get(), s.field("by")), into));
          }
        });
    return out;
  }

  private static Map<Located, Verb.Shape.Combine> combine(DocumentReader r) {
    Map<Located, Verb.Shape.Combine> out = new LinkedHashMap<>();
    each(
        r,
        "combine",
        "combine: {place: {columns: [hall, loom_code], with: \", \"}}",
        (name, c) -> {
          List<Located> columns = located(c, "columns");
          String between = c.text("with").map(TextValue::text).orElse(" ");
          if (columns.isEmpty()) {
            c.error(
                "missing-field",
                "columns",
                c.place(),
                "[columns] is missing: the columns to put together, as in columns: [hall, loom_code]");
          } else {
            out.put(name, new Verb.Shape.Combine(columns, between));
          }
        });
    return out;
  }

  private Optional<Verb> fill(DocumentReader r) {
    Optional<ColumnChoice> columns =
        needed(choice(r, "columns"), r, "columns", "the columns to fill");
    List<Located> tokens = located(r, "empty");
    Optional<Located> with = r.text("with").map(t -> new Located(t, r.field("with")));
    Optional<Verb.Fill.GroupValue> group =
        r.has("from")
            ? Optional.of(
                Verb.Fill.GroupValue.valueOf(
                    constant(r.word("from", "common", "before", "behind", "common", "average"))))
            : Optional.empty();
    List<Located> by = located(r, "by");
    List<Located> order = located(r, "order");
    if (with.isPresent() == group.isPresent()) {
      r.error(
          "missing-field",
          "with",
          r.place(),
          "A fill takes its value either from an expression, as in with: \"'unknown'\" or with: other_column, or from the group, as in from: before");
      return Optional.empty();
    }
    boolean needsOrder =
        group
            .filter(g -> g == Verb.Fill.GroupValue.BEFORE || g == Verb.Fill.GroupValue.BEHIND)
            .isPresent();
    if (needsOrder && order.isEmpty()) {
      r.error(
          "missing-field",
          "order",
          r.place(),
          "[order] is missing: what before and behind mean, as in order: [woven_at]");
    }
    return columns.map(c -> new Verb.Fill(c, tokens, with, group, by, order));
  }

  private Optional<Verb> sample(DocumentReader r) {
    Optional<Double> share = r.parsed("share", StepReader::share);
    Optional<Long> rows = r.parsed("rows", StepReader::count);
    long seed = r.parsed("seed", StepReader::count).orElse(1L);
    List<Located> by = located(r, "by");
    if (r.has("share") == r.has("rows")) {
      r.error(
          "missing-field",
          "share",
          r.place(),
          "A sample has either a share, as in share: 5%, or a number of rows, as in rows: 1000");
      return Optional.empty();
    }
    return share.isEmpty() && rows.isEmpty()
        ? Optional.empty()
        : Optional.of(new Verb.Sample(share, rows, by, seed));
  }

  private Optional<Verb> unnest(DocumentReader r) {
    Optional<TextValue> column =
        r.required("column", "the column whose elements become rows, or whose fields columns");
    boolean keepEmpty = r.truth("keep-empty", false);
    Optional<Located> position = r.text("position").map(t -> new Located(t, r.field("position")));
    Optional<String> prefix = r.text("prefix").map(TextValue::text);
    return column.map(
        c -> new Verb.Unnest(new Located(c, r.field("column")), keepEmpty, position, prefix));
  }

  private Optional<Verb> pivot(DocumentReader r) {
    List<Located> by = located(r, "by");
    Optional<TextValue> names =
        r.required("names", "the column whose values become the names of columns");
    List<Located> values = located(r, "values");
    Map<Located, Located> set = locatedPairs(r, "set");
    if (values.isEmpty()) {
      r.error(
          "missing-field",
          "values",
          r.place(),
          "[values] is missing: the values that become columns, as in values: [A, B, C]. They are written out, so that the columns are known before a run");
    }
    if (set.isEmpty()) {
      r.error(
          "missing-field",
          "set",
          r.place(),
          "[set] is missing: what stands in the columns, as in set: {metres: sum(metres)}");
    }
    return names.map(n -> new Verb.Pivot(by, new Located(n, r.field("names")), values, set));
  }

  private Optional<Verb> unpivot(DocumentReader r) {
    Optional<ColumnChoice> columns =
        needed(choice(r, "columns"), r, "columns", "the columns that become rows");
    Optional<TextValue> names = r.required("names", "a column for the names of the columns");
    Optional<TextValue> values = r.required("values", "a column for their values");
    boolean dropNulls = !r.truth("keep-nulls", false);
    return columns.isEmpty() || names.isEmpty() || values.isEmpty()
        ? Optional.empty()
        : Optional.of(
            new Verb.Unpivot(
                columns.get(),
                new Located(names.get(), r.field("names")),
                new Located(values.get(), r.field("values")),
                dropNulls));
  }

  private Optional<Verb> across(DocumentReader r) {
    List<Located> by = located(r, "by");
    List<Located> order = located(r, "order");
    Map<Located, Located> set = locatedPairs(r, "set");
    if (set.isEmpty()) {
      r.error(
          "missing-field",
          "set",
          r.place(),
          "[set] is missing: the columns to add, as in set: {hall_metres: sum(metres), place: rank()}");
    }
    Optional<String> rows = r.parsed("rows", StepReader::frame);
    return Optional.of(new Verb.Across(by, order, set, rows));
  }

  private static String frame(String text) {
    Matcher last = Pattern.compile("last ([1-9][0-9]{0,5})").matcher(text.strip());
    if (text.strip().equals("all")) {
      return "ROWS BETWEEN UNBOUNDED PRECEDING AND UNBOUNDED FOLLOWING";
    } else if (text.strip().equals("so-far")) {
      return "ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW";
    } else if (last.matches()) {
      return "ROWS BETWEEN %d PRECEDING AND CURRENT ROW"
          .formatted(Integer.parseInt(last.group(1)) - 1);
    }
    throw new IllegalArgumentException(
        "Invalid rows [%s]: write all, so-far, or a number as in last 7".formatted(text));
  }

  /** Columns that both sides have, or left names to right names. */
  static Map<Located, Located> keys(DocumentReader r) {
    Map<Located, Located> on = new LinkedHashMap<>();
    if (r.value("on").orElse(null) instanceof MapValue) {
      on.putAll(locatedPairs(r, "on"));
    } else {
      located(r, "on").forEach(l -> on.put(l, l));
    }
    return on;
  }

  private Optional<Verb> dedupe(DocumentReader r) {
    Optional<ColumnChoice> by = choice(r, "by");
    String keep = r.word("keep", "first", "first", "last", "merged");
    Map<Located, Located> merge = locatedPairs(r, "merge");
    for (Map.Entry<Located, Located> e : merge.entrySet()) {
      if (!Verb.Dedupe.MERGES.contains(e.getValue().text())) {
        r.error(
            "unknown-word",
            "merge." + e.getKey().text(),
            e.getValue().place(),
            "[%s] is not one of %s"
                .formatted(e.getValue().text(), String.join(", ", Verb.Dedupe.MERGES)));
      }
    }
    if (!merge.isEmpty() && !keep.equals("merged")) {
      r.error(
          "wrong-value",
          "merge",
          r.value("merge").orElseThrow().place(),
          "[merge] goes with keep: merged");
    }
    Optional<Verb.Dedupe.Likeness> alike = r.reader("alike").flatMap(this::alike);
    return Optional.of(
        new Verb.Dedupe(
            by,
            located(r, "order"),
            keep.equals("last"),
            keep.equals("merged") ? Optional.of(merge) : Optional.empty(),
            alike));
  }

  private Optional<Verb.Dedupe.Likeness> alike(DocumentReader r) {
    Optional<TextValue> on = r.required("on", "the text column whose values are alike");
    LikenessStep.Measure measure =
        LikenessStep.Measure.valueOf(
            constant(r.word("measure", "trigrams", "trigrams", "edits", "sound")));
    double least = r.parsed("least", StepReader::share).orElse(0.7);
    if (least < 0.2) {
      r.error(
          "wrong-value",
          "least",
          r.value("least").orElseThrow().place(),
          "A likeness below 20% makes nearly everything alike; write 20% or more");
    }
    Optional<Located> group = r.text("group").map(t -> new Located(t, r.field("group")));
    r.finish();
    return on.map(
        o -> new Verb.Dedupe.Likeness(new Located(o, r.field("on")), measure, least, group));
  }

  private Optional<Verb> join(DocumentReader r) {
    Optional<TextValue> with = r.required("with", "the step to join with");
    Map<Located, Located> on = keys(r);
    Optional<Located> where = r.text("where").map(t -> new Located(t, r.field("where")));
    if (on.isEmpty() && where.isEmpty()) {
      r.error(
          "missing-field",
          "on",
          r.place(),
          "[on] is missing: the key columns, as in on: [loom_code], or on: {left_name: right_name}");
    }
    String kind =
        r.word("kind", "inner", "inner", "left", "right", "full", "semi", "anti", "lookup");
    Optional<ColumnChoice> take = choice(r, "take");
    Optional<String> prefix = r.text("prefix").map(TextValue::text);
    boolean holdMain = r.word("hold", "other", "other", "main").equals("main");
    boolean mayHoldMain =
        (kind.equals("inner") || kind.equals("left")) && where.isEmpty() && !on.isEmpty();
    if (holdMain && !mayHoldMain) {
      r.error(
          "wrong-value",
          "hold",
          r.text("hold").orElseThrow().place(),
          "Only an inner or a left join on keys alone can hold its main input; leave [hold] out, or put the condition of [where] into a keep step behind the join");
    }
    return with.map(
        w ->
            new Verb.JoinStep(
                new Located(w, "join.with"),
                on,
                kind.equals("lookup") ? JoinKind.LEFT : JoinKind.valueOf(constant(kind)),
                take,
                prefix,
                where,
                kind.equals("lookup"),
                holdMain));
  }

  private Optional<Verb> aggregate(DocumentReader r) {
    List<Located> by = located(r, "by");
    Map<Located, Located> set = locatedPairs(r, "set");
    if (by.isEmpty() && set.isEmpty()) {
      r.error(
          "missing-field",
          "set",
          r.place(),
          "An aggregate needs columns to group [by], or aggregates to [set], or both");
    }
    List<List<Located>> levels = new ArrayList<>();
    DocumentValue value = r.value("levels").orElse(null);
    if (value instanceof ListValue list
        && list.items().stream().allMatch(i -> i instanceof ListValue)) {
      for (DocumentValue level : list.items()) {
        levels.add(
            ((ListValue) level)
                .items().stream()
                    .filter(i -> i instanceof TextValue)
                    .map(i -> new Located((TextValue) i, r.field("levels")))
                    .toList());
      }
    } else if (value != null) {
      r.error(
          "wrong-shape",
          "levels",
          value.place(),
          "[levels] is a list of lists of columns, as in levels: [[hall, day], [hall], []]");
    }
    return Optional.of(new Verb.AggregateStep(by, set, levels));
  }

  private Optional<Verb> stack(DocumentReader r) {
    boolean byPosition = r.word("match", "name", "name", "position").equals("position");
    return Optional.of(
        new Verb.Stack(byPosition, r.text("source").map(t -> new Located(t, r.field("source")))));
  }

  private Optional<Verb> use(DocumentReader r) {
    Map<Located, Located> with = locatedPairs(r, "with");
    return r.required("part", "the part's name, as in part: tidy-rolls")
        .map(p -> new Verb.Use(new Located(p, r.field("part")), with));
  }

  private Optional<Verb> write(DocumentReader r) {
    Optional<TextValue> name = r.required("table", "the table to write, as in mart.cloth");
    Optional<TableName> table = r.parsed("table", TableName::parse);
    WriteMode mode =
        WriteMode.valueOf(
            constant(
                r.word(
                    "mode",
                    "append",
                    "append",
                    "replace",
                    "replace-partitions",
                    "upsert",
                    "delete")));
    List<Located> key = located(r, "key");
    if (mode.isByKey() == key.isEmpty()) {
      r.error(
          mode.isByKey() ? "missing-field" : "wrong-value",
          "key",
          r.place(),
          mode.isByKey()
              ? "[key] is missing: the columns by which rows are matched, as in key: [roll_id]"
              : "[key] goes with mode: upsert or delete");
    }
    List<PartitionField> partition = new ArrayList<>();
    List<Located> places = calls(located(r, "partition"));
    for (Located p : places) {
      r.attempt(p.value(), "partition", PartitionField::parse).ifPresent(partition::add);
    }
    if (mode == WriteMode.REPLACE_PARTITIONS && places.isEmpty()) {
      r.error(
          "missing-field",
          "partition",
          r.place(),
          "[partition] is missing: replace-partitions needs to know them, as in partition: [year(day), month(day)]");
    }
    double mayShrink = r.parsed("may-shrink", StepReader::share).orElse(Verb.Write.MAY_SHRINK);
    long target =
        r.parsed("target-size", StepReader::size).orElse(TableWriter.DEFAULT_TARGET_BYTES);
    Verb.Write.Columns columns =
        Verb.Write.Columns.valueOf(constant(r.word("columns", "fixed", "fixed", "follow", "fit")));
    SortWithin sort =
        new SortWithin(
            located(r, "sort").stream()
                .map(s -> r.attempt(s.value(), "sort", SortWithin.Key::parse))
                .flatMap(Optional::stream)
                .toList());
    List<Located> findBy = located(r, "find-by");
    List<String> found = findBy.stream().map(Located::text).distinct().toList();
    Map<Located, Located> match = locatedPairs(r, "match");
    return table.map(
        t ->
            new Verb.Write(
                t,
                new Located(name.get(), "write.table"),
                mode,
                key,
                partition,
                places.stream().findFirst(),
                columns,
                match,
                findBy,
                new FileFilling(sort, found, target),
                mayShrink));
  }

  /** Puts what a list has cut at the comma inside parentheses together again. */
  private static List<Located> calls(List<Located> items) {
    List<Located> out = new ArrayList<>();
    for (Located item : items) {
      Located last = out.isEmpty() ? null : out.get(out.size() - 1);
      if (last != null && last.text().contains("(") && !last.text().contains(")")) {
        out.set(out.size() - 1, last.withText(last.text() + ", " + item.text()));
      } else {
        out.add(item);
      }
    }
    return out;
  }

  static String constant(String word) {
    return word.toUpperCase(Locale.ROOT).replace('-', '_');
  }

  static long count(String text) {
    if (!text.strip().matches("[0-9]{1,15}")) {
      throw new IllegalArgumentException("Invalid number [%s]: write digits only".formatted(text));
    }
    return Long.parseLong(text.strip());
  }

  static double share(String text) {
    Matcher percent = SHARE.matcher(text.strip());
    double share =
        percent.matches()
            ? Double.parseDouble(percent.group(1)) / 100
            : text.strip().matches("0(\\.[0-9]+)?|1(\\.0+)?")
                ? Double.parseDouble(text.strip())
                : -1;
    if (share < 0 || share > 1) {
      throw new IllegalArgumentException(
          "Invalid share [%s]: write a percentage, as in 5%%".formatted(text));
    }
    return share;
  }

  private static long size(String text) {
    Matcher m = SIZE.matcher(text.trim());
    if (!m.matches() || Long.parseLong(m.group(1)) == 0) {
      throw new IllegalArgumentException(
          "Invalid size [%s]: write a number and kB, MB or GB, as in 128 MB".formatted(text));
    }
    return Long.parseLong(m.group(1))
        * switch (m.group(2)) {
          case "kB" -> 1_000L;
          case "MB" -> 1_000_000L;
          default -> 1_000_000_000L;
        };
  }

  static List<Located> located(DocumentReader r, String name) {
    return r.texts(name).stream().map(t -> new Located(t, r.field(name))).toList();
  }

  static Map<Located, Located> locatedPairs(DocumentReader r, String name) {
    Map<Located, Located> out = new LinkedHashMap<>();
    r.pairs(name)
        .forEach(
            (k, v) ->
                out.put(
                    new Located(k, r.field(name)), new Located(v, r.field(name) + "." + k.text())));
    return out;
  }

  private static <T> Optional<T> needed(
      Optional<T> value, DocumentReader r, String name, String what) {
    if (value.isEmpty() && !r.has(name)) {
      r.error("missing-field", name, r.place(), "[%s] is missing: %s".formatted(name, what));
    }
    return value;
  }

  Optional<ColumnChoice> choice(DocumentReader r, String name) {
    Optional<DocumentValue> value = r.value(name);
    if (value.isEmpty()) {
      return Optional.empty();
    }
    if (value.get() instanceof MapValue map) {
      DocumentReader c = new DocumentReader(map, r.step(), r.field(name), problems);
      List<Predicate<Type>> types = parsedAll(c, "of", ColumnChoice::types);
      List<Pattern> like = parsedAll(c, "like", ColumnChoice::pattern);
      List<ColumnChoice.Place> places = parsedAll(c, "at", ColumnChoice.Place::parse);
      List<Located> names = located(c, "names");
      List<Located> except = located(c, "except");
      c.finish();
      // What cannot be read must not count as said nothing, which would choose every column.
      boolean sound =
          types.size() == c.texts("of").size()
              && like.size() == c.texts("like").size()
              && places.size() == c.texts("at").size();
      return sound
          ? Optional.of(new ColumnChoice(names, types, like, places, except))
          : Optional.empty();
    }
    return Optional.of(ColumnChoice.named(located(r, name)));
  }

  private static <T> List<T> parsedAll(
      DocumentReader r, String name, java.util.function.Function<String, T> parser) {
    return r.texts(name).stream()
        .map(t -> r.attempt(t, name, parser))
        .flatMap(Optional::stream)
        .toList();
  }
}
