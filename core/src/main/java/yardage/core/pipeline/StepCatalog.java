package yardage.core.pipeline;

import java.util.List;

public final class StepCatalog {
  private StepCatalog() {}

  static List<String> verbs() {
    return List.of(
        "read",
        "shape",
        "fill",
        "keep",
        "sample",
        "stack",
        "unnest",
        "pivot",
        "unpivot",
        "across",
        "dedupe",
        "join",
        "aggregate",
        "check",
        "sql",
        "write");
  }
}
