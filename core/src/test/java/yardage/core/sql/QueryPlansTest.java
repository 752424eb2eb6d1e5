package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import org.junit.jupiter.api.Test;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.PlanNode;

/**
 * The plans of common queries, against what they were: a change of the planner shows here. Where it
 * is meant, {@code -Dyardage.plans.write=true} writes them again.
 */
class QueryPlansTest {
  private static final Path TEXTS = Path.of("src/test/resources/plans");

  /** A table of which nothing is known but its columns and how many rows it has. */
  private record Known(Schema schema, long rows) implements Relation {
    @Override
    public double rowCount() {
      return rows;
    }

    @Override
    public OptionalLong exactRowCount() {
      return OptionalLong.of(rows);
    }

    @Override
    public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
      throw new UnsupportedOperationException();
    }
  }

  private static Relation table(long rows, String columns) {
    return new Known(
        new Schema(
            Type.parse("struct(" + columns + ")").parts().stream()
                .map(p -> new Schema.Field(p.name(), p.type()))
                .toList()),
        rows);
  }

  @Test
  void queriesAreCarriedOutAsTheyWere() throws IOException {
    Map<String, Relation> tables = new LinkedHashMap<>();
    tables.put(
        "rolls",
        table(
            2_000_000,
            "roll_id varchar, loom_code varchar, pattern_code varchar, grade varchar, metres decimal(9, 2), defects int, woven_on date"));
    tables.put("looms", table(400, "loom_code varchar, hall varchar, mill_code varchar"));
    tables.put("mills", table(5, "mill_code varchar, mill_name varchar, town varchar"));
    tables.put("patterns", table(60, "pattern_code varchar, colour varchar"));
    StringBuilder out = new StringBuilder();
    for (String sql : Files.readString(TEXTS.resolve("queries.sql")).split(";\n")) {
      PlanSession session = new PlanSession(Instant.parse("2026-03-01T12:00:00Z"));
      PlanSession.Planned planned =
          session.plan(session.parseQuery(sql.strip(), 1, 1), new PlanSession.Scope(tables));
      out.append(sql.strip()).append('\n');
      session.explain(planned.rel()).forEach(l -> out.append("    ").append(l.text()).append('\n'));
      out.append('\n');
    }
    Path file = TEXTS.resolve("queries.txt");
    if (Boolean.getBoolean("yardage.plans.write")) {
      Files.writeString(file, out);
    }
    assertEquals(Files.readString(file), out.toString());
  }
}
