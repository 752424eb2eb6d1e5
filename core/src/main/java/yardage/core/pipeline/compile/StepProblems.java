package yardage.core.pipeline.compile;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import yardage.core.column.Schema;
import yardage.core.document.Names;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.pipeline.read.ColumnChoice;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.sql.SqlProblem;

/** Notes what is wrong with steps, at its place, while they are compiled. */
final class StepProblems {
  private final List<Problem> problems;

  StepProblems(List<Problem> problems) {
    this.problems = problems;
  }

  /** How many there are so far. */
  int count() {
    return problems.size();
  }

  /** Whether an error came after the first {@code count}. */
  boolean errorsSince(int count) {
    return problems.subList(count, problems.size()).stream()
        .anyMatch(p -> p.severity() == Problem.Severity.ERROR);
  }

  void add(Problem problem) {
    problems.add(problem);
  }

  List<Integer> choose(PipelineDocument.Step step, ColumnChoice choice, Schema schema) {
    List<Located> unknown = new ArrayList<>();
    List<Integer> chosen = choice.resolve(schema, unknown);
    unknown.forEach(u -> unknown(step, u, u.text(), schema));
    return chosen;
  }

  /** The ordinal of a column, or -1 with a problem noted. */
  int column(PipelineDocument.Step step, Located name, Schema schema) {
    int at = schema.indexOf(name.text());
    if (at < 0) {
      unknown(step, name, name.text(), schema);
    }
    return at;
  }

  void unknown(PipelineDocument.Step step, Located at, String name, Schema schema) {
    Optional<String> fix = Names.nearest(name, schema.names());
    String message =
        "There is no column [%s]%s".formatted(name, Names.instead(name, schema.names()));
    problems.add(
        new Problem(
            Problem.Severity.ERROR,
            "unknown-column",
            step.name(),
            at.field(),
            at.place(),
            message,
            fix));
  }

  void problem(PipelineDocument.Step step, Located at, String code, String message) {
    problems.add(
        PipelineDocument.error(
            step.name(),
            at == null ? step.verb().word() : at.field(),
            code,
            at == null ? step.place() : at.place(),
            message));
  }

  void problem(PipelineDocument.Step step, String field, SqlProblem p) {
    // A place at the very start means that the library did not know: the step itself is the next
    // best.
    Place place =
        p.line() <= 1 && p.column() <= 1
            ? step.place()
            : new Place(p.line(), p.column(), p.endLine(), Math.max(p.endColumn(), p.column()));
    problems.add(
        new Problem(
            Problem.Severity.ERROR, "wrong-sql", step.name(), field, place, p.message(), p.fix()));
  }
}
