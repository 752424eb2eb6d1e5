package yardage.service.trials;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RestController;
import yardage.service.pipelines.Drafts;

/** A run of a text that need not be kept, which publishes nothing. */
@RestController
class TrialController {
  private static final int EXAMPLES = 5;
  private static final int MOST_EXAMPLES = 1_000;

  private final TrialService trials;

  TrialController(TrialService trials) {
    this.trials = trials;
  }

  /**
   * @param together the texts of other pipelines, which need not be kept
   * @param examples how many rows of each kind and table come; 5 without it
   */
  record TrialRequest(
      String text,
      Optional<List<String>> together,
      Optional<Map<String, String>> parameters,
      Optional<Integer> examples) {}

  @PostMapping("/api/v1/pipelines/trial")
  TrialView trial(@RequestBody TrialRequest body) {
    return trials.trial(
        new Drafts.Draft(
            body.text() == null ? "" : body.text(),
            body.together() == null ? List.of() : body.together().orElse(List.of()),
            body.parameters() == null ? Map.of() : body.parameters().orElse(Map.of())),
        Math.max(
            0,
            Math.min(
                MOST_EXAMPLES,
                body.examples() == null ? EXAMPLES : body.examples().orElse(EXAMPLES))));
  }
}
