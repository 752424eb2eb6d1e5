package yardage.service.samplers;

import java.time.Clock;
import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.beans.factory.DisposableBean;
import org.springframework.dao.DataAccessException;
import org.springframework.scheduling.annotation.Scheduled;
import org.springframework.stereotype.Component;
import org.springframework.transaction.TransactionException;
import yardage.core.sampler.Block;
import yardage.core.sampler.SamplerDocument;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;

/**
 * Works pages out when their {@code refresh} says, so that whoever opens one finds its answers
 * there. One page at a time: it is no hurry. What was missed while the service was down is not made
 * up for, since pages are worked out when they are opened anyway.
 */
@Component
class SamplerRefresh implements DisposableBean {
  private static final Logger LOG = LoggerFactory.getLogger(SamplerRefresh.class);

  private final SamplerService samplers;
  private final DocumentStore documents;
  private final Clock clock;
  private final ExecutorService worker =
      Executors.newSingleThreadExecutor(
          r -> {
            Thread thread = new Thread(r, "sampler-refresh");
            thread.setDaemon(true);
            return thread;
          });
  private final Set<String> going = ConcurrentHashMap.newKeySet();
  private Map<String, Page> pages = new LinkedHashMap<>();

  SamplerRefresh(SamplerService samplers, DocumentStore documents, Clock clock) {
    this.samplers = samplers;
    this.documents = documents;
    this.clock = clock;
  }

  /** A version of a page, and when it is due next. */
  private record Page(int version, Optional<SamplerDocument> document, Optional<Instant> due) {

    static Page of(StoredDocument stored, Instant now) {
      Optional<SamplerDocument> document = SamplerDocument.parse(stored.text()).document();
      return new Page(stored.version(), document, next(document, now));
    }

    static Optional<Instant> next(Optional<SamplerDocument> document, Instant after) {
      return document.flatMap(SamplerDocument::refresh).flatMap(s -> s.next(after));
    }

    Page after(Instant now) {
      return new Page(version, document, next(document, now));
    }
  }

  @Scheduled(fixedDelay = 5_000)
  void look() {
    try {
      Instant now = clock.instant();
      Map<String, Page> next = new LinkedHashMap<>();
      for (StoredDocument stored : documents.latest(DocumentStore.Kind.SAMPLER)) {
        Page page =
            Optional.ofNullable(pages.get(stored.name()))
                .filter(p -> p.version() == stored.version())
                .orElseGet(() -> Page.of(stored, now));
        boolean isDue = page.due().filter(d -> !d.isAfter(now)).isPresent();
        if (isDue) {
          page.document().ifPresent(this::start);
        }
        next.put(stored.name(), isDue ? page.after(now) : page);
      }
      pages = next;
    } catch (DataAccessException | TransactionException e) {
      LOG.warn("Cannot look for samplers to refresh: {}", e.getMessage());
    }
  }

  /** Where a page takes longer than from one time to the next, times are left out. */
  private void start(SamplerDocument page) {
    if (going.add(page.name())) {
      worker.execute(
          () -> {
            try {
              workOut(page);
            } finally {
              going.remove(page.name());
            }
          });
    }
  }

  private void workOut(SamplerDocument page) {
    for (Block block : page.blocks()) {
      if (block.content() instanceof Block.Answer) {
        attempt(page, () -> samplers.answer(page, block.name(), page.begins()));
      }
    }
    for (SamplerDocument.Choice choice : page.choices().values()) {
      attempt(page, () -> samplers.values(page, choice.column().text(), page.begins()));
    }
  }

  /** A block that cannot be answered does not keep the others from it. */
  private static void attempt(SamplerDocument page, Runnable ask) {
    try {
      ask.run();
    } catch (RuntimeException e) {
      LOG.warn("Sampler {} is not refreshed in full: {}", page.name(), e.getMessage());
    }
  }

  @Override
  public void destroy() {
    worker.shutdownNow();
  }
}
