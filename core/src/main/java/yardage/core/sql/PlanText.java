package yardage.core.sql;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.apache.calcite.rel.RelFieldCollation;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Aggregate;
import org.apache.calcite.rel.core.AggregateCall;
import org.apache.calcite.rel.core.Filter;
import org.apache.calcite.rel.core.Join;
import org.apache.calcite.rel.core.JoinRelType;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rel.core.Sample;
import org.apache.calcite.rel.core.Sort;
import org.apache.calcite.rel.core.TableScan;
import org.apache.calcite.rel.core.Union;
import org.apache.calcite.rel.core.Values;
import org.apache.calcite.rel.type.RelDataTypeField;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexCall;
import org.apache.calcite.rex.RexInputRef;
import org.apache.calcite.rex.RexLiteral;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexUtil;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlSyntax;

/** What a query will do, in words, with what is done first at the bottom. */
final class PlanText {
  private static final int LONGEST = 160;

  /**
   * What is done, in words.
   *
   * @param rel the part of the plan that does it
   * @param expected about how many rows come out of it
   */
  record Line(RelNode rel, String text, long expected) {}

  private final List<Line> lines = new ArrayList<>();

  /** What is computed once is told where it is read first. */
  private final Set<SharedParts.Part> told = new HashSet<>();

  private final Estimates estimates;

  private PlanText(Estimates estimates) {
    this.estimates = estimates;
  }

  /** A line for each thing that is done; what a line needs stands below it, further in. */
  static List<Line> lines(RelNode rel) {
    PlanText text = new PlanText(new Estimates(rel.getCluster().getRexBuilder()));
    text.node(rel, 0);
    return List.copyOf(text.lines);
  }

  private void node(RelNode rel, int depth) {
    boolean chooses = rel instanceof Project p && isPlain(p);
    RelNode read = chooses ? rel.getInput(0) : rel;
    if (chooses && !(read instanceof TableScan)) {
      // Columns are only chosen: whoever computes them names them.
      node(read, depth);
      return;
    }
    String words = words(rel);
    lines.add(
        new Line(
            rel,
            (depth == 0 ? "" : "│ ".repeat(depth - 1) + "└ ")
                + (words.length() > LONGEST ? words.substring(0, LONGEST) + "…" : words),
            Math.round(estimates.rows(rel))));
    Optional<SharedParts.Part> part = SharedParts.of(read);
    if (part.isPresent() && told.add(part.get())) {
      node(part.get().rel(), depth + 1);
    }
    boolean known = rel instanceof Aggregate a && PhysicalPlanner.toldRows(a).isPresent();
    if (!known) {
      read.getInputs().forEach(i -> node(i, depth + 1));
    }
  }

  /** Whether columns are only chosen, and constants put beside them. */
  private static boolean isPlain(Project project) {
    return project.getProjects().stream()
        .allMatch(e -> e instanceof RexInputRef || e instanceof RexLiteral);
  }

  private static String words(RelNode rel) {
    if (rel instanceof Project p && isPlain(p)) {
      return "%s: %s".formatted(words(p.getInput()), expressions(p.getProjects(), p.getInput()));
    } else if (rel instanceof Project p) {
      return "compute "
          + expressions(
              p.getProjects().stream().filter(e -> !(e instanceof RexInputRef)).toList(),
              p.getInput());
    } else if (rel instanceof Filter f) {
      return "keep rows where " + text(f.getCondition(), names(f.getInput()));
    } else if (rel instanceof Join j) {
      List<String> both = new ArrayList<>(names(j.getLeft()));
      both.addAll(names(j.getRight()));
      String kind = j.getJoinType().name().toLowerCase(Locale.ROOT);
      if (!j.getJoinType().projectsRight()) {
        return "keep rows %s a match, on %s"
            .formatted(
                j.getJoinType() == JoinRelType.SEMI ? "with" : "without",
                text(j.getCondition(), both));
      }
      return j.getCondition().isAlwaysTrue()
          ? "every row with every row (%s join)".formatted(kind)
          : "join, %s, on %s".formatted(kind, text(j.getCondition(), both));
    } else if (rel instanceof Aggregate a) {
      return PhysicalPlanner.toldRows(a).isPresent()
          ? "%,d rows, as the metadata of %s says"
              .formatted(
                  PhysicalPlanner.toldRows(a).getAsLong(),
                  String.join(".", a.getInput().getTable().getQualifiedName()))
          : aggregate(a);
    } else if (rel instanceof Sort s) {
      return sort(s);
    } else if (rel instanceof Union u) {
      return u.all ? "all rows of" : "distinct rows of";
    } else if (rel instanceof Sample s) {
      return "keep about %s %% of rows"
          .formatted(
              s.getSamplingParameters()
                  .sampleRate
                  .movePointRight(2)
                  .stripTrailingZeros()
                  .toPlainString());
    } else if (rel instanceof RecursiveRel r) {
      return "%s: the first rows, then, round by round, %s"
          .formatted(
              r.name(), r.keepsAll() ? "what they lead to" : "what is new of what they lead to");
    } else if (rel instanceof TableScan scan) {
      Relation relation = scan.getTable().unwrap(RelationTable.class).relation();
      if (RecursiveRel.isWorking(relation)) {
        return "rows of the round before";
      }
      if (relation instanceof SharedParts.Part part) {
        return "rows of %s, which is computed once".formatted(part.name());
      }
      return "read %s, %,d rows"
          .formatted(
              String.join(".", scan.getTable().getQualifiedName()),
              Math.round(relation.rowCount()));
    } else if (rel instanceof OwnStep own) {
      return own.name().equals("unnest") ? "a row for each element" : own.name();
    } else if (rel instanceof Values v) {
      return "%,d given rows".formatted(v.getTuples().size());
    }
    return rel.getRelTypeName();
  }

  private static String aggregate(Aggregate a) {
    List<String> in = names(a.getInput());
    String keys = a.getGroupSet().asList().stream().map(in::get).collect(Collectors.joining(", "));
    String calls =
        a.getAggCallList().stream()
            .map(c -> call(c, in))
            .distinct()
            .collect(Collectors.joining(", "));
    return keys.isEmpty()
        ? "aggregate " + calls
        : calls.isEmpty() ? "distinct " + keys : "group by %s: %s".formatted(keys, calls);
  }

  private static String call(AggregateCall call, List<String> in) {
    String arguments =
        call.getArgList().isEmpty()
            ? "*"
            : call.getArgList().stream().map(in::get).collect(Collectors.joining(", "));
    return "%s(%s%s)%s"
        .formatted(
            call.getAggregation().getName().toLowerCase(Locale.ROOT),
            call.isDistinct() ? "distinct " : "",
            arguments,
            call.filterArg < 0 ? "" : " where " + in.get(call.filterArg));
  }

  private static String sort(Sort s) {
    List<String> in = names(s.getInput());
    String keys =
        s.getCollation().getFieldCollations().stream()
            .map(c -> in.get(c.getFieldIndex()) + descending(c))
            .collect(Collectors.joining(", "));
    String first = s.fetch == null ? "" : "first %s rows".formatted(RexLiteral.intValue(s.fetch));
    String skipped = s.offset == null ? "" : " behind %s".formatted(RexLiteral.intValue(s.offset));
    return keys.isEmpty()
        ? first + skipped
        : "sort by " + keys + (first.isEmpty() ? "" : ", " + first) + skipped;
  }

  private static String descending(RelFieldCollation c) {
    return c.getDirection().isDescending() ? " descending" : "";
  }

  /** The columns that come out; one without a name is called by what it computes. */
  private static List<String> names(RelNode rel) {
    List<String> out = new ArrayList<>();
    for (RelDataTypeField field : rel.getRowType().getFieldList()) {
      out.add(
          field.getName().matches("(EXPR)?\\$.*")
              ? computed(rel, field.getIndex())
              : field.getName());
    }
    return out;
  }

  private static String computed(RelNode rel, int column) {
    if (rel instanceof Aggregate a && column >= a.getGroupCount()) {
      return call(a.getAggCallList().get(column - a.getGroupCount()), names(a.getInput()));
    } else if (rel instanceof Project p) {
      return text(p.getProjects().get(column), names(p.getInput()));
    } else if (rel instanceof Filter || rel instanceof Sort) {
      return names(rel.getInput(0)).get(column);
    } else if (rel instanceof Join j) {
      int left = j.getLeft().getRowType().getFieldCount();
      return column < left
          ? names(j.getLeft()).get(column)
          : names(j.getRight()).get(column - left);
    }
    return rel.getRowType().getFieldNames().get(column);
  }

  private static String expressions(List<RexNode> all, RelNode over) {
    List<String> names = names(over);
    return all.stream().map(e -> text(e, names)).collect(Collectors.joining(", "));
  }

  /** An expression as SQL writes it, more or less. */
  private static String text(RexNode e, List<String> names) {
    if (e instanceof RexInputRef ref) {
      return names.get(ref.getIndex());
    } else if (e instanceof RexLiteral literal) {
      return literal.toString().replaceFirst("^_UTF-8", "").replaceFirst(":[A-Z].*$", "");
    } else if (e instanceof RexCall call) {
      List<String> o = call.getOperands().stream().map(x -> text(x, names)).toList();
      String name = call.getOperator().getName();
      if (call.getKind() == SqlKind.SEARCH) {
        return text(RexUtil.expandSearch(new RexBuilder(SqlTypes.factory()), null, call), names);
      } else if (call.getOperator() == OuterRows.ONE_VALUE) {
        return o.get(0);
      } else if (call.getKind() == SqlKind.CAST) {
        return "CAST(%s AS %s)".formatted(o.get(0), SqlTypes.fromSql(call.getType()));
      } else if (call.getOperator().getSyntax() == SqlSyntax.BINARY
          || call.getKind() == SqlKind.LIKE) {
        return IntStream.range(0, o.size())
            .mapToObj(i -> wrapped(call.getOperands().get(i), o.get(i)))
            .collect(Collectors.joining(" " + name + " "));
      } else if (call.getOperator().getSyntax() == SqlSyntax.POSTFIX) {
        return o.get(0) + " " + name;
      }
      return "%s(%s)".formatted(name, String.join(", ", o));
    }
    return e.toString();
  }

  private static String wrapped(RexNode operand, String text) {
    return operand instanceof RexCall call
            && (call.getKind() == SqlKind.SEARCH
                || call.getKind() == SqlKind.OR
                || call.getKind().belongsTo(SqlKind.BINARY_ARITHMETIC))
        ? "(" + text + ")"
        : text;
  }
}
