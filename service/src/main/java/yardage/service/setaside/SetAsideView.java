package yardage.service.setaside;

import java.util.List;
import java.util.Optional;
import yardage.core.feed.SetAsideStore;

/** What the interface says of set-aside rows. */
final class SetAsideView {
  private SetAsideView() {}

  /**
   * @param state open, corrected or replayed
   * @param corrected the record as somebody wrote it anew
   */
  record SetAsideRow(
      long number,
      String feed,
      String step,
      String file,
      long line,
      long byteOffset,
      String original,
      List<SetAsideFailure> failures,
      String state,
      Optional<String> corrected) {}

  record SetAsideFailure(String field, String reason, String message) {}

  record SetAsidePage(List<SetAsideRow> rows, long total) {}

  record Correction(String text) {}

  /**
   * What a corrected record comes to.
   *
   * @param values by column, as text, where it fits
   */
  record CorrectionCheck(
      boolean fits, List<String> columns, List<String> values, List<SetAsideFailure> failures) {}

  /**
   * @param rows their numbers; none for all of the reason
   */
  record ReplayRequest(Optional<List<Long>> rows, Optional<String> reason) {}

  /**
   * @param replayed rows that the feed's next runs take in
   * @param before rows that were replayed before, and are not taken again
   */
  record ReplayAnswer(long replayed, long before, List<String> files, String message) {}

  /**
   * @param rows their numbers; none for all of the run
   */
  record WithdrawRequest(Optional<List<Long>> rows) {}

  /**
   * What was taken back.
   *
   * @param replays rows that were replayed and not taken in yet
   * @param corrections texts that somebody wrote anew
   */
  record WithdrawAnswer(long replays, long corrections) {}

  static List<SetAsideFailure> failures(List<SetAsideStore.Failure> failures) {
    return failures.stream()
        .map(f -> new SetAsideFailure(f.field(), f.reason(), f.message()))
        .toList();
  }
}
