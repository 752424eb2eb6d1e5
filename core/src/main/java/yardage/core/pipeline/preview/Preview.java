package yardage.core.pipeline.preview;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import yardage.core.column.Batch;
import yardage.core.column.Schema;
import yardage.core.exec.Tally;

/**
 * Rows that a step gives.
 *
 * @param rows the first of them
 * @param given how many it gives of what was read
 * @param matching how many of these meet the condition that was asked for
 * @param sources what was read, in the order of the document
 * @param comparison with the rows before the step, where that was asked for
 * @param account of the step and those before it, over what was read
 * @param notes what is not among the rows
 */
public record Preview(
    Schema schema,
    List<Batch> rows,
    long given,
    OptionalLong matching,
    List<SourceRead> sources,
    List<Tally> account,
    Optional<BeforeAndAfter> comparison,
    List<String> notes) {
  public Preview {
    rows = List.copyOf(rows);
    sources = List.copyOf(sources);
    account = List.copyOf(account);
    notes = List.copyOf(notes);
  }

  /**
   * What was read of a source.
   *
   * @param name of the feed or table
   * @param there how many rows it has, where that is known
   * @param looksUp whether other rows only look something up in it
   */
  public record SourceRead(
      String step,
      String kind,
      String name,
      long rows,
      OptionalLong there,
      boolean looksUp,
      SourceChoice choice) {
    /** Whether there is nothing more, by what is known. */
    public boolean isWhole() {
      return there.isPresent()
          && there.getAsLong() == rows
          && choice.where().isEmpty()
          && choice.files().isEmpty();
    }

    /** What was read, as {@code first 1,000 of 9,128 rows of rolls}. */
    public String words() {
      String of = "%s of %s".formatted(rows == 1 ? "row" : "rows", step);
      String where =
          choice.files().map(f -> " in " + f).orElse("")
              + choice.where().map(w -> " where " + w).orElse("");
      if (choice.share().isPresent()) {
        return "%,d %s%s, a sample of %s %%"
            .formatted(rows, of, where, percent(choice.share().get()));
      } else if (there.isPresent() && there.getAsLong() == rows) {
        return "all %,d %s%s".formatted(rows, of, where);
      } else if (there.isPresent()) {
        return "first %,d of %,d rows of %s%s".formatted(rows, there.getAsLong(), step, where);
      }
      return "first %,d %s%s".formatted(rows, of, where);
    }

    private static String percent(double share) {
      return new java.math.BigDecimal(100 * share)
          .round(new java.math.MathContext(3))
          .stripTrailingZeros()
          .toPlainString();
    }
  }

  /**
   * What is asked for.
   *
   * @param rows how many are shown at most
   * @param where a condition that the shown rows meet, over the step's columns
   * @param whole whether all rows of sources are read whose choice says no other
   * @param compared whether the rows are held against those before the step
   * @param choices what is read of sources, by the steps that read them
   * @param first how many rows are read of a source that nobody chose from
   * @param firstLookedUp how many of one in which others look up
   */
  public record Question(
      String step,
      int rows,
      Optional<String> where,
      boolean whole,
      boolean compared,
      Map<String, SourceChoice> choices,
      long first,
      long firstLookedUp) {
    /** What is read of a source that nobody chose from. */
    public static final long FIRST_ROWS = 1_000;

    /** What is read of it for a profile, which needs more to tell anything. */
    public static final long FIRST_PROFILED = 100_000;

    /** What is read of one in which others look up: with fewer rows they would not find theirs. */
    public static final long FIRST_LOOKED_UP = 100_000;

    public Question {
      choices = Map.copyOf(choices);
    }

    /** For rows to look at. */
    public Question(
        String step,
        int rows,
        Optional<String> where,
        boolean whole,
        boolean compared,
        Map<String, SourceChoice> choices) {
      this(step, rows, where, whole, compared, choices, FIRST_ROWS, FIRST_LOOKED_UP);
    }

    /** For a profile of all columns. */
    public static Question ofProfile(
        String step, boolean whole, Map<String, SourceChoice> choices) {
      return new Question(
          step, 0, Optional.empty(), whole, false, choices, FIRST_PROFILED, FIRST_LOOKED_UP);
    }

    /** For all rows that some few make. */
    public static Question ofFew(String step, long first, Map<String, SourceChoice> choices) {
      return new Question(
          step,
          (int) SourceChoice.MOST_ROWS,
          Optional.empty(),
          false,
          false,
          choices,
          first,
          FIRST_LOOKED_UP);
    }

    /** All that was read of a source for this question. */
    public Question ofSource(String reading, SourceChoice choice) {
      return new Question(
          reading,
          (int) SourceChoice.MOST_ROWS,
          Optional.empty(),
          whole,
          false,
          Map.of(reading, choice));
    }

    SourceChoice of(String reading, boolean looksUp) {
      SourceChoice choice = choices.getOrDefault(reading, SourceChoice.ALL);
      return whole ? choice : choice.orFirst(looksUp ? firstLookedUp : first);
    }
  }
}
