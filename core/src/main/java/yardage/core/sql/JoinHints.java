package yardage.core.sql;

/**
 * What a step says of how its join is carried out.
 *
 * @param holdMain whether the main input waits in memory while the other passes by
 * @param keepsKeys whether keys whose rows the join multiplies are noted
 */
public record JoinHints(boolean holdMain, boolean keepsKeys) {
  public static final JoinHints NONE = new JoinHints(false, false);
}
