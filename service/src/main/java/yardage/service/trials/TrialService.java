package yardage.service.trials;

import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import org.springframework.stereotype.Service;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Sizes;
import yardage.core.pipeline.preview.Trial;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.pipeline.run.RunFailedException;
import yardage.service.lake.LakeService;
import yardage.service.looks.LookDesk;
import yardage.service.pipelines.Drafts;
import yardage.service.query.ShownRows;
import yardage.service.runs.IntakeLedger;
import yardage.service.runs.RunAccount;
import yardage.service.runs.RunQueue;
import yardage.service.runs.RunState;
import yardage.service.runs.RunView;
import yardage.service.web.ApiException;

/** Tries documents: all that a run does, but for publishing. */
@Service
class TrialService {
  private final Drafts drafts;
  private final LakeService lake;
  private final IntakeLedger ledger;
  private final LookDesk desk;
  private final Clock clock;

  TrialService(Drafts drafts, LakeService lake, IntakeLedger ledger, LookDesk desk, Clock clock) {
    this.drafts = drafts;
    this.lake = lake;
    this.ledger = ledger;
    this.desk = desk;
    this.clock = clock;
  }

  /**
   * @param examples how many rows of each kind and table come
   * @throws ApiException when the document has errors, or reads a table that is not there yet
   */
  TrialView trial(Drafts.Draft draft, int examples) {
    Drafts.Checked checked = drafts.check(draft);
    String name = checked.document().name();
    if (checked.check().hasErrors()) {
      throw ApiException.invalidDocument(name, checked.check().problems());
    }
    checked.requireTables(checked.document().steps().values());
    return desk.stay("trial", name, context -> trial(checked, examples, context));
  }

  private TrialView trial(Drafts.Checked checked, int examples, ExecutionContext context) {
    long start = System.nanoTime();
    Trial trial =
        Trial.of(
            checked.check(),
            new PipelineRun.Setting(
                RunQueue.TRIAL + UUID.randomUUID(),
                clock.instant(),
                lake.lake(),
                checked.catalog(),
                ledger.known(checked.document().name()),
                Optional.empty(),
                context,
                line -> {}),
            examples);
    RunAccount account =
        RunAccount.of(
            checked.check().steps(),
            trial.account(),
            trial.failure().isPresent() ? RunState.FAILED : RunState.SUCCEEDED);
    return new TrialView(
        checked.document().name(),
        trial.failure().map(TrialService::failure),
        account.steps(),
        account.balanced(),
        account.balance(),
        trial.setAsideByReason(),
        trial.checks().stream()
            .map(
                c ->
                    new TrialView.TrialCheck(
                        c.step(), c.rule(), c.outcome(), c.rows(), c.failed(), c.words()))
            .toList(),
        trial.warnings(),
        trial.tables().stream().map(TrialService::table).toList(),
        (System.nanoTime() - start) / 1_000_000);
  }

  private static RunView.Failure failure(RunFailedException e) {
    return new RunView.Failure(
        e.code(),
        e.step().isEmpty() ? Optional.empty() : Optional.of(e.step()),
        e.getMessage(),
        Optional.empty());
  }

  private static TrialView.TrialTable table(Trial.TableChange t) {
    return new TrialView.TrialTable(
        t.step(),
        t.table().toString(),
        t.mode().text(),
        t.before().isPresent() ? Optional.of(t.before().getAsLong()) : Optional.empty(),
        t.after(),
        t.files(),
        t.bytes(),
        t.key(),
        t.added(),
        t.removed(),
        t.changed(),
        t.changedColumns(),
        t.columnsAdded(),
        t.columnsRemoved(),
        t.columns(),
        t.examples().stream()
            .map(
                e ->
                    new TrialView.TrialRow(
                        e.kind(), e.values().stream().map(ShownRows::json).toList()))
            .toList(),
        words(t));
  }

  private static String words(Trial.TableChange t) {
    if (t.files() == 0 && t.added() + t.removed() + t.changed() == 0) {
      return "%s would stay as it is, with %,d rows".formatted(t.table(), t.after());
    }
    String written =
        "%,d %s, %s".formatted(t.files(), t.files() == 1 ? "file" : "files", Sizes.text(t.bytes()));
    if (t.isNew()) {
      return "%s would be a new table of %,d rows in %s".formatted(t.table(), t.after(), written);
    }
    List<String> out = new ArrayList<>();
    term(out, t.added(), "added");
    term(out, t.removed(), "removed");
    term(out, t.changed(), "changed");
    return "%s would go from %,d to %,d rows: %s; %s"
        .formatted(
            t.table(),
            t.before().orElse(0),
            t.after(),
            out.isEmpty() ? "the same rows, written again" : String.join(", ", out),
            written);
  }

  private static void term(List<String> out, long rows, String what) {
    if (rows > 0) {
      out.add("%,d %s".formatted(rows, what));
    }
  }
}
