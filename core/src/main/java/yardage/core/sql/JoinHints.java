package yardage.core.sql;

/**
 * What a step says of how its join is carried out.
 *
 * @param holdMain whether the main input waits in memory while the other passes by
 * @param keepsKeys whether keys whose rows the join multiplies are noted
 * @param counts whether rows that match nothing are told, so that all have to be read
 */
public record JoinHints(boolean holdMain, boolean keepsKeys, boolean counts) {
  /** For steps that say nothing. */
  public static final JoinHints NONE = new JoinHints(false, false, true);

  /** For queries, which have no account of their rows. */
  static final JoinHints QUERY = new JoinHints(false, false, false);
}
