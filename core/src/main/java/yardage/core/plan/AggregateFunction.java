package yardage.core.plan;

/** The functions that make one value of many. */
public enum AggregateFunction {
  COUNT(Family.COUNT),
  SUM(Family.SUM),
  MIN(Family.EXTREME),
  MAX(Family.EXTREME),
  AVG(Family.AVG),
  /** Variance and its root, over all rows or as of a sample. */
  VAR_POP(Family.MOMENTS),
  VAR_SAMP(Family.MOMENTS),
  STDDEV_POP(Family.MOMENTS),
  STDDEV_SAMP(Family.MOMENTS),
  /** Over pairs: covariance, correlation, and the straight line of least squares. */
  COVAR_POP(Family.PAIRS),
  COVAR_SAMP(Family.PAIRS),
  CORR(Family.PAIRS),
  REGR_SLOPE(Family.PAIRS),
  REGR_INTERCEPT(Family.PAIRS),
  REGR_R2(Family.PAIRS),
  REGR_AVGX(Family.PAIRS),
  REGR_AVGY(Family.PAIRS),
  REGR_SXX(Family.PAIRS),
  REGR_SYY(Family.PAIRS),
  REGR_SXY(Family.PAIRS),
  /** The first and the last value by an order. */
  FIRST(Family.FOREMOST),
  LAST(Family.FOREMOST),
  /** The value that is there most often. */
  MODE(Family.COMMONEST),
  /** The first value, in an order, at or behind which a share of all of them lies. */
  PERCENTILE_DISC(Family.RANKED),
  /** Texts with something between them. */
  JOINED(Family.JOINED),
  PERCENTILE(Family.PERCENTILE),
  LIST(Family.LIST),
  /** The one value of a scalar subquery; a second row is an error. */
  SINGLE_VALUE(Family.SINGLE);

  /** Functions that are computed alike and give values of like types; a closed set. */
  public enum Family {
    COUNT,
    SUM,
    AVG,
    EXTREME,
    SINGLE,
    /** From the moments of one column. */
    MOMENTS,
    /** From the moments of two columns together. */
    PAIRS,
    /** The value of the first or the last row. */
    FOREMOST,
    COMMONEST,
    /** One of the values, told from the others by all of them in order. */
    RANKED,
    JOINED,
    PERCENTILE,
    LIST
  }

  private final Family family;

  AggregateFunction(Family family) {
    this.family = family;
  }

  public Family family() {
    return family;
  }

  /** Whether it is of pairs: the second column stands first in the order. */
  public boolean isOfPairs() {
    return family == Family.PAIRS;
  }
}
