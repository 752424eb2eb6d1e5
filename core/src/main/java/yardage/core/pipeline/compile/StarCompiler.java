package yardage.core.pipeline.compile;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.JoinRelType;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.type.SqlTypeName;
import org.apache.calcite.tools.RelBuilder;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.expr.Cast;
import yardage.core.expr.Expression;
import yardage.core.expr.Literal;
import yardage.core.lake.LakeTable;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.plan.PlanNode;
import yardage.core.sql.OwnStep;
import yardage.core.sql.PlanSession;
import yardage.core.star.DimensionLayout;
import yardage.core.star.DimensionStep;
import yardage.core.star.UnknownMembers;
import yardage.core.step.CheckStep;

/** Dimension and fact steps. */
public final class StarCompiler {
  /** The rule that a fact's rows are held against, by name. */
  public static final String GRAIN = "grain";

  private final StepTools tools;
  private final PipelineDocument.Step step;

  public StarCompiler(StepTools tools, PipelineDocument.Step step) {
    this.tools = tools;
    this.step = step;
  }

  /**
   * @param inputs the dimension's rows, then those of facts that may come before their members
   */
  Optional<StepBody> dimension(Verb.Dimension d, Catalog catalog, List<Schema> inputs) {
    Schema input = inputs.get(0);
    List<Integer> key = new ArrayList<>();
    for (Located k : d.key()) {
      int at = tools.problems.column(step, k, input);
      if (at < 0) {
        return Optional.empty();
      }
      key.add(at);
    }
    int changedAt = -1;
    if (d.changedAt().isPresent()) {
      changedAt = tools.problems.column(step, d.changedAt().get(), input);
      if (changedAt < 0) {
        return Optional.empty();
      }
      Type.Kind kind = input.field(changedAt).type().kind();
      if (kind != Type.Kind.DATE && kind != Type.Kind.TIMESTAMP) {
        tools.problems.problem(
            step,
            d.changedAt().get(),
            "wrong-type",
            "[%s] is %s; a time of change is a date or a timestamp"
                .formatted(d.changedAt().get().text(), input.field(changedAt).type()));
        return Optional.empty();
      }
    }
    List<Integer> attributes = new ArrayList<>();
    for (int i = 0; i < input.size(); i++) {
      if (!key.contains(i) && i != changedAt) {
        attributes.add(i);
      }
    }
    Set<String> history = new LinkedHashSet<>();
    d.history()
        .ifPresent(
            choice ->
                tools.problems.choose(step, choice, input).stream()
                    .filter(attributes::contains)
                    .forEach(i -> history.add(input.field(i).name())));
    DimensionLayout layout =
        new DimensionLayout(
            d.surrogate(),
            key.stream().map(input::field).toList(),
            attributes.stream().map(input::field).toList(),
            List.copyOf(history),
            d.marksGone(),
            !d.early().isEmpty());
    Schema schema;
    try {
      schema = layout.schema();
    } catch (IllegalArgumentException e) {
      tools.problems.problem(
          step,
          d.name(),
          "duplicate-column",
          e.getMessage()
              + "; a dimension has columns [%s], valid_from, valid_to, is_current, gone_at and is_placeholder of its own: rename that of the input, or choose another surrogate"
                  .formatted(d.surrogate()));
      return Optional.empty();
    }
    Optional<LakeTable> table = catalog.table(d.table());
    Optional<String> complaint = table.flatMap(t -> layout.complaint(t.schema()));
    if (complaint.isPresent()) {
      tools.problems.problem(
          step,
          d.name(),
          "table-mismatch",
          "Table [%s] exists, but is not a table of this dimension: %s"
              .formatted(d.table(), complaint.get()));
      return Optional.empty();
    }
    Optional<List<int[]>> early = earlyKeys(d, input, key, inputs);
    if (early.isEmpty()) {
      return Optional.empty();
    }
    int since = changedAt;
    return Optional.of(
        new StepBody(
            schema,
            rels ->
                new OwnStep(
                    withEarly(rels, input, key, early.get()),
                    "dimension",
                    schema,
                    (rows, name) -> updated(layout, table, rows, key, attributes, since, name))));
  }

  /** For each fact that may come early, its columns of the natural key, in the key's order. */
  private Optional<List<int[]>> earlyKeys(
      Verb.Dimension d, Schema input, List<Integer> key, List<Schema> inputs) {
    List<int[]> out = new ArrayList<>();
    for (int i = 0; i < d.early().size(); i++) {
      Verb.Dimension.Early early = d.early().get(i);
      Schema fact = inputs.get(i + 1);
      int[] columns = new int[key.size()];
      java.util.Arrays.fill(columns, -1);
      for (Map.Entry<Located, Located> e : early.on().entrySet()) {
        int there = input.indexOf(e.getValue().text());
        int here = fact.indexOf(e.getKey().text());
        if (here < 0 || !key.contains(there)) {
          // The fact tells of a column that is not there; the dimension only of its own key.
          continue;
        }
        Type type = input.field(there).type();
        if (fact.field(here).type().equals(type)) {
          columns[key.indexOf(there)] = here;
        }
      }
      if (java.util.Arrays.stream(columns).anyMatch(c -> c < 0)
          || early.on().size() != key.size()) {
        tools.problems.problem(
            step,
            d.key().get(0),
            "no-placeholders",
            "Fact [%s] wants placeholders here, so its key must have the whole natural key %s, of the same types"
                .formatted(early.fact(), d.key().stream().map(Located::text).toList()));
        return Optional.empty();
      }
      out.add(columns);
    }
    return Optional.of(out);
  }

  /** The dimension's rows, then the keys of facts, once each and with nothing else; marked. */
  private RelNode withEarly(
      List<RelNode> rels, Schema input, List<Integer> key, List<int[]> early) {
    RelBuilder b = tools.session.builder().push(rels.get(0));
    List<String> names = new ArrayList<>(input.names());
    names.add("early fact");
    List<RexNode> all = new ArrayList<>(b.fields());
    List<org.apache.calcite.rel.type.RelDataType> types =
        all.stream().map(RexNode::getType).toList();
    all.add(b.literal(false));
    b.project(all, names, true);
    for (int i = 0; i < early.size(); i++) {
      int[] columns = early.get(i);
      b.push(rels.get(i + 1));
      b.project(java.util.Arrays.stream(columns).mapToObj(b::field).toList()).distinct();
      List<RexNode> out = new ArrayList<>();
      for (int c = 0; c < input.size(); c++) {
        out.add(
            key.contains(c)
                ? b.field(key.indexOf(c))
                : b.getRexBuilder().makeNullLiteral(types.get(c)));
      }
      out.add(b.literal(true));
      b.project(out, names, true);
    }
    return early.isEmpty() ? b.build() : b.union(true, early.size() + 1).build();
  }

  /** The table's rows, then those that come in, in one layout, through the update. */
  private static PlanNode updated(
      DimensionLayout layout,
      Optional<LakeTable> table,
      PlanNode rows,
      List<Integer> key,
      List<Integer> attributes,
      int changedAt,
      String step) {
    Schema in = layout.input();
    List<PlanNode> inputs = new ArrayList<>();
    table.ifPresent(t -> inputs.add(there(layout, t)));
    List<Expression> coming = new ArrayList<>();
    coming.add(Literal.of(Type.BIGINT, null));
    key.forEach(c -> coming.add(Expression.input(c, rows.schema().field(c).type())));
    attributes.forEach(c -> coming.add(Expression.input(c, rows.schema().field(c).type())));
    if (changedAt < 0) {
      coming.add(Literal.of(Type.TIMESTAMP, null));
    } else {
      Type type = rows.schema().field(changedAt).type();
      coming.add(Cast.ifNeeded(Expression.input(changedAt, type), Type.TIMESTAMP));
    }
    coming.add(Literal.of(Type.TIMESTAMP, null));
    coming.add(Literal.of(Type.BOOLEAN, null));
    coming.add(Expression.input(rows.schema().size() - 1, Type.BOOLEAN));
    inputs.add(new PlanNode.Project(rows, coming, in));
    long now = java.time.Instant.now().getEpochSecond() * 1_000_000;
    return new PlanNode.Whole(
        inputs.size() == 1 ? inputs.get(0) : new PlanNode.Union(inputs, in),
        new DimensionStep(layout, now),
        "a dimension's rows",
        layout.schema(),
        step);
  }

  private static PlanNode there(DimensionLayout layout, LakeTable table) {
    Schema schema = table.schema();
    int[] all = schema.ordinals();
    List<Expression> out = new ArrayList<>();
    for (Schema.Field f : layout.input().fields()) {
      int at = schema.indexOf(f.name());
      out.add(at < 0 ? Literal.of(f.type(), null) : Expression.input(at, f.type()));
    }
    return new PlanNode.Project(
        // These rows are the step's own memory, not its input: nobody counts them.
        new PlanNode.Scan(table.files(all, List.of()), schema, PlanNode.UNTOLD),
        out,
        layout.input());
  }

  /** One look-up: which columns, and since when. */
  private record LookUp(String name, List<int[]> on, int at, Schema dimension) {}

  /** A calendar with holidays, which come as another step's rows. */
  Optional<StepBody> calendar(Verb.CalendarDays days, Schema off) {
    Verb.CalendarDays.Holidays holidays = days.holidays().orElseThrow();
    int day = tools.problems.column(step, holidays.day(), off);
    int name = holidays.name().map(n -> tools.problems.column(step, n, off)).orElse(0);
    if (day < 0 || name < 0) {
      return Optional.empty();
    }
    Type type = off.field(day).type();
    if (type.kind() != Type.Kind.DATE) {
      tools.problems.problem(
          step,
          holidays.day(),
          "wrong-type",
          "[%s] is %s, and a holiday is a date; cast it in a shape step before"
              .formatted(off.field(day).name(), type));
      return Optional.empty();
    }
    String called =
        holidays
            .name()
            .map(
                n ->
                    ", LISTAGG(DISTINCT CAST(%s AS VARCHAR), ', ') WITHIN GROUP (ORDER BY CAST(%s AS VARCHAR)) AS \"names\""
                        .formatted(StepTools.quoted(n.text()), StepTools.quoted(n.text())))
            .orElse("");
    String query =
        """
        SELECT c.*, o."free" IS NOT NULL AS is_holiday,
          o."free" IS NULL AND NOT c.is_weekend AS is_working_day%s
        FROM calendar AS c LEFT JOIN (
          SELECT %s AS "free"%s FROM holidays WHERE %s IS NOT NULL GROUP BY %s) AS o
        ON c.calendar_day = o."free"
        """
            .formatted(
                called.isEmpty() ? "" : ", o.\"names\" AS holiday_name",
                StepTools.quoted(off.field(day).name()),
                called,
                StepTools.quoted(off.field(day).name()),
                StepTools.quoted(off.field(day).name()));
    CalendarRelation relation = new CalendarRelation(days.calendar());
    return tools
        .planned(
            step,
            tools.session.parseQuery(query, 1, 1),
            Map.of("calendar", relation.schema(), "holidays", off))
        .map(
            p ->
                new StepBody(
                    p.schema(),
                    rels ->
                        PlanSession.inline(
                            p.rel(),
                            Map.of(
                                "calendar",
                                tools.session.scan("calendar", relation),
                                "holidays",
                                rels.get(0)))));
  }

  Optional<StepBody> fact(Verb.Fact fact, List<Schema> inputs) {
    Schema input = inputs.get(0);
    if (fact.grain().isEmpty()) {
      // The reader has told of it.
      return Optional.empty();
    }
    List<LookUp> lookUps = new ArrayList<>();
    int i = 1;
    for (Map.Entry<Located, Verb.Fact.Key> e : fact.keys().entrySet()) {
      Optional<LookUp> lookUp = lookUp(e.getKey(), e.getValue(), input, inputs.get(i++));
      if (lookUp.isEmpty()) {
        return Optional.empty();
      }
      lookUps.add(lookUp.get());
    }
    List<Schema.Field> resolved = new ArrayList<>(input.fields());
    lookUps.forEach(l -> resolved.add(new Schema.Field(l.name(), Type.BIGINT, false)));
    Schema wide = new Schema(resolved);
    List<SqlNode> items = new ArrayList<>();
    lookUps.forEach(l -> items.add(StepTools.identifier(l.name())));
    Set<String> taken = new LinkedHashSet<>();
    for (Located c :
        java.util.stream.Stream.concat(fact.keep().stream(), fact.measures().stream()).toList()) {
      int at = tools.problems.column(step, c, input);
      if (at < 0) {
        return Optional.empty();
      }
      if (fact.measures().contains(c) && !input.field(at).type().isNumeric()) {
        tools.problems.problem(
            step,
            c,
            "wrong-type",
            "[%s] is %s, and a measure is a number; descriptions belong into a dimension, or into keep if they are few"
                .formatted(c.text(), input.field(at).type()));
        return Optional.empty();
      }
      if (taken.add(input.field(at).name())) {
        items.add(StepTools.identifier(input.field(at).name()));
      }
    }
    for (Located g : fact.grain()) {
      if (tools.problems.column(step, g, wide) < 0) {
        return Optional.empty();
      }
    }
    items.add(
        StepTools.as(
            tools.session.parseExpression(
                "COUNT(*) OVER (%s)".formatted(StepTools.partition(fact.grain())), 1, 1),
            "rows of a grain"));
    return tools
        .select(step, items, wide)
        .map(
            chosen ->
                checked(
                    fact,
                    new StepBody(
                        chosen.schema(),
                        rels -> chosen.build().apply(List.of(joined(rels, lookUps, input))))));
  }

  private Optional<LookUp> lookUp(Located name, Verb.Fact.Key key, Schema input, Schema dimension) {
    if (!tools.isNew(step, name, input)) {
      return Optional.empty();
    }
    if (dimension.field(0).type().kind() != Type.Kind.BIGINT
        && dimension.field(0).type().kind() != Type.Kind.INT) {
      tools.problems.problem(
          step,
          key.dimension(),
          "wrong-type",
          "The first column of a dimension is its surrogate key, and [%s] is %s; read a table that a dimension step writes, or such a step itself"
              .formatted(dimension.field(0).name(), dimension.field(0).type()));
      return Optional.empty();
    }
    List<int[]> on = new ArrayList<>();
    for (Map.Entry<Located, Located> e : key.on().entrySet()) {
      int a = tools.problems.column(step, e.getKey(), input);
      int b = tools.problems.column(step, e.getValue(), dimension);
      if (a < 0 || b < 0) {
        return Optional.empty();
      }
      if (!input.field(a).type().equals(dimension.field(b).type())) {
        tools.problems.problem(
            step,
            e.getKey(),
            "unlike-types",
            "[%s] is %s here and [%s] is %s in the dimension; cast it in a shape step before"
                .formatted(
                    e.getKey().text(),
                    input.field(a).type(),
                    e.getValue().text(),
                    dimension.field(b).type()));
        return Optional.empty();
      }
      on.add(new int[] {a, b});
    }
    boolean history = dimension.indexOf(DimensionLayout.VALID_FROM) >= 0;
    int at = -1;
    if (key.at().isPresent()) {
      at = tools.problems.column(step, key.at().get(), input);
      if (at < 0) {
        return Optional.empty();
      }
      if (!history) {
        tools.problems.problem(
            step,
            key.at().get(),
            "no-history",
            "[%s] keeps no history, so there is no time to ask for; leave out at"
                .formatted(key.dimension().text()));
        return Optional.empty();
      }
    } else if (history) {
      tools.problems.problem(
          step,
          key.dimension(),
          "missing-field",
          "[%s] keeps history, so the key needs the time of the event, as in at: woven_at"
              .formatted(key.dimension().text()));
      return Optional.empty();
    }
    return Optional.of(new LookUp(name.text(), on, at, dimension));
  }

  /**
   * A left join for each look-up, and the key of the unknown member, or of none, without a match.
   */
  private RelNode joined(List<RelNode> rels, List<LookUp> lookUps, Schema input) {
    RelBuilder b = tools.session.builder().push(rels.get(0));
    for (int i = 0; i < lookUps.size(); i++) {
      LookUp l = lookUps.get(i);
      int before = input.size() + i;
      b.push(rels.get(i + 1));
      List<RexNode> conditions = new ArrayList<>();
      List<RexNode> noKey = new ArrayList<>();
      for (int[] on : l.on()) {
        conditions.add(
            b.call(SqlStdOperatorTable.EQUALS, b.field(2, 0, on[0]), b.field(2, 1, on[1])));
      }
      if (l.at() >= 0) {
        RexNode at = b.cast(b.field(2, 0, l.at()), SqlTypeName.TIMESTAMP, 6);
        RexNode from = b.field(2, 1, l.dimension().indexOf(DimensionLayout.VALID_FROM));
        RexNode to = b.field(2, 1, l.dimension().indexOf(DimensionLayout.VALID_TO));
        conditions.add(b.call(SqlStdOperatorTable.GREATER_THAN_OR_EQUAL, at, from));
        conditions.add(b.or(b.isNull(to), b.call(SqlStdOperatorTable.LESS_THAN, at, to)));
      }
      b.join(JoinRelType.LEFT, conditions);
      for (int[] on : l.on()) {
        noKey.add(b.isNull(b.field(on[0])));
      }
      List<RexNode> out = new ArrayList<>();
      List<String> names = new ArrayList<>();
      for (int c = 0; c < before; c++) {
        out.add(b.field(c));
        names.add(c < input.size() ? input.field(c).name() : lookUps.get(c - input.size()).name());
      }
      RexNode found = b.cast(b.field(before), SqlTypeName.BIGINT);
      out.add(
          b.call(
              SqlStdOperatorTable.CASE,
              b.or(noKey),
              b.cast(b.literal(DimensionLayout.NOT_APPLICABLE), SqlTypeName.BIGINT),
              b.isNull(b.field(before)),
              b.cast(b.literal(DimensionLayout.UNKNOWN), SqlTypeName.BIGINT),
              found));
      names.add(l.name());
      b.project(out, names, true);
    }
    return b.build();
  }

  private StepBody checked(Verb.Fact fact, StepBody wide) {
    int last = wide.schema().size() - 1;
    Schema schema = new Schema(wide.schema().fields().subList(0, last));
    List<CheckStep.Rule> rules = new ArrayList<>();
    rules.add(
        new CheckStep.Rule(
            GRAIN,
            tools.session.expression(
                StepTools.quoted(wide.schema().field(last).name()) + " = 1", 1, 1, wide.schema()),
            false,
            fact.grain().get(0).text(),
            ""));
    fact.keys()
        .forEach(
            (name, key) -> {
              if (key.orphans() == Verb.Fact.Orphans.SET_ASIDE) {
                rules.add(
                    new CheckStep.Rule(
                        name.text(),
                        tools.session.expression(
                            StepTools.quoted(name.text()) + " <> " + DimensionLayout.UNKNOWN,
                            1,
                            1,
                            wide.schema()),
                        true,
                        name.text(),
                        "no member of [%s] has this key at that time"
                            .formatted(key.dimension().text())));
              }
            });
    List<UnknownMembers.Key> keys = new ArrayList<>();
    fact.keys()
        .forEach(
            (name, key) ->
                keys.add(
                    new UnknownMembers.Key(
                        schema.indexOf(name.text()), name.text(), key.dimension().text())));
    return StepTools.then(
        StepTools.then(wide, StepTools.rowStep("fact", schema, new CheckStep(schema, rules))),
        StepTools.rowStep("fact keys", schema, new UnknownMembers(keys)));
  }
}
