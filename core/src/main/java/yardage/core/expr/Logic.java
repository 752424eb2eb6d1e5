package yardage.core.expr;

import yardage.core.column.*;

/** Three-valued AND, OR and NOT, and the tests that turn null into a truth value. */
public final class Logic {
  private Logic() {}

  /** AND or OR of two sides: false decides an AND and true an OR, whatever the other side is. */
  public record Junction(boolean and, Expression left, Expression right) implements Expression {
    @Override
    public Type type() {
      return Type.BOOLEAN;
    }

    @Override
    public Column evaluate(Batch batch) {
      BooleanColumn a = (BooleanColumn) left.evaluate(batch);
      BooleanColumn b = (BooleanColumn) right.evaluate(batch);
      int n = batch.rowCount();
      byte[] x = a.values();
      byte[] y = b.values();
      byte[] out = new byte[n];
      if (!a.hasNulls() && !b.hasNulls()) {
        for (int i = 0; i < n; i++) {
          out[i] = (byte) (and ? x[i] & y[i] : x[i] | y[i]);
        }
        return new BooleanColumn(out, null, n);
      }
      long[] nulls = Bits.allocate(n);
      byte deciding = (byte) (and ? 0 : 1);
      for (int i = 0; i < n; i++) {
        boolean xNull = a.isNull(i);
        boolean yNull = b.isNull(i);
        if ((!xNull && x[i] == deciding) || (!yNull && y[i] == deciding)) {
          out[i] = deciding;
        } else if (xNull || yNull) {
          Bits.set(nulls, i);
        } else {
          out[i] = (byte) (1 - deciding);
        }
      }
      return new BooleanColumn(out, nulls, n);
    }
  }

  /** NOT. */
  public record Not(Expression operand) implements Expression {
    @Override
    public Type type() {
      return Type.BOOLEAN;
    }

    @Override
    public Column evaluate(Batch batch) {
      BooleanColumn a = (BooleanColumn) operand.evaluate(batch);
      byte[] out = new byte[a.size()];
      for (int i = 0; i < out.length; i++) {
        out[i] = (byte) (a.values()[i] ^ 1);
      }
      return new BooleanColumn(out, a.nulls(), out.length);
    }
  }

  /** {@code IS [NOT] NULL}. */
  public record IsNull(Expression operand, boolean negated) implements Expression {
    @Override
    public Type type() {
      return Type.BOOLEAN;
    }

    @Override
    public Column evaluate(Batch batch) {
      Column a = operand.evaluate(batch);
      byte[] out = new byte[a.size()];
      for (int i = 0; i < out.length; i++) {
        out[i] = (byte) (a.isNull(i) != negated ? 1 : 0);
      }
      return new BooleanColumn(out, null, out.length);
    }
  }

  /** {@code IS [NOT] TRUE} and {@code IS [NOT] FALSE}. */
  public record IsTruth(Expression operand, boolean truth, boolean negated) implements Expression {
    @Override
    public Type type() {
      return Type.BOOLEAN;
    }

    @Override
    public Column evaluate(Batch batch) {
      BooleanColumn a = (BooleanColumn) operand.evaluate(batch);
      byte[] out = new byte[a.size()];
      byte wanted = (byte) (truth ? 1 : 0);
      for (int i = 0; i < out.length; i++) {
        boolean is = !a.isNull(i) && a.values()[i] == wanted;
        out[i] = (byte) (is != negated ? 1 : 0);
      }
      return new BooleanColumn(out, null, out.length);
    }
  }

  /**
   * The numbers of the rows for which {@code condition} is true, in {@code rows}; returns how many.
   */
  public static int select(BooleanColumn condition, int[] rows) {
    byte[] v = condition.values();
    int n = condition.size();
    int count = 0;
    if (!condition.hasNulls()) {
      for (int i = 0; i < n; i++) {
        rows[count] = i;
        count += v[i];
      }
    } else {
      long[] nulls = condition.nulls();
      for (int i = 0; i < n; i++) {
        rows[count] = i;
        count += v[i] & (int) (~(nulls[i >> 6] >>> i) & 1);
      }
    }
    return count;
  }
}
