package yardage.service.pipelines;

import io.swagger.v3.oas.annotations.Hidden;
import java.io.IOException;
import java.io.InputStream;
import java.util.List;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RestController;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import tools.jackson.databind.node.ObjectNode;
import yardage.core.pipeline.describe.StepCatalog;
import yardage.core.pipeline.describe.StepDescription;
import yardage.core.pipeline.describe.StepSchema;
import yardage.core.pipeline.insight.DuplicateInsight;
import yardage.core.pipeline.insight.JoinInsight;
import yardage.service.web.OnlyReads;

/** What steps there are: for completion and forms, and as a schema for editors. */
@RestController
class StepController {
  private static final JsonMapper JSON = new JsonMapper();
  private final DiagnosisService diagnosis;

  StepController(DiagnosisService diagnosis) {
    this.diagnosis = diagnosis;
  }

  @GetMapping("/api/v1/steps")
  List<StepDescription> steps() {
    return StepCatalog.all();
  }

  record DiagnosisRequest(String text, String step) {}

  /** What a join finds, what it does not, and what would mend that; over all that is there. */
  @OnlyReads
  @PostMapping("/api/v1/pipelines/diagnose")
  JoinInsight diagnose(@RequestBody DiagnosisRequest body) {
    return diagnosis.join(
        body.text() == null ? "" : body.text(), body.step() == null ? "" : body.step());
  }

  /**
   * @param remedy the code of one of the diagnosis' remedies
   */
  record MendRequest(String text, String step, String remedy) {}

  record MendedText(String text) {}

  /** The document with a remedy's step put in before the join; nothing is kept. */
  @OnlyReads
  @PostMapping("/api/v1/pipelines/mend")
  MendedText mend(@RequestBody MendRequest body) {
    return new MendedText(
        diagnosis.mended(
            body.text() == null ? "" : body.text(),
            body.step() == null ? "" : body.step(),
            body.remedy() == null ? "" : body.remedy()));
  }

  /**
   * @param find only groups with a row that has this in some column; all without it
   * @param most how many groups come; 20 without it
   */
  record DuplicatesRequest(String text, String step, String find, Integer most) {}

  /** The rows that a dedupe removes, beside the one that stays; over all that is there. */
  @OnlyReads
  @PostMapping("/api/v1/pipelines/duplicates")
  DuplicateInsight duplicates(@RequestBody DuplicatesRequest body) {
    return diagnosis.duplicates(
        body.text() == null ? "" : body.text(),
        body.step() == null ? "" : body.step(),
        body.find() == null ? "" : body.find(),
        body.most() == null ? 20 : Math.max(1, Math.min(body.most(), 1000)));
  }

  /** The document's frame is written by hand; its steps come from their descriptions. */
  @Hidden
  @GetMapping("/api/v1/schemas/pipeline.json")
  JsonNode schema() throws IOException {
    try (InputStream in = getClass().getResourceAsStream("/schemas/pipeline-frame.json")) {
      JsonNode frame = JSON.readTree(in);
      ((ObjectNode) frame.path("properties").path("steps"))
          .set("additionalProperties", JSON.valueToTree(StepSchema.step()));
      return frame;
    }
  }
}
