package yardage.core.expr;

import java.util.List;
import yardage.core.column.*;

/**
 * {@code CASE WHEN … THEN … ELSE … END}, and through it COALESCE and NULLIF. A branch sees only the
 * rows that reach it, so a guard keeps its branch from failing on the others.
 */
public record CaseWhen(
    List<Expression> conditions, List<Expression> results, Expression otherwise, Type type)
    implements Expression {

  public CaseWhen {
    conditions = List.copyOf(conditions);
    results = List.copyOf(results);
  }

  @Override
  public Column evaluate(Batch batch) {
    int n = batch.rowCount();
    int[] left = new int[n];
    for (int i = 0; i < n; i++) {
      left[i] = i;
    }
    int leftCount = n;
    ColumnBuilder parts = ColumnBuilder.of(type);
    int[] placeOf = new int[n];
    for (int c = 0; c <= conditions.size() && leftCount > 0; c++) {
      Batch rest = leftCount == n ? batch : batch.gather(left, leftCount);
      int[] taken = new int[leftCount];
      int takenCount = leftCount;
      if (c < conditions.size()) {
        takenCount = Logic.select((BooleanColumn) conditions.get(c).evaluate(rest), taken);
      } else {
        for (int i = 0; i < leftCount; i++) {
          taken[i] = i;
        }
      }
      if (takenCount == 0) {
        continue;
      }
      Batch mine = takenCount == leftCount ? rest : rest.gather(taken, takenCount);
      Expression result = c < conditions.size() ? results.get(c) : otherwise;
      Column values = Cast.to(result.evaluate(mine), type);
      if (takenCount == n) {
        return values;
      }
      for (int i = 0; i < takenCount; i++) {
        placeOf[left[taken[i]]] = parts.size() + i;
      }
      parts.appendAll(values);
      int next = 0;
      for (int i = 0, t = 0; i < leftCount; i++) {
        if (t < takenCount && taken[t] == i) {
          t++;
        } else {
          left[next++] = left[i];
        }
      }
      leftCount = next;
    }
    return parts.build().gather(placeOf, n);
  }
}
