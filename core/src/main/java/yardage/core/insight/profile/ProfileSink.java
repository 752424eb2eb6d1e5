package yardage.core.insight.profile;

import java.util.ArrayList;
import java.util.List;
import java.util.stream.IntStream;
import yardage.core.column.Schema;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.Sink;
import yardage.core.exec.StepTally;
import yardage.core.exec.Worker;

/** Takes rows and makes a {@link Profile} of them. */
public final class ProfileSink implements Sink {
  private final Schema schema;
  private final MemoryPool.Reservation reserved;
  private final List<List<ColumnProfiler>> workers = new ArrayList<>();
  private Profile profile = new Profile(0, List.of());

  public ProfileSink(Schema schema, StepTally tally, ExecutionContext context) {
    this.schema = schema;
    this.reserved = context.memory().reservation(tally, "a profile");
  }

  @Override
  public synchronized BatchConsumer consumer(Worker worker) {
    reserved.resize((workers.size() + 1L) * schema.size() * ColumnProfiler.BYTES);
    int ordinal = workers.size();
    List<ColumnProfiler> columns =
        IntStream.range(0, schema.size())
            .mapToObj(c -> new ColumnProfiler(31L * ordinal + c))
            .toList();
    workers.add(columns);
    return batch -> {
      for (int c = 0; c < columns.size(); c++) {
        columns.get(c).see(batch.column(c));
      }
    };
  }

  @Override
  public void finish() {
    List<Profile.ColumnProfile> out = new ArrayList<>();
    long rows = 0;
    for (int c = 0; c < schema.size(); c++) {
      int column = c;
      Summary summary =
          Summary.of(schema.field(c), workers.stream().map(w -> w.get(column)).toList());
      rows = summary.rows();
      out.add(summary.profile());
    }
    if (schema.size() > 0) {
      profile = new Profile(rows, out);
    }
    release();
  }

  @Override
  public void abort() {
    release();
  }

  private void release() {
    workers.clear();
    reserved.close();
  }

  /** What was found; nothing before the end. */
  public Profile profile() {
    return profile;
  }
}
