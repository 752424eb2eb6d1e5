package yardage.core.pipeline.insight;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import yardage.core.exec.Tally;
import yardage.core.insight.JoinDiagnosis;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.read.Verb;
import yardage.core.plan.JoinKind;

/** What a run says of its joins by itself: those that found little are looked into at its end. */
public final class JoinFindings {
  /** A join that matches at least this share of its rows does what joins do. */
  private static final double ENOUGH_MATCHED = 0.9;

  private JoinFindings() {}

  /** The joins on keys that matched too few of their rows to pass without a word. */
  public static List<String> worthALook(PipelineCheck check, List<Tally> tallies) {
    Map<String, Tally> byStep = new HashMap<>();
    tallies.forEach(t -> byStep.put(t.step(), t));
    List<String> out = new ArrayList<>();
    for (String join : JoinInsight.joins(check.document())) {
      Tally tally = byStep.get(join);
      Verb.JoinStep verb = (Verb.JoinStep) check.document().steps().get(join).verb();
      // An anti join wants rows that match nothing.
      if (tally != null
          && verb.kind() != JoinKind.ANTI
          && tally.rowsIn() > 0
          && tally.matched() < ENOUGH_MATCHED * tally.rowsIn()) {
        out.add(join);
      }
    }
    return out;
  }

  /** A join's finding in a line, for a log. */
  public static String words(JoinInsight insight) {
    JoinDiagnosis.Side left = insight.diagnosis().left();
    List<JoinDiagnosis.Remedy> remedies = insight.diagnosis().remedies();
    String found =
        "%s: %,d of %,d rows of %s found something in %s"
            .formatted(
                insight.step(), left.matched(), left.rows(), insight.left(), insight.right());
    return remedies.isEmpty()
        ? found + "; nothing that is known to keep keys apart would make it more"
        : found
            + "; %,d more would without %s"
                .formatted(remedies.get(0).wouldMatch(), remedies.get(0).words());
  }
}
