package yardage.core.lake;

import java.util.HashMap;
import java.util.Map;
import java.util.Optional;
import org.apache.iceberg.DataFile;
import org.apache.iceberg.PartitionSpec;
import org.apache.iceberg.Schema;
import org.apache.iceberg.expressions.Evaluator;
import org.apache.iceberg.expressions.Expression;
import org.apache.iceberg.expressions.InclusiveMetricsEvaluator;
import org.apache.iceberg.expressions.Projections;
import yardage.core.exec.LeftOut;

/**
 * Whether a file may have rows that meet a filter, as its partition and the statistics of its
 * columns tell. One thread at a time.
 */
final class FileTest {
  private final Map<Integer, PartitionSpec> specs;
  private final Expression filter;
  private final InclusiveMetricsEvaluator statistics;
  private final Map<Integer, Evaluator> partitions = new HashMap<>();

  /**
   * @param specs how files are partitioned, by the numbers that they name
   */
  FileTest(Schema schema, Map<Integer, PartitionSpec> specs, Expression filter) {
    this.specs = specs;
    this.filter = filter;
    this.statistics = new InclusiveMetricsEvaluator(schema, filter);
  }

  /** What tells that a file has none; empty where it may have. */
  Optional<LeftOut.By> ruledOut(DataFile file) {
    Evaluator partition =
        partitions.computeIfAbsent(
            file.specId(),
            id ->
                new Evaluator(
                    specs.get(id).partitionType(),
                    Projections.inclusive(specs.get(id)).project(filter)));
    if (!partition.eval(file.partition())) {
      return Optional.of(LeftOut.By.PARTITION);
    }
    return statistics.eval(file) ? Optional.empty() : Optional.of(LeftOut.By.STATISTICS);
  }
}
