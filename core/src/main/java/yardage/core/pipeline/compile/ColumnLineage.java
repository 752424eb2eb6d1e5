package yardage.core.pipeline.compile;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.apache.calcite.rel.RelNode;
import yardage.core.column.Schema;
import yardage.core.feed.FeedDefinition;
import yardage.core.lake.TableName;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.sql.ColumnOrigins;
import yardage.core.sql.Columns;

/**
 * Where each column of each step comes from, one step back. Built from the algebra that runs, so it
 * cannot say other than what is done.
 */
public final class ColumnLineage {
  /** A column of a step. */
  public record At(String step, String column) {
    public At {
      column = column.toLowerCase(Locale.ROOT);
    }
  }

  /**
   * Where a column comes from.
   *
   * @param same whether it has the values of that column, but for type, case and blanks
   */
  public record From(At at, boolean same) {}

  private final PipelineCheck check;
  private final Map<At, Set<From>> from = new LinkedHashMap<>();

  private ColumnLineage(PipelineCheck check) {
    this.check = check;
  }

  /**
   * @throws IllegalArgumentException when the document has errors
   */
  public static ColumnLineage of(PipelineCheck check) {
    if (check.hasErrors()) {
      throw new IllegalArgumentException("A pipeline with errors has no lineage");
    }
    ColumnLineage lineage = new ColumnLineage(check);
    check.document().steps().values().stream()
        .filter(s -> !s.inputs().isEmpty())
        .forEach(lineage::add);
    return lineage;
  }

  private void add(PipelineDocument.Step step) {
    List<RelNode> inputs = new ArrayList<>();
    List<Located> names = step.inputs();
    for (int i = 0; i < names.size(); i++) {
      inputs.add(check.session().scan("input" + i, new Columns(check.schema(names.get(i).text()))));
    }
    List<Set<ColumnOrigins.Origin>> origins =
        ColumnOrigins.of(check.body(step.name()).build().apply(inputs));
    Schema schema = check.schema(step.name());
    for (int c = 0; c < schema.size(); c++) {
      Set<From> out = new LinkedHashSet<>();
      for (ColumnOrigins.Origin o : origins.get(c)) {
        if (!o.relation().matches("input[0-9]+")) {
          // Rows that the step makes itself, as a calendar makes days.
          continue;
        }
        int input = Integer.parseInt(o.relation().substring("input".length()));
        out.add(new From(new At(names.get(input).text(), o.column()), o.same()));
      }
      from.put(new At(step.name(), schema.field(c).name()), out);
    }
  }

  /** One step back; empty for what a step makes itself, and for steps that read. */
  public Set<From> from(At at) {
    return from.getOrDefault(at, Set.of());
  }

  /**
   * The columns behind one that have its values, and itself. What a join matches has the same
   * values on both sides.
   */
  public Set<At> sameBehind(At at) {
    Set<At> out = new LinkedHashSet<>();
    Deque<At> open = new ArrayDeque<>(List.of(at));
    while (!open.isEmpty()) {
      At next = open.pop();
      if (out.add(next)) {
        for (From f : from(next)) {
          if (f.same()) {
            open.add(f.at());
            partner(next.step(), f.at()).ifPresent(open::add);
          }
        }
      }
    }
    return out;
  }

  /** The other side's column that a join matches with one of this side. */
  private Optional<At> partner(String step, At at) {
    PipelineDocument.Step s = check.document().steps().get(step);
    if (!(s.verb() instanceof Verb.JoinStep join)) {
      return Optional.empty();
    }
    boolean left = s.from().get(0).text().equals(at.step());
    return join.on().entrySet().stream()
        .filter(e -> (left ? e.getKey() : e.getValue()).text().equalsIgnoreCase(at.column()))
        .map(
            e ->
                left
                    ? new At(join.with().text(), e.getValue().text())
                    : new At(s.from().get(0).text(), e.getKey().text()))
        .findFirst();
  }

  /** The columns, of all steps, that have the values of one. */
  public Set<At> sameAhead(At at) {
    Set<At> out = new LinkedHashSet<>();
    Deque<At> open = new ArrayDeque<>(List.of(at));
    while (!open.isEmpty()) {
      At next = open.pop();
      if (out.add(next)) {
        from.forEach(
            (to, froms) -> {
              if (froms.contains(new From(next, true))) {
                open.add(to);
              }
            });
      }
    }
    return out;
  }

  /** A column at the edge of a pipeline: of a table or of a feed. */
  public record Edge(String kind, String name, String column) {}

  /** What a column of a step that reads is outside; empty for others. */
  public Optional<Edge> outside(At at, Catalog catalog) {
    Verb verb = check.document().steps().get(at.step()).verb();
    if (verb instanceof Verb.ReadTable r) {
      return Optional.of(new Edge("table", r.table().toString(), at.column()));
    } else if (verb instanceof Verb.ReadFeed r) {
      String field =
          catalog.feed(r.feed().text()).stream()
              .flatMap(f -> f.columns().stream())
              .filter(c -> c.name().equalsIgnoreCase(at.column()))
              .map(c -> c.fileName())
              .findFirst()
              .orElse(at.column());
      return Optional.of(new Edge("feed", r.feed().text(), field));
    }
    return Optional.empty();
  }

  /** The steps that write a table. */
  public List<String> writesOf(TableName table) {
    return check.document().steps().values().stream()
        .filter(s -> s.verb() instanceof Verb.Write w && w.table().equals(table))
        .map(PipelineDocument.Step::name)
        .toList();
  }

  /** How a column of a step is made, in the document's words; empty where it is passed on. */
  public String how(At at) {
    Verb verb = check.document().steps().get(at.step()).verb();
    if (verb instanceof Verb.Shape s) {
      return text(s.set(), at);
    } else if (verb instanceof Verb.AggregateStep a) {
      return text(a.set(), at);
    }
    return "";
  }

  private static String text(Map<Located, Located> set, At at) {
    return set.entrySet().stream()
        .filter(e -> e.getKey().text().equalsIgnoreCase(at.column()))
        .map(e -> e.getValue().text())
        .findFirst()
        .orElse("");
  }

  /** The columns of steps that read a table or a feed and have a column of it. */
  public List<At> readers(Edge edge, Catalog catalog) {
    List<At> out = new ArrayList<>();
    for (PipelineDocument.Step s : check.document().steps().values()) {
      boolean reads =
          s.verb() instanceof Verb.ReadTable t && t.table().toString().equals(edge.name())
              || s.verb() instanceof Verb.ReadFeed f && f.feed().text().equals(edge.name());
      if (reads) {
        Schema schema = check.schema(s.name());
        for (Schema.Field f : schema.fields()) {
          At at = new At(s.name(), f.name());
          if (outside(at, catalog).filter(e -> sameEdge(e, edge)).isPresent()) {
            out.add(at);
          }
        }
      }
    }
    return out;
  }

  private static boolean sameEdge(Edge a, Edge b) {
    return a.kind().equals(b.kind())
        && a.name().equals(b.name())
        && a.column().equalsIgnoreCase(b.column());
  }

  /** Columns that some column of another step is made of this one, directly. */
  public List<At> madeOf(At at) {
    return from.entrySet().stream()
        .filter(e -> e.getValue().stream().anyMatch(f -> f.at().equals(at)))
        .map(Map.Entry::getKey)
        .toList();
  }

  /**
   * The columns that an aggregate loses: those of its input that it neither groups by nor reads.
   *
   * @return by the aggregate's step, in the document's order; only those that lose some
   */
  public Map<String, List<String>> lost() {
    Map<String, List<String>> out = new LinkedHashMap<>();
    for (PipelineDocument.Step s : check.document().steps().values()) {
      if (s.verb() instanceof Verb.AggregateStep) {
        String input = s.from().get(0).text();
        List<String> lost =
            check.schema(input).names().stream()
                .filter(
                    n ->
                        madeOf(new At(input, n)).stream().noneMatch(a -> a.step().equals(s.name())))
                .toList();
        if (!lost.isEmpty()) {
          out.put(s.name(), lost);
        }
      }
    }
    return out;
  }

  /** The feed's definition behind a step that reads it. */
  public Optional<FeedDefinition> feed(String step, Catalog catalog) {
    return check.document().steps().get(step).verb() instanceof Verb.ReadFeed r
        ? catalog.feed(r.feed().text())
        : Optional.empty();
  }
}
