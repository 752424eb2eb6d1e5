package yardage.core.plan;

import java.lang.reflect.Array;
import java.lang.reflect.RecordComponent;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collection;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import yardage.core.column.Type;
import yardage.core.expr.Cast;
import yardage.core.expr.Expression;
import yardage.core.expr.Literal;

/**
 * Stages as text, one line for each thing that happens: for people who look at a plan, and for
 * tests that hold one against what it was.
 */
public final class StageText {
  private StageText() {}

  public static String of(List<Stage> stages) {
    StringBuilder out = new StringBuilder();
    stages.forEach(s -> stage(s, out));
    return out.toString();
  }

  private static void stage(Stage stage, StringBuilder out) {
    out.append("stage ").append(stage.id()).append('\n');
    for (int p = 0; p < stage.phases().size(); p++) {
      for (Stage.Chain chain : stage.phases().get(p)) {
        line(out, p == 0 ? "  " : "  then ", chain.input().accept(new Inputs()), chain.step());
        for (Operation operation : chain.operations()) {
          out.append("    ").append(operation.accept(new Operations())).append('\n');
        }
      }
    }
    line(out, "  → ", stage.output().accept(new Outputs()), stage.output().step());
  }

  private static void line(StringBuilder out, String lead, String words, String step) {
    out.append(lead).append(words);
    out.append(step.isEmpty() ? "" : " [" + step + "]").append('\n');
  }

  /** An expression has columns as {@code $0}, constants as they are, all else as a call. */
  private static String words(Object value) {
    if (value instanceof Expression.Input input) {
      return "$" + input.ordinal();
    } else if (value instanceof Literal literal) {
      return literal.value().map(StageText::constant).orElse("null");
    } else if (value instanceof Type || value instanceof Enum<?>) {
      return value.toString();
    } else if (value instanceof Optional<?> held) {
      return held.map(StageText::words).orElse("none");
    } else if (value instanceof Collection<?> many) {
      return many.stream().map(StageText::words).collect(Collectors.joining(", ", "(", ")"));
    } else if (value instanceof byte[] utf8) {
      return constant(new String(utf8, StandardCharsets.UTF_8));
    } else if (value.getClass().isArray()) {
      return IntStream.range(0, Array.getLength(value))
          .mapToObj(i -> words(Array.get(value, i)))
          .collect(Collectors.joining(", ", "(", ")"));
    } else if (value instanceof Record r) {
      List<String> parts = new ArrayList<>();
      for (RecordComponent c : RecordCodec.components(r)) {
        // The type of an expression follows from its operands; where it does not, a cast says it.
        boolean follows = c.getName().equals("type") && r instanceof Expression;
        if (!follows || r instanceof Cast) {
          parts.add(words(RecordCodec.component(c, r)));
        }
      }
      return r.getClass().getSimpleName()
          + parts.stream().collect(Collectors.joining(", ", "(", ")"));
    }
    return constant(value);
  }

  private static String words(Sought sought) {
    if (sought instanceof HeldKeys keys) {
      return "$%d among key %d of stage %d%s"
          .formatted(keys.column(), keys.key(), keys.stage(), keys.once() ? ", each once" : "");
    } else if (sought instanceof FirstInOrder first) {
      return "$%d among the first%s"
          .formatted(first.column(), first.descending() ? ", descending" : "");
    }
    return "$%d with %s".formatted(sought.column(), words(((ColumnCondition) sought).condition()));
  }

  private static String constant(Object value) {
    return value instanceof String ? "'" + value + "'" : value.toString();
  }

  private static String ordinals(int[] columns) {
    return Arrays.stream(columns).mapToObj(c -> "$" + c).collect(Collectors.joining(", "));
  }

  private static String order(List<SortKey> keys) {
    return keys.stream()
        .map(k -> "$" + k.ordinal() + (k.descending() ? " desc" : ""))
        .collect(Collectors.joining(", "));
  }

  private static final class Inputs implements Input.Visitor<String> {
    @Override
    public String scanned(Input.Scanned scanned) {
      return "read "
          + scanned.source().words()
          + scanned.sought().stream().map(s -> ", " + words(s)).collect(Collectors.joining());
    }

    @Override
    public String rows(Input.Rows rows) {
      return "rows of stage " + rows.stage();
    }
  }

  private static final class Operations implements Operation.Visitor<String> {
    @Override
    public String filter(Operation.Filter filter) {
      return "filter " + words(filter.condition());
    }

    @Override
    public String project(Operation.Project project) {
      return "project "
          + project.expressions().stream().map(StageText::words).collect(Collectors.joining(", "));
    }

    @Override
    public String border(Operation.Border border) {
      return "border"
          + border.outOf().map(s -> " out of [" + s + "]").orElse("")
          + border.into().map(s -> " into [" + s + "]").orElse("")
          + (border.right() ? " on the right" : "");
    }

    @Override
    public String apply(Operation.Apply apply) {
      return "apply " + words(apply.what());
    }

    @Override
    public String probe(Operation.Probe probe) {
      return "join with stage " + probe.stage();
    }
  }

  private static final class Outputs implements Output.Visitor<String> {
    @Override
    public String build(Output.Build build) {
      JoinSpec spec = build.spec();
      return "right side of a join, %s, (%s) = (%s)%s%s"
          .formatted(
              spec.kind().toString().toLowerCase(Locale.ROOT).replace('_', ' '),
              ordinals(spec.leftKeys()),
              ordinals(spec.rightKeys()),
              spec.residual().map(r -> " and " + words(r)).orElse(""),
              spec.mainIsRight() ? ", the main input" : "");
    }

    @Override
    public String groups(Output.Groups groups) {
      return "groups by (%s): %s"
          .formatted(
              ordinals(groups.spec().keys()),
              groups.spec().calls().stream()
                  .map(
                      c ->
                          "%s(%s%s)"
                              .formatted(
                                  c.function(),
                                  c.distinct() ? "distinct " : "",
                                  c.argument() < 0 ? "*" : "$" + c.argument()))
                  .collect(Collectors.joining(", ")));
    }

    @Override
    public String winners(Output.Winners winners) {
      return "%s row of each (%s) by (%s)"
          .formatted(
              winners.spec().keepLast() ? "last" : "first",
              ordinals(winners.spec().keys()),
              order(winners.spec().order()));
    }

    @Override
    public String sorted(Output.Sorted sorted) {
      SortSpec spec = sorted.spec();
      return "sorted by (%s)%s%s"
          .formatted(
              order(spec.keys()),
              spec.offset() > 0 ? ", without the first " + spec.offset() : "",
              spec.fetch() >= 0 ? ", " + spec.fetch() + " at most" : "");
    }

    @Override
    public String together(Output.Together together) {
      return "all rows at once: " + words(together.spec().what());
    }

    @Override
    public String kept(Output.Kept kept) {
      return "kept as " + kept.name();
    }

    @Override
    public String written(Output.Written written) {
      return "written to " + written.target().words();
    }

    @Override
    public String handed(Output.Handed handed) {
      return "handed over";
    }
  }
}
