package yardage.core.lake;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.function.IntFunction;
import org.apache.iceberg.expressions.Expression;
import org.apache.iceberg.expressions.Expressions;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.expr.Literal;
import yardage.core.format.parquet.ColumnFilter;
import yardage.core.format.parquet.DataFileReader;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.FirstValues;
import yardage.core.plan.KeyRange;
import yardage.core.plan.RowCondition;

/**
 * A condition by which a scan leaves out files, row groups and pages.
 *
 * @param files as the table format's library has it
 * @param parts of files
 */
record ScanFilter(Expression files, ColumnFilter parts) {
  String words() {
    return parts.words();
  }

  /** All of them together, for the library. */
  static Expression all(List<ScanFilter> filters) {
    return filters.stream()
        .map(ScanFilter::files)
        .reduce(Expressions.alwaysTrue(), Expressions::and);
  }

  /**
   * @param wanted a column of the schema, as files have it
   * @param columns those that are read, by their places in the schema
   */
  static List<ScanFilter> of(
      Schema schema,
      IntFunction<DataFileReader.Wanted> wanted,
      int[] columns,
      List<ColumnPredicate> predicates,
      List<RowCondition> counting) {
    List<ScanFilter> out = new ArrayList<>();
    for (ColumnPredicate predicate : predicates) {
      DataFileReader.Wanted column = wanted.apply(schema.indexOf(predicate.column()));
      out.add(new ScanFilter(Predicates.of(predicate), ColumnFilter.of(predicate, column)));
    }
    for (RowCondition condition : counting) {
      if (condition instanceof KeyRange range) {
        int column = columns[range.column()];
        keys(range, schema.field(column).name(), wanted.apply(column)).ifPresent(out::add);
      } else if (condition instanceof FirstValues first) {
        int column = columns[first.column()];
        ColumnFilter parts =
            ColumnFilter.of(first.reach(), schema.field(column).name(), wanted.apply(column));
        out.add(new ScanFilter(Expressions.alwaysTrue(), parts));
      }
    }
    return out;
  }

  private static Optional<ScanFilter> keys(
      KeyRange range, String name, DataFileReader.Wanted column) {
    Type type = column.type();
    boolean isInt = type.held() == Type.Held.INTS;
    if (!isInt && (type.held() != Type.Held.LONGS || type.kind() == Type.Kind.DECIMAL)) {
      return Optional.empty();
    }
    KeyRange as =
        new KeyRange(
            range.column(),
            held(range.smallest(), isInt),
            held(range.largest(), isInt),
            range.once(),
            range.which());
    Expression files =
        Expressions.and(
            Predicates.of(compared(name, ColumnPredicate.Op.GE, type, as.smallest())),
            Predicates.of(compared(name, ColumnPredicate.Op.LE, type, as.largest())));
    return Optional.of(new ScanFilter(files, ColumnFilter.of(as, name, column)));
  }

  private static ColumnPredicate compared(
      String column, ColumnPredicate.Op op, Type type, Object value) {
    return new ColumnPredicate.Compared(column, op, Literal.of(type, value));
  }

  /** A key as a column holds it; one that it cannot hold is beyond its values. */
  private static Object held(Object key, boolean isInt) {
    long value = ((Number) key).longValue();
    return isInt
        ? (Object) (int) Math.max(Integer.MIN_VALUE, Math.min(Integer.MAX_VALUE, value))
        : (Object) value;
  }
}
