package yardage.service.previews;

import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import yardage.core.pipeline.preview.Preview;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.service.BesideStart;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.pipelines.Drafts;

/**
 * Looks at a few rows of the pipelines that are there, beside the start: the first preview in a
 * fresh JVM takes a second or two, and nobody should wait for it.
 */
@Component
class PreviewWarmUp {
  private static final Logger LOG = LoggerFactory.getLogger(PreviewWarmUp.class);
  private static final int ROWS = 100;

  /** After this no other pipeline is begun with. */
  private static final Duration ENOUGH = Duration.ofSeconds(5);

  private final DocumentStore documents;
  private final PreviewService previews;

  PreviewWarmUp(DocumentStore documents, PreviewService previews) {
    this.documents = documents;
    this.previews = previews;
  }

  @EventListener(ApplicationReadyEvent.class)
  void warmUp() {
    BesideStart.run("yardage-preview-warm-up", this::run);
  }

  private void run() {
    long end = System.nanoTime() + ENOUGH.toNanos();
    try {
      for (StoredDocument d : documents.latest(DocumentStore.Kind.PIPELINE)) {
        if (System.nanoTime() - end > 0) {
          return;
        }
        look(d);
      }
    } catch (RuntimeException e) {
      LOG.info("No preview was made ready: {}", e.getMessage());
    }
  }

  /** The rows before the last step, which writes them. */
  private void look(StoredDocument pipeline) {
    Optional<String> step =
        PipelineDocument.parse(pipeline.text()).steps().values().stream()
            .reduce((before, last) -> last)
            .flatMap(last -> last.inputs().stream().findFirst())
            .map(input -> input.text());
    if (step.isEmpty()) {
      return;
    }
    try {
      previews.preview(
          new Drafts.Draft(pipeline.text(), List.of(), Map.of()),
          new Preview.Question(
              step.get(), ROWS, Optional.empty(), false, false, Map.of(), ROWS, ROWS));
    } catch (RuntimeException e) {
      LOG.debug("Pipeline [{}] was not looked at", pipeline.name(), e);
    }
  }
}
