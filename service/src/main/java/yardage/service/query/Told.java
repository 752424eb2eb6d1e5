package yardage.service.query;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.function.Function;
import java.util.function.ToLongFunction;
import yardage.core.column.Batch;
import yardage.core.column.Bits;
import yardage.core.column.Column;
import yardage.core.column.LongColumn;
import yardage.core.column.Schema;
import yardage.core.column.TextColumn;
import yardage.core.column.Type;
import yardage.core.exec.Reads;
import yardage.core.plan.GivenRows;
import yardage.core.plan.PlanNode;
import yardage.core.sql.Analysis;
import yardage.core.sql.PlanSession;
import yardage.core.sql.Relation;
import yardage.service.web.ApiException;

/** Answers that are told rather than computed: what a query would do, what a table has. */
final class Told {
  private static final long NANOS_PER_TENTH = 100_000;
  private static final long BYTES_PER_KB = 1000;

  private Told() {}

  /** The columns of a relation: their names, types, and whether there may be nulls. */
  static PlanNode columns(String name, Map<String, Relation> relations, String step) {
    String known =
        relations.keySet().stream()
            .filter(name::equalsIgnoreCase)
            .findFirst()
            .orElseThrow(
                () -> ApiException.notFound("table", name, List.copyOf(relations.keySet())));
    return columns(relations.get(known).schema(), step);
  }

  static PlanNode columns(Schema schema, String step) {
    List<Schema.Field> fields = schema.fields();
    return rows(
        List.of("column", "type", "nulls"),
        List.of(
            fields.stream().map(Schema.Field::name).toList(),
            fields.stream().map(f -> f.type().toString()).toList(),
            fields.stream().map(f -> f.nullable() ? "yes" : "no").toList()),
        step);
  }

  /** A plan, with about how many rows come out of each part of it. */
  static PlanNode plan(List<PlanSession.PlanLine> lines, String step) {
    Schema schema =
        new Schema(
            List.of(
                new Schema.Field("expected", Type.BIGINT), new Schema.Field("plan", Type.VARCHAR)));
    return given(
        schema,
        List.of(
            numbers(schema, 0, lines.stream().map(l -> OptionalLong.of(l.expected())).toList()),
            TextColumn.of(lines.stream().map(PlanSession.PlanLine::text).toArray(String[]::new))),
        step);
  }

  /** A plan with what each part of it did, and what it left out and why: one line each. */
  static PlanNode analysis(List<Analysis.Line> lines, String step) {
    Schema schema =
        new Schema(
            List.of(
                new Schema.Field("expected", Type.BIGINT),
                new Schema.Field("rows", Type.BIGINT),
                new Schema.Field("cpu_ms", Type.decimal(18, 1)),
                new Schema.Field("read_kb", Type.BIGINT),
                new Schema.Field("partitions", Type.VARCHAR),
                new Schema.Field("files", Type.VARCHAR),
                new Schema.Field("row_groups", Type.VARCHAR),
                new Schema.Field("pages", Type.VARCHAR),
                new Schema.Field("memory_kb", Type.BIGINT),
                new Schema.Field("disk_kb", Type.BIGINT),
                new Schema.Field("plan", Type.VARCHAR),
                new Schema.Field("left_out", Type.VARCHAR)));
    List<Optional<Analysis.Cost>> costs = lines.stream().map(Analysis.Line::cost).toList();
    return given(
        schema,
        List.of(
            numbers(schema, 0, lines.stream().map(l -> OptionalLong.of(l.expected())).toList()),
            numbers(schema, 1, lines.stream().map(l -> OptionalLong.of(l.rows())).toList()),
            numbers(schema, 2, of(costs, c -> c.cpuNanos() / NANOS_PER_TENTH)),
            numbers(schema, 3, of(costs, c -> c.bytesRead() / BYTES_PER_KB)),
            read(costs, Reads::partitions),
            read(costs, Reads::files),
            read(costs, Reads::rowGroups),
            read(costs, Reads::pages),
            numbers(schema, 8, of(costs, c -> c.peakBytes() / BYTES_PER_KB)),
            numbers(schema, 9, of(costs, c -> c.bytesSpilled() / BYTES_PER_KB)),
            TextColumn.of(lines.stream().map(Analysis.Line::text).toArray(String[]::new)),
            TextColumn.of(costs.stream().map(Told::leftOut).toArray(String[]::new))),
        step);
  }

  private static String leftOut(Optional<Analysis.Cost> cost) {
    return String.join("; ", cost.map(Analysis.Cost::leftOut).orElse(List.of()));
  }

  private static List<OptionalLong> of(
      List<Optional<Analysis.Cost>> costs, ToLongFunction<Analysis.Cost> value) {
    return costs.stream()
        .map(c -> c.isEmpty() ? OptionalLong.empty() : OptionalLong.of(value.applyAsLong(c.get())))
        .toList();
  }

  /** How many were read, of all that there are; nothing where there are none. */
  private static Column read(
      List<Optional<Analysis.Cost>> costs, Function<Reads, Reads.Count> which) {
    return TextColumn.of(
        costs.stream()
            .map(cost -> cost.map(c -> which.apply(c.reads())).filter(c -> c.all() > 0))
            .map(c -> c.map(n -> "%d of %d".formatted(n.read(), n.all())).orElse(""))
            .toArray(String[]::new));
  }

  private static Column numbers(Schema schema, int column, List<OptionalLong> values) {
    long[] out = new long[values.size()];
    long[] nulls = Bits.allocate(values.size());
    for (int i = 0; i < out.length; i++) {
      out[i] = values.get(i).orElse(0);
      if (values.get(i).isEmpty()) {
        Bits.set(nulls, i);
      }
    }
    return new LongColumn(schema.field(column).type(), out, nulls, out.length);
  }

  private static PlanNode given(Schema schema, List<Column> columns, String step) {
    Batch rows = new Batch(columns, columns.get(0).size(), 0);
    return new PlanNode.Scan(GivenRows.of(schema, List.of(rows)), schema, step);
  }

  /** Texts, column by column. */
  static PlanNode rows(List<String> names, List<List<String>> columns, String step) {
    Schema schema = new Schema(names.stream().map(n -> new Schema.Field(n, Type.VARCHAR)).toList());
    List<Column> texts =
        columns.stream().<Column>map(c -> TextColumn.of(c.toArray(String[]::new))).toList();
    return given(schema, texts, step);
  }
}
