package yardage.core.pipeline.compile;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.parser.SqlParserPos;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.lake.FileFilling;
import yardage.core.lake.LakeException;
import yardage.core.lake.LakeTable;
import yardage.core.lake.Partitioning;
import yardage.core.lake.WriteMode;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;

/**
 * Write steps: gives rows the columns of the table that is there, by name and in its order, and
 * checks key, partitions and columns against it.
 */
final class WriteCompiler {
  private final StepTools tools;
  private final PipelineDocument.Step step;
  private final Verb.Write write;
  private final Optional<LakeTable> table;

  WriteCompiler(
      StepTools tools, PipelineDocument.Step step, Verb.Write write, Optional<LakeTable> table) {
    this.tools = tools;
    this.step = step;
    this.write = write;
    this.table = table;
  }

  Optional<StepBody> compile(Schema input) {
    Map<String, String> items = matched(input);
    if (table.isPresent()) {
      items = arranged(items, table.get().schema());
    }
    List<SqlNode> nodes = new ArrayList<>();
    items.forEach((name, sql) -> nodes.add(item(name, sql)));
    Optional<StepBody> body =
        isAsItCame(items, input)
            ? Optional.of(new StepBody(input, rels -> rels.get(0)))
            : tools.select(step, nodes, input);
    body.ifPresent(b -> check(b.schema()));
    return body;
  }

  private SqlNode item(String name, String sql) {
    SqlNode node = tools.session.parseExpression(sql, 1, 1);
    return StepTools.as(node.clone(SqlParserPos.ZERO), name);
  }

  private static boolean isAsItCame(Map<String, String> items, Schema input) {
    return List.copyOf(items.keySet()).equals(input.names())
        && List.copyOf(items.values())
            .equals(input.names().stream().map(StepTools::quoted).toList());
  }

  /** Columns by the names that they get, with what they are here in SQL. */
  private Map<String, String> matched(Schema input) {
    Map<String, String> out = new LinkedHashMap<>();
    Map<Integer, String> renamed = new LinkedHashMap<>();
    write
        .match()
        .forEach(
            (to, from) -> {
              int at = tools.problems.column(step, from, input);
              if (at >= 0) {
                renamed.put(at, to.text());
              }
            });
    for (int i = 0; i < input.size(); i++) {
      String name = renamed.getOrDefault(i, input.field(i).name());
      if (out.putIfAbsent(name, StepTools.quoted(input.field(i).name())) != null) {
        tools.problems.problem(
            step,
            write.name(),
            "duplicate-column",
            "Two columns would be written as [%s]; drop one, or match it to another name"
                .formatted(name));
      }
    }
    return out;
  }

  /** In the table's order where the names are the same, and fitted to it where that is asked. */
  private Map<String, String> arranged(Map<String, String> items, Schema there) {
    Map<String, String> byName = new LinkedHashMap<>();
    items.forEach((name, sql) -> byName.put(name.toLowerCase(java.util.Locale.ROOT), sql));
    Map<String, String> out = new LinkedHashMap<>();
    List<String> missing = new ArrayList<>();
    for (Schema.Field f : there.fields()) {
      String sql = byName.remove(f.name().toLowerCase(java.util.Locale.ROOT));
      if (sql == null) {
        missing.add(f.name());
        out.put(f.name(), nothing(f.type()));
      } else {
        out.put(f.name(), sql);
      }
    }
    if (write.mode() == WriteMode.DELETE) {
      // Rows are found by their key and none is written: the other columns need not come.
      return out;
    }
    if (write.columns() != Verb.Write.Columns.FIT) {
      return missing.isEmpty() && byName.isEmpty() ? out : items;
    }
    List<String> surplus =
        items.keySet().stream()
            .filter(n -> byName.containsKey(n.toLowerCase(java.util.Locale.ROOT)))
            .toList();
    if (!missing.isEmpty() || !surplus.isEmpty()) {
      tools.problems.add(
          new Problem(
              Problem.Severity.WARNING,
              "fitted-columns",
              step.name(),
              "write.columns",
              write.name().place(),
              "Rows are fitted to [%s]:%s%s"
                  .formatted(
                      write.table(),
                      surplus.isEmpty()
                          ? ""
                          : " left out, since it has no such column: "
                              + String.join(", ", surplus)
                              + (missing.isEmpty() ? "" : ";"),
                      missing.isEmpty()
                          ? ""
                          : " null, since no column here has the name: "
                              + String.join(", ", missing)),
              Optional.empty()));
    }
    return out;
  }

  /** A null of a type, in SQL; a cast names no type with parts. */
  private static String nothing(Type type) {
    return type.isNested()
        ? "PARSE_JSON(CAST(NULL AS VARCHAR), '%s')".formatted(type.toString().replace("'", "''"))
        : "CAST(NULL AS %s)".formatted(type);
  }

  private void check(Schema schema) {
    for (Located k : write.key()) {
      int at = tools.problems.column(step, k, schema);
      if (at >= 0 && schema.field(at).type().isNested()) {
        tools.problems.problem(
            step,
            k,
            "wrong-type",
            "[%s] is %s and cannot be a key".formatted(k.text(), schema.field(at).type()));
      }
    }
    for (Located f : write.findBy()) {
      int at = tools.problems.column(step, f, schema);
      if (at >= 0 && !FileFilling.isFound(schema.field(at).type())) {
        tools.problems.problem(
            step,
            f,
            "wrong-type",
            "Rows cannot be found by [%s], which is %s; take a column of whole numbers, decimals, times, texts or uuids"
                .formatted(f.text(), schema.field(at).type()));
      }
    }
    try {
      write.files().sort().check(schema);
      Partitioning partitioning = new Partitioning(schema, write.partition());
      boolean follow = write.columns() == Verb.Write.Columns.FOLLOW;
      table.ifPresent(t -> t.checkAccepts(schema, partitioning, follow));
    } catch (LakeException e) {
      Place at =
          e.getMessage().startsWith("Partition")
              ? write.partitionPlace().map(Located::place).orElse(step.place())
              : write.name().place();
      tools.problems.add(
          PipelineDocument.error(step.name(), "write", "table-mismatch", at, e.getMessage()));
    }
    WriteForecast.of(step.name(), write, table)
        .filter(WriteForecast::isScattered)
        .ifPresent(
            f ->
                tools.problems.add(
                    new Problem(
                        Problem.Severity.WARNING,
                        "small-files",
                        step.name(),
                        "write.partition",
                        write.partitionPlace().map(Located::place).orElse(step.place()),
                        f.words()
                            + "; partition by something coarser, run less often, or compact the table from time to time",
                        Optional.empty())));
  }

  /** Whether rows that are there go, other than by key. */
  static boolean replaces(Verb.Write write) {
    return write.mode() == WriteMode.REPLACE || write.mode() == WriteMode.REPLACE_PARTITIONS;
  }
}
