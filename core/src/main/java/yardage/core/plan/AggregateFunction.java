package yardage.core.plan;

/** The functions that make one value of many. */
public enum AggregateFunction {
  COUNT,
  SUM,
  MIN,
  MAX,
  AVG,
  /** Variance and its root, over all rows or as of a sample. */
  VAR_POP,
  VAR_SAMP,
  STDDEV_POP,
  STDDEV_SAMP,
  /** Over pairs: covariance, correlation, and the straight line of least squares. */
  COVAR_POP,
  COVAR_SAMP,
  CORR,
  REGR_SLOPE,
  REGR_INTERCEPT,
  REGR_R2,
  REGR_AVGX,
  REGR_AVGY,
  REGR_SXX,
  REGR_SYY,
  REGR_SXY,
  /** The first and the last value by an order. */
  FIRST,
  LAST,
  /** The value that is there most often. */
  MODE,
  /** Texts with something between them. */
  JOINED,
  PERCENTILE,
  LIST,
  /** The one value of a scalar subquery; a second row is an error. */
  SINGLE_VALUE;

  /** Whether it is of pairs: the second column stands first in the order. */
  public boolean isOfPairs() {
    return switch (this) {
      case COVAR_POP,
          COVAR_SAMP,
          CORR,
          REGR_SLOPE,
          REGR_INTERCEPT,
          REGR_R2,
          REGR_AVGX,
          REGR_AVGY,
          REGR_SXX,
          REGR_SYY,
          REGR_SXY ->
          true;
      default -> false;
    };
  }
}
