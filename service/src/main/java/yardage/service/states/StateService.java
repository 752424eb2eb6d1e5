package yardage.service.states;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import org.springframework.transaction.support.TransactionTemplate;
import yardage.core.document.Names;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.Replays;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Renaming;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.DocumentStore.Kind;
import yardage.service.documents.StoredDocument;
import yardage.service.lake.LakeService;
import yardage.service.schedules.ScheduleService;
import yardage.service.web.ApiException;

/** Removes, pauses and renames pipelines and feeds, and sees to what hangs on them. */
@Service
class StateService {
  private final DocumentStore documents;
  private final ScheduleService schedules;
  private final LakeService lake;
  private final NamesMapper names;
  private final TransactionTemplate transactions;

  StateService(
      DocumentStore documents,
      ScheduleService schedules,
      LakeService lake,
      NamesMapper names,
      TransactionTemplate transactions) {
    this.documents = documents;
    this.schedules = schedules;
    this.lake = lake;
    this.names = names;
    this.transactions = transactions;
  }

  /**
   * @return what stays, in words
   */
  String remove(Kind kind, String name, String by) {
    documents.require(kind, name);
    if (kind == Kind.FEED) {
      Map<String, StoredDocument> readers = readers(name);
      if (!readers.isEmpty()) {
        throw new ApiException(
            HttpStatus.CONFLICT,
            "in-use",
            "Feed [%s] is read by %s".formatted(name, String.join(", ", readers.keySet())),
            "Remove these pipelines first, or let them read another feed");
      }
    } else {
      refuseAtWork(List.of(name));
    }
    transactions.executeWithoutResult(
        status -> {
          documents.remove(kind, name, by);
          if (kind == Kind.PIPELINE) {
            schedules.scheduleChanged(name, Optional.empty());
          }
        });
    return kind == Kind.FEED
        ? "Its files, and what was taken in from them, stay"
        : "Its tables, its runs and what it has taken in stay";
  }

  void restore(Kind kind, String name) {
    transactions.executeWithoutResult(
        status -> {
          StoredDocument back = documents.restore(kind, name);
          if (kind == Kind.PIPELINE) {
            schedules.scheduleChanged(name, PipelineDocument.parse(back.text()).schedule());
          }
        });
  }

  /**
   * Gives a pipeline or feed another name, everywhere: in its own text, in the pipelines that read
   * the feed, in the ledger and in the records of runs.
   *
   * @return the pipelines whose text was changed
   */
  List<String> rename(Kind kind, String name, String next, String by) {
    String text = documents.require(kind, name).text();
    String renamed =
        Renaming.ofDocument(text, kind == Kind.FEED ? "feed" : "pipeline", next)
            .filter(t -> isSound(kind, t))
            .orElseThrow(
                () ->
                    new ApiException(
                        HttpStatus.UNPROCESSABLE_ENTITY,
                        "wrong-name",
                        Names.wrongOfDocument(next),
                        "Choose another name"));
    Map<String, StoredDocument> readers = kind == Kind.FEED ? readers(name) : Map.of();
    refuseAtWork(kind == Kind.FEED ? List.copyOf(readers.keySet()) : List.of(name));
    documents.refuseTaken(kind, name, next);
    // Copied before and left after: whichever name the records say, its replayed rows are there.
    if (kind == Kind.FEED) {
      Replays.copyFolder(lake.lake().inbox(), name, next);
    }
    transactions.executeWithoutResult(
        status -> {
          documents.rename(kind, name, next, renamed, by);
          if (kind == Kind.FEED) {
            feedRenamed(name, next, readers, by);
          } else {
            names.runs(name, next);
            names.intakeOfPipeline(name, next);
            names.pastOfPipeline(name, next);
            schedules.renamed(name, next);
          }
        });
    if (kind == Kind.FEED) {
      Replays.leaveFolder(lake.lake().inbox(), name, next);
    }
    return new ArrayList<>(readers.keySet());
  }

  private void feedRenamed(
      String name, String next, Map<String, StoredDocument> readers, String by) {
    names.intakeOfFeed(name, next);
    names.pastOfFeed(name, next);
    names.intakesOfFeed(name, next);
    names.quarantine(name, next);
    names.replaysTaken(next, Replays.folderOf(name), Replays.folderOf(next));
    names.replaysMade(Replays.folderOf(name), Replays.folderOf(next));
    readers.forEach(
        (pipeline, d) ->
            documents.save(
                Kind.PIPELINE,
                pipeline,
                Renaming.ofFeed(d.text(), name, next),
                by,
                Optional.of(d.version())));
  }

  private static boolean isSound(Kind kind, String text) {
    return kind == Kind.FEED
        ? FeedDefinition.parse(text).feed().isPresent()
        : PipelineDocument.parse(text).isNamedWell();
  }

  /** The pipelines that read a feed. */
  private Map<String, StoredDocument> readers(String feed) {
    Map<String, StoredDocument> out = new TreeMap<>();
    for (StoredDocument d : documents.latest(Kind.PIPELINE)) {
      if (PipelineCheck.feedsOf(PipelineDocument.parse(d.text())).contains(feed)) {
        out.put(d.name(), d);
      }
    }
    return out;
  }

  private void refuseAtWork(List<String> pipelines) {
    for (String pipeline : pipelines) {
      if (names.runsAtWork(pipeline) > 0) {
        throw new ApiException(
            HttpStatus.CONFLICT,
            "at-work",
            "A run of pipeline [%s] is queued or running".formatted(pipeline),
            "Wait until it has ended, or cancel it: yardage runs --pipeline " + pipeline);
      }
    }
  }
}
