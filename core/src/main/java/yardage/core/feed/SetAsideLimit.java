package yardage.core.feed;

import java.util.Optional;

/**
 * How much of a feed may be set aside before its run stops.
 *
 * @param rows a run stops past this many rows; empty for no such limit
 * @param share a run stops when more than this share of the records was set aside
 */
public record SetAsideLimit(Optional<Long> rows, double share) {
  static final double DEFAULT_SHARE = 0.1;
  static final SetAsideLimit DEFAULT = new SetAsideLimit(Optional.empty(), DEFAULT_SHARE);
}
