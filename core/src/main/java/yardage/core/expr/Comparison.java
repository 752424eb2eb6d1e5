package yardage.core.expr;

import yardage.core.column.*;

/**
 * {@code = <> < <= > >=}; null when either side is. Text compares by code point, without padding.
 */
public record Comparison(Op op, Expression left, Expression right) implements Expression {
  /** The operators. */
  public enum Op {
    EQ,
    NE,
    LT,
    LE,
    GT,
    GE
  }

  @Override
  public Type type() {
    return Type.BOOLEAN;
  }

  @Override
  public Column evaluate(Batch batch) {
    Column a = left.evaluate(batch);
    Column b = right.evaluate(batch);
    // Three kernels serve six operators: a > b is b < a, and a <> b is the negation of a = b.
    return switch (op) {
      case EQ -> compare(Op.EQ, a, b, false);
      case NE -> compare(Op.EQ, a, b, true);
      case LT -> compare(Op.LT, a, b, false);
      case GT -> compare(Op.LT, b, a, false);
      case LE -> compare(Op.LE, a, b, false);
      case GE -> compare(Op.LE, b, a, false);
    };
  }

  private static Column compare(Op op, Column a, Column b, boolean negate) {
    int n = a.size();
    byte[] out = new byte[n];
    if (a.type().isNumeric() && b.type().isNumeric()) {
      Type common = NumberTypes.common(a.type(), b.type());
      if (common.isWide() && !Conform.fits(a.type(), common) | !Conform.fits(b.type(), common)) {
        return exactly(op, a, b, negate);
      }
      a = Numbers.convert(a, common);
      b = Numbers.convert(b, common);
    } else if (a.type().kind() == Type.Kind.DATE && b.type().kind() == Type.Kind.TIMESTAMP) {
      a = Dates.toTimestamp((IntColumn) a);
    } else if (a.type().kind() == Type.Kind.TIMESTAMP && b.type().kind() == Type.Kind.DATE) {
      b = Dates.toTimestamp((IntColumn) b);
    }
    if (a instanceof IntColumn x) {
      ints(op, x.values(), ((IntColumn) b).values(), out, n);
    } else if (a instanceof LongColumn x) {
      longs(op, x.values(), ((LongColumn) b).values(), out, n);
    } else if (a instanceof WideColumn x) {
      wides(op, x, (WideColumn) b, out, n);
    } else if (a instanceof DoubleColumn x) {
      doubles(op, x.values(), ((DoubleColumn) b).values(), out, n);
    } else if (a instanceof BooleanColumn x) {
      byte[] p = x.values();
      byte[] q = ((BooleanColumn) b).values();
      for (int i = 0; i < n; i++) {
        out[i] =
            (byte)
                ((op == Op.EQ ? p[i] == q[i] : op == Op.LT ? p[i] < q[i] : p[i] <= q[i]) ? 1 : 0);
      }
    } else {
      texts(op, (TextColumn) a, (TextColumn) b, out);
    }
    if (negate) {
      for (int i = 0; i < n; i++) {
        out[i] ^= 1;
      }
    }
    return new BooleanColumn(out, Bits.or(a.nulls(), b.nulls()), n);
  }

  /** For numbers of so many digits that no type holds both. */
  private static Column exactly(Op op, Column a, Column b, boolean negate) {
    byte[] out = new byte[a.size()];
    long[] nulls = Bits.or(a.nulls(), b.nulls());
    for (int i = 0; i < out.length; i++) {
      if (!Bits.get(nulls, i)) {
        int c = Numbers.exact(a, i).compareTo(Numbers.exact(b, i));
        boolean is = op == Op.EQ ? c == 0 : op == Op.LT ? c < 0 : c <= 0;
        out[i] = (byte) (is != negate ? 1 : 0);
      }
    }
    return new BooleanColumn(out, nulls, out.length);
  }

  private static void ints(Op op, int[] x, int[] y, byte[] out, int n) {
    switch (op) {
      case EQ:
        for (int i = 0; i < n; i++) {
          out[i] = (byte) (x[i] == y[i] ? 1 : 0);
        }
        break;
      case LT:
        for (int i = 0; i < n; i++) {
          out[i] = (byte) (x[i] < y[i] ? 1 : 0);
        }
        break;
      default:
        for (int i = 0; i < n; i++) {
          out[i] = (byte) (x[i] <= y[i] ? 1 : 0);
        }
    }
  }

  private static void longs(Op op, long[] x, long[] y, byte[] out, int n) {
    switch (op) {
      case EQ:
        for (int i = 0; i < n; i++) {
          out[i] = (byte) (x[i] == y[i] ? 1 : 0);
        }
        break;
      case LT:
        for (int i = 0; i < n; i++) {
          out[i] = (byte) (x[i] < y[i] ? 1 : 0);
        }
        break;
      default:
        for (int i = 0; i < n; i++) {
          out[i] = (byte) (x[i] <= y[i] ? 1 : 0);
        }
    }
  }

  private static void wides(Op op, WideColumn a, WideColumn b, byte[] out, int n) {
    if (op == Op.EQ) {
      for (int i = 0; i < n; i++) {
        out[i] = (byte) (a.low()[i] == b.low()[i] && a.high()[i] == b.high()[i] ? 1 : 0);
      }
    } else {
      int bound = op == Op.LT ? 0 : 1;
      for (int i = 0; i < n; i++) {
        int c = Int128.compare(a.high()[i], a.low()[i], b.high()[i], b.low()[i]);
        out[i] = (byte) (c < bound ? 1 : 0);
      }
    }
  }

  private static void doubles(Op op, double[] x, double[] y, byte[] out, int n) {
    switch (op) {
      case EQ:
        for (int i = 0; i < n; i++) {
          out[i] = (byte) (x[i] == y[i] ? 1 : 0);
        }
        break;
      case LT:
        for (int i = 0; i < n; i++) {
          out[i] = (byte) (x[i] < y[i] ? 1 : 0);
        }
        break;
      default:
        for (int i = 0; i < n; i++) {
          out[i] = (byte) (x[i] <= y[i] ? 1 : 0);
        }
    }
  }

  private static void texts(Op op, TextColumn a, TextColumn b, byte[] out) {
    if (a.isDictionary() && isOne(b)) {
      Texts.byEntry(a, out, byEntry -> eachText(op, a.entries(), one(b, byEntry.length), byEntry));
    } else if (b.isDictionary() && isOne(a)) {
      Texts.byEntry(b, out, byEntry -> eachText(op, one(a, byEntry.length), b.entries(), byEntry));
    } else {
      eachText(op, a, b, out);
    }
  }

  /** Whether all rows have the same text. */
  private static boolean isOne(TextColumn text) {
    return text.codes() != null && text.entryCount() == 1;
  }

  private static TextColumn one(TextColumn text, int rows) {
    return TextColumn.coded(text.bytes(), text.offsets(), 1, new int[rows], null, rows);
  }

  private static void eachText(Op op, TextColumn a, TextColumn b, byte[] out) {
    if (op == Op.EQ) {
      for (int i = 0; i < out.length; i++) {
        out[i] = (byte) (a.equalAt(i, b, i) ? 1 : 0);
      }
    } else {
      int bound = op == Op.LT ? 0 : 1;
      for (int i = 0; i < out.length; i++) {
        out[i] = (byte) (a.compareAt(i, b, i) < bound ? 1 : 0);
      }
    }
  }
}
