package yardage.service.runs;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import yardage.service.runs.RunView.RunStep;
import yardage.service.runs.RunView.StepTally;

/** The line under a run's account: that the books balance, and of what; or where they do not. */
final class Balance {
  private Balance() {}

  static boolean isBalanced(List<RunStep> steps) {
    return steps.stream().allMatch(s -> s.tally().balanced());
  }

  static String of(List<RunStep> steps, RunState state) {
    if (steps.isEmpty()) {
      return "";
    }
    if (!state.isEnd()) {
      return "The run is still running; its books are not closed yet";
    }
    if (state != RunState.SUCCEEDED) {
      return state == RunState.FAILED
          ? "The run failed: nothing was published, and every table is as it was"
          : "The run was stopped: nothing was published, and every table is as it was";
    }
    List<String> wrong =
        steps.stream().filter(s -> !s.tally().balanced()).map(RunStep::name).toList();
    if (!wrong.isEmpty()) {
      return "The books do not balance in " + String.join(", ", wrong);
    }
    // A calendar's days come from nowhere, whether or not it looks holidays up in another step.
    long made =
        sum(steps.stream().filter(s -> s.verb().equals("calendar")).toList(), StepTally::rowsIn);
    long in =
        sum(
            steps.stream().filter(s -> s.from().isEmpty() && !s.verb().equals("calendar")).toList(),
            StepTally::rowsIn);
    List<RunStep> writes = steps.stream().filter(s -> s.verb().equals("write")).toList();
    long all = sum(writes, StepTally::rowsOut);
    // A table in which nothing would change is left as it is, and no file of it is written.
    long out =
        sum(writes.stream().filter(s -> s.tally().filesWritten() > 0).toList(), StepTally::rowsOut);
    // A step that several others read gives its rows to each of them.
    long again = 0;
    for (RunStep step : steps) {
      long readers =
          steps.stream()
              .mapToLong(
                  s ->
                      s.from().stream().filter(f -> f.equals(step.name())).count()
                          + s.with().filter(w -> w.equals(step.name())).stream().count())
              .sum();
      again += Math.max(0, readers - 1) * step.tally().rowsOut();
    }
    List<String> left = new ArrayList<>(List.of(number(in) + " read"));
    term(left, again, "read again");
    term(left, made, "made");
    term(left, sum(steps, StepTally::multiplied), "multiplied");
    term(left, sum(steps, StepTally::added), "added");
    List<String> right = new ArrayList<>(List.of(number(out) + " written"));
    term(right, all - out, "in tables that stay as they are");
    term(right, sum(steps, StepTally::setAside), "set aside");
    term(right, sum(steps, StepTally::merged), "merged");
    term(right, sum(steps, StepTally::filtered), "filtered");
    term(right, sum(steps, StepTally::unmatched), "unmatched");
    term(right, sum(steps, StepTally::folded), "grouped");
    term(right, sum(steps, StepTally::absorbed), "looked up");
    return "The books balance: " + String.join(" + ", left) + " = " + String.join(" + ", right);
  }

  private static long sum(List<RunStep> steps, java.util.function.ToLongFunction<StepTally> value) {
    return steps.stream().mapToLong(s -> value.applyAsLong(s.tally())).sum();
  }

  private static void term(List<String> terms, long n, String word) {
    if (n != 0) {
      terms.add(number(n) + " " + word);
    }
  }

  private static String number(long n) {
    return String.format(Locale.ROOT, "%,d", n);
  }
}
