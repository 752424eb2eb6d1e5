package yardage.core.pipeline.compile;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlNodeList;
import org.apache.calcite.sql.parser.SqlParserPos;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.plan.SortKey;
import yardage.core.sql.KeepOne;
import yardage.core.step.LikenessStep;

/** Dedupe steps: by key, by whole rows, by likeness; one row stays, or one is made of all. */
final class DedupeCompiler {
  private static final String GROUP = "likeness group";
  private static final String SCORE = "likeness score";

  private final StepTools tools;
  private final PipelineDocument.Step step;
  private final Verb.Dedupe dedupe;

  DedupeCompiler(StepTools tools, PipelineDocument.Step step, Verb.Dedupe dedupe) {
    this.tools = tools;
    this.step = step;
    this.dedupe = dedupe;
  }

  Optional<StepBody> compile(Schema input) {
    List<Integer> by =
        dedupe.by().isPresent()
            ? tools.problems.choose(step, dedupe.by().get(), input)
            : dedupe.alike().isPresent()
                ? List.of()
                : java.util.stream.IntStream.range(0, input.size()).boxed().toList();
    for (int c : by) {
      if (input.field(c).type().isNested()) {
        tools.problems.problem(
            step,
            dedupe.by().flatMap(b -> b.names().stream().findFirst()).orElse(null),
            "wrong-type",
            "[%s] is %s, and rows cannot be compared by it; leave it out with by: {except: [%s]}, or turn it into text with JSON_TEXT"
                .formatted(input.field(c).name(), input.field(c).type(), input.field(c).name()));
        return Optional.empty();
      }
    }
    if (dedupe.alike().isEmpty()) {
      return reduced(input, by);
    }
    Verb.Dedupe.Likeness alike = dedupe.alike().get();
    int text = tools.problems.column(step, alike.on(), input);
    if (text < 0) {
      return Optional.empty();
    }
    if (input.field(text).type().kind() != Type.Kind.VARCHAR) {
      tools.problems.problem(
          step,
          alike.on(),
          "wrong-type",
          "[%s] is %s, and only varchar can be alike"
              .formatted(input.field(text).name(), input.field(text).type()));
      return Optional.empty();
    }
    StepBody grouped = grouped(input, by, text, alike);
    if (alike.group().isPresent()) {
      return shown(input, grouped, alike.group().get());
    }
    return reduced(grouped.schema(), List.of(input.size()))
        .flatMap(
            one ->
                tools
                    .select(step, StepTools.columns(input), one.schema())
                    .map(last -> StepTools.then(StepTools.then(grouped, one), last)));
  }

  private static StepBody grouped(
      Schema input, List<Integer> by, int text, Verb.Dedupe.Likeness alike) {
    List<Schema.Field> fields = new ArrayList<>(input.fields());
    fields.add(new Schema.Field(GROUP, Type.INT, false));
    fields.add(new Schema.Field(SCORE, Type.DOUBLE, true));
    return StepTools.wholeStep(
        "likeness",
        "rows to compare",
        new Schema(fields),
        new LikenessStep(
            by.stream().mapToInt(Integer::intValue).toArray(),
            text,
            alike.measure(),
            alike.least()));
  }

  /** All rows stay, with their group and how alike they are, for a person to look at. */
  private Optional<StepBody> shown(Schema input, StepBody grouped, Located name) {
    if (!tools.isNew(step, name, input)) {
      return Optional.empty();
    }
    List<SqlNode> items = StepTools.columns(input);
    items.add(StepTools.as(StepTools.identifier(GROUP), name.text()));
    items.add(StepTools.as(StepTools.identifier(SCORE), name.text() + "_likeness"));
    return tools.select(step, items, grouped.schema()).map(last -> StepTools.then(grouped, last));
  }

  private Optional<StepBody> reduced(Schema input, List<Integer> by) {
    if (dedupe.merge().isPresent()) {
      return merged(input, by);
    }
    List<SortKey> order = tools.order(step, dedupe.order(), input);
    int[] keys = by.stream().mapToInt(Integer::intValue).toArray();
    return Optional.of(
        new StepBody(input, rels -> new KeepOne(rels.get(0), keys, order, dedupe.keepLast())));
  }

  /** An aggregate by the key; the tally of a dedupe counts what it folds as merged. */
  private Optional<StepBody> merged(Schema input, List<Integer> by) {
    Map<String, String> how = new LinkedHashMap<>();
    for (Map.Entry<Located, Located> e : dedupe.merge().orElseThrow().entrySet()) {
      if (tools.problems.column(step, e.getKey(), input) < 0) {
        return Optional.empty();
      }
      how.put(e.getKey().text().toLowerCase(Locale.ROOT), e.getValue().text());
    }
    String order = tools.orderSql(step, dedupe.order(), input);
    List<SqlNode> items = new ArrayList<>();
    List<SqlNode> groups = new ArrayList<>();
    for (int i = 0; i < input.size(); i++) {
      Schema.Field f = input.field(i);
      if (by.contains(i)) {
        groups.add(StepTools.identifier(f.name()));
        items.add(StepTools.identifier(f.name()));
        continue;
      }
      String merge = how.getOrDefault(f.name().toLowerCase(Locale.ROOT), "first");
      boolean wrong =
          merge.equals("sum") && !f.type().isNumeric()
              || merge.equals("joined") && f.type().kind() != Type.Kind.VARCHAR
              || f.type().isNested() && !List.of("first", "last").contains(merge);
      if (wrong) {
        tools.problems.problem(
            step,
            dedupe.merge().orElseThrow().values().stream().findFirst().orElse(null),
            "wrong-type",
            "[%s] is %s and cannot be merged by [%s]".formatted(f.name(), f.type(), merge));
        return Optional.empty();
      }
      String within = order.isEmpty() ? fallbackOrder(input, i) : order;
      String name = StepTools.quoted(f.name());
      String sql =
          switch (merge) {
            case "last" -> "LAST_OF(%s) WITHIN GROUP (ORDER BY %s)".formatted(name, within);
            case "min" -> "MIN(%s)".formatted(name);
            case "max" -> "MAX(%s)".formatted(name);
            case "sum" -> "CAST(SUM(%s) AS %s)".formatted(name, f.type());
            case "common" -> "MODE(%s)".formatted(name);
            case "joined" ->
                "LISTAGG(DISTINCT %s, ', ') WITHIN GROUP (ORDER BY %s)".formatted(name, name);
            default -> "FIRST_OF(%s) WITHIN GROUP (ORDER BY %s)".formatted(name, within);
          };
      items.add(StepTools.as(tools.session.parseExpression(sql, 1, 1), f.name()));
    }
    SqlNodeList groupBy = new SqlNodeList(groups, SqlParserPos.ZERO);
    return tools.query(step, StepTools.select(items, "input", null, groupBy), input);
  }

  /** Without an order the rows' own values decide, so that a run gives the same again. */
  private static String fallbackOrder(Schema input, int column) {
    List<String> out = new ArrayList<>();
    for (int i = 0; i < input.size(); i++) {
      if (!input.field(i).type().isNested() && (i != column || input.size() == 1)) {
        out.add(StepTools.quoted(input.field(i).name()));
      }
    }
    return out.isEmpty()
        ? StepTools.quoted(input.field(column).name())
        : out.stream().collect(Collectors.joining(", "));
  }
}
