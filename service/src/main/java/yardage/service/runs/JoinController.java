package yardage.service.runs;

import java.util.List;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.RestController;
import tools.jackson.core.type.TypeReference;
import tools.jackson.databind.ObjectMapper;
import yardage.core.pipeline.insight.JoinInsight;

/** What a run said of its joins. */
@RestController
class JoinController {
  private final JoinMapper mapper;
  private final RunService runs;
  private final ObjectMapper json;

  JoinController(JoinMapper mapper, RunService runs, ObjectMapper json) {
    this.mapper = mapper;
    this.runs = runs;
    this.json = json;
  }

  /** The joins of a run that found little, looked into over the rows that the run had. */
  @GetMapping("/api/v1/runs/{id}/joins")
  List<JoinInsight> ofRun(@PathVariable long id) {
    runs.find(id);
    return mapper.ofRun(id).stream()
        .map(text -> json.readValue(text, new TypeReference<JoinInsight>() {}))
        .toList();
  }
}
