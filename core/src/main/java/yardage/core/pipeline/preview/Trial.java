package yardage.core.pipeline.preview;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.stream.Collectors;
import yardage.core.column.Batch;
import yardage.core.exec.Executor;
import yardage.core.exec.StepTally;
import yardage.core.exec.Tally;
import yardage.core.lake.LakeException;
import yardage.core.lake.LakeTable;
import yardage.core.lake.Publication;
import yardage.core.lake.TableName;
import yardage.core.lake.WriteMode;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.compile.TableRelation;
import yardage.core.pipeline.insight.TableComparison;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.pipeline.run.CheckResults;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.pipeline.run.RunFailedException;
import yardage.core.task.TaskEndpoints;

/**
 * A whole run that publishes nothing: its account, and what it would change in each table.
 *
 * @param failure what would stop the run
 * @param tables in the order of the document; none where it would fail
 */
public record Trial(
    Optional<RunFailedException> failure,
    List<Tally> account,
    Map<String, Long> setAsideByReason,
    List<CheckResults.Result> checks,
    List<String> warnings,
    List<TableChange> tables) {
  public Trial {
    account = List.copyOf(account);
    setAsideByReason = Map.copyOf(setAsideByReason);
    checks = List.copyOf(checks);
    warnings = List.copyOf(warnings);
    tables = List.copyOf(tables);
  }

  /**
   * What would become of a table.
   *
   * @param before how many rows it has; empty where it is not there yet
   * @param after how many rows it would have
   * @param files how many files would be written, and how large they are together
   * @param key the columns that tell its rows apart; without them, a changed row counts as one
   *     removed and one added
   * @param columns of the examples
   * @param examples rows that would not be the same
   */
  public record TableChange(
      String step,
      TableName table,
      WriteMode mode,
      OptionalLong before,
      long after,
      long files,
      long bytes,
      List<String> key,
      long added,
      long removed,
      long changed,
      Map<String, Long> changedColumns,
      List<String> columnsAdded,
      List<String> columnsRemoved,
      List<String> columns,
      List<TableComparison.Example> examples) {
    public boolean isNew() {
      return before.isEmpty();
    }
  }

  /**
   * Tries a document.
   *
   * @param setting whose run is named unlike any other; no rows are kept that are set aside
   * @param mostExamples of each kind and table
   * @throws yardage.core.exec.CancelledException when it was cancelled
   */
  public static Trial of(PipelineCheck check, PipelineRun.Setting setting, int mostExamples) {
    PipelineRun run = new PipelineRun(check, setting);
    List<TableChange> tables = new ArrayList<>();
    Optional<RunFailedException> failure = Optional.empty();
    try {
      run.rehearse(
          made -> tables.addAll(new Looking(check, setting, run).look(made, mostExamples)));
    } catch (RunFailedException e) {
      failure = Optional.of(e);
    }
    return new Trial(
        failure,
        run.tallies(),
        run.setAsideByReason(),
        run.checkResults(),
        run.warnings(),
        failure.isPresent() ? List.of() : tables);
  }

  /** Holds tables as they would be against those that are there. */
  private record Looking(PipelineCheck check, PipelineRun.Setting setting, PipelineRun run) {

    List<TableChange> look(List<Publication.Rehearsed> made, int most) {
      Map<TableName, Publication.Rehearsed> byName =
          made.stream().collect(Collectors.toMap(Publication.Rehearsed::table, r -> r));
      Map<String, Tally> tallies =
          run.tallies().stream().collect(Collectors.toMap(Tally::step, t -> t));
      List<TableChange> out = new ArrayList<>();
      for (PipelineDocument.Step step : check.document().steps().values()) {
        if (step.verb() instanceof Verb.Write write) {
          Tally tally = tallies.get(step.name());
          Publication.Rehearsed table = byName.get(write.table());
          out.add(
              table == null
                  ? same(step.name(), write)
                  : table.before().isEmpty()
                      ? first(step.name(), write, table.after(), tally, most)
                      : change(step.name(), write, table, tally, most));
        }
      }
      return out;
    }

    private TableChange same(String step, Verb.Write write) {
      long rows = setting.catalog().table(write.table()).map(LakeTable::rowCount).orElse(0L);
      return new TableChange(
          step,
          write.table(),
          write.mode(),
          OptionalLong.of(rows),
          rows,
          0,
          0,
          List.of(),
          0,
          0,
          0,
          Map.of(),
          List.of(),
          List.of(),
          List.of(),
          List.of());
    }

    private TableChange first(
        String step, Verb.Write write, LakeTable after, Tally tally, int most) {
      return new TableChange(
          step,
          write.table(),
          write.mode(),
          OptionalLong.empty(),
          after.rowCount(),
          tally.filesWritten(),
          tally.bytesWritten(),
          List.of(),
          after.rowCount(),
          0,
          0,
          Map.of(),
          after.schema().names(),
          List.of(),
          after.schema().names(),
          rows(after, most));
    }

    private TableChange change(
        String step, Verb.Write write, Publication.Rehearsed table, Tally tally, int most) {
      LakeTable before = table.before().orElseThrow();
      List<String> key = key(write, step);
      TableComparison found;
      try {
        found = compare(before, table.after(), key, most);
      } catch (LakeException e) {
        // Several rows have the same key: nothing says which of them has changed.
        key = List.of();
        found = compare(before, table.after(), key, most);
      }
      return new TableChange(
          step,
          write.table(),
          write.mode(),
          OptionalLong.of(before.rowCount()),
          table.after().rowCount(),
          tally.filesWritten(),
          tally.bytesWritten(),
          key,
          found.added(),
          found.removed(),
          found.changed(),
          found.changedColumns(),
          found.columnsAdded(),
          found.columnsRemoved(),
          found.columns(),
          found.examples());
    }

    private TableComparison compare(LakeTable before, LakeTable after, List<String> key, int most) {
      return TableComparison.of(before, after, key, most, setting.execution(), setting.lake());
    }

    /** What tells rows apart: the key of the write, a dimension's, a fact's grain, groups. */
    private List<String> key(Verb.Write write, String step) {
      if (!write.key().isEmpty()) {
        return write.key().stream().map(Located::text).toList();
      }
      String from = check.document().steps().get(step).from().get(0).text();
      Verb before = check.document().steps().get(from).verb();
      if (before instanceof Verb.Dimension dimension) {
        return List.of(dimension.surrogate());
      } else if (before instanceof Verb.Fact fact) {
        return inTable(fact.grain(), step);
      } else if (before instanceof Verb.AggregateStep aggregate && aggregate.levels().isEmpty()) {
        return inTable(aggregate.by(), step);
      }
      return List.of();
    }

    /** Columns, where the table has all of them. */
    private List<String> inTable(List<Located> columns, String step) {
      List<String> names = columns.stream().map(Located::text).toList();
      return names.stream().allMatch(n -> check.schema(step).indexOf(n) >= 0) ? names : List.of();
    }

    private List<TableComparison.Example> rows(LakeTable table, int most) {
      StepTally tally = new StepTally("trial", "read");
      int[] all = table.schema().ordinals();
      List<Batch> batches =
          new Executor(setting.execution(), TaskEndpoints.reading(setting.lake()), s -> tally)
              .collect(
                  new TableRelation(table).read(all, List.of(), tally.step()), tally.step(), most);
      return Batch.rows(batches).stream()
          .limit(most)
          .map(row -> new TableComparison.Example("added", row))
          .toList();
    }
  }
}
