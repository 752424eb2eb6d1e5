package yardage.core.plan;

/**
 * A query that names itself (ISO SQL:2016, 7.17, recursive WITH): over the rows of its beginning,
 * its step is run with the rows that the round before has added, until a round adds none.
 *
 * @param step reads those rows as {@link WorkingRows} of {@code name}
 * @param keepsAll whether rows may come again; else a row that is there already adds nothing
 */
public record Recursion(String name, PlanNode step, boolean keepsAll) implements WholeDescription {}
