package yardage.core.format.shape;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import yardage.core.column.Bits;
import yardage.core.column.Column;
import yardage.core.column.ListColumn;
import yardage.core.column.StructColumn;
import yardage.core.column.Type;
import yardage.core.format.record.FieldFailures;
import yardage.core.format.record.FieldParser;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.FieldSpans;

/**
 * A place for the values of one part of a record. {@link #open} makes room for one value, which is
 * null until it is set; the slots below are opened with it, so that all of them stay in step. One
 * thread at a time.
 */
public abstract sealed class Slot {
  final FieldRule rule;
  int count;

  Slot(FieldRule rule) {
    this.rule = rule;
  }

  /** A slot for values of the rule's type. */
  public static Slot of(FieldRule rule, int ordinal) {
    return switch (rule.type().kind()) {
      case STRUCT -> new Struct(rule, ordinal);
      case LIST -> new Sequence(rule, of(part(rule, Type.ELEMENT, rule.type().element()), ordinal));
      case MAP ->
          new Sequence(rule, new Struct(rule.of(rule.name(), rule.type().entry(), false), ordinal));
      default -> new Leaf(rule, ordinal);
    };
  }

  private static FieldRule part(FieldRule whole, String name, Type type) {
    return whole.of(whole.name() + "." + name, type, false);
  }

  public final Type type() {
    return rule.type();
  }

  public final String name() {
    return rule.name();
  }

  /** Makes room for a value of record {@code row}. */
  public abstract void open(int row);

  /** Whether the value last made room for was set. */
  public abstract boolean isSet();

  /** Gives back the values beyond {@code mark}, which {@link #mark} gave before a record. */
  abstract void reset(int[] marks, int[] at);

  abstract void mark(int[] marks, int[] at);

  abstract int slots();

  abstract Column build(byte[] buffer, FieldFailures failures);

  abstract void clear();

  /** A value without parts: a span of text. */
  public static final class Leaf extends Slot {
    private final FieldParser parser;
    private final FieldSpans spans = new FieldSpans();
    private final FieldFailures own = new FieldFailures();
    private final int ordinal;
    private int[] rows = new int[64];

    Leaf(FieldRule rule, int ordinal) {
      super(rule);
      this.parser = new FieldParser(rule, 0, ordinal, FieldParser.Quoting.NONE);
      this.ordinal = ordinal;
      spans.starts = new int[64];
      spans.ends = new int[64];
      spans.width = 1;
      spans.suspicious = true;
    }

    @Override
    public void open(int row) {
      if (count == rows.length) {
        rows = Arrays.copyOf(rows, count * 2);
        spans.starts = Arrays.copyOf(spans.starts, count * 2);
        spans.ends = Arrays.copyOf(spans.ends, count * 2);
      }
      spans.ends[count] = -1;
      rows[count++] = row;
    }

    @Override
    public boolean isSet() {
      return spans.ends[count - 1] >= 0;
    }

    /** The value is the text {@code [start, end)} of the buffer that the columns are built from. */
    public void set(int start, int end) {
      spans.starts[count - 1] = start;
      spans.ends[count - 1] = end;
    }

    @Override
    void mark(int[] marks, int[] at) {
      marks[at[0]++] = count;
    }

    @Override
    void reset(int[] marks, int[] at) {
      count = marks[at[0]++];
    }

    @Override
    int slots() {
      return 1;
    }

    @Override
    void clear() {
      count = 0;
    }

    @Override
    Column build(byte[] buffer, FieldFailures failures) {
      spans.buffer = buffer;
      spans.count = count;
      own.clear();
      Column out = parser.parse(spans, own);
      for (int i = 0; i < own.count(); i++) {
        failures.add(rows[own.row(i)], own.failure(i));
      }
      for (long n = own.nulledOf(ordinal); n > 0; n--) {
        failures.nulled(ordinal);
      }
      return out;
    }
  }

  /** A value of named parts. */
  public static final class Struct extends Slot {
    private final List<Slot> fields = new ArrayList<>();
    private final String[] names;
    private boolean[] there = new boolean[64];
    private int hint;

    Struct(FieldRule rule, int ordinal) {
      super(rule);
      for (Type.Part p : rule.type().parts()) {
        fields.add(Slot.of(part(rule, p.name(), p.type()), ordinal));
      }
      names = rule.type().parts().stream().map(Type.Part::name).toArray(String[]::new);
    }

    public List<Slot> fields() {
      return fields;
    }

    /** The field of that name, or null; names mostly come in the order of the fields. */
    public Slot field(String name) {
      for (int i = 0; i < names.length; i++) {
        int at = hint + i < names.length ? hint + i : hint + i - names.length;
        if (names[at].equals(name)) {
          hint = at + 1 == names.length ? 0 : at + 1;
          return fields.get(at);
        }
      }
      return null;
    }

    /** The field {@code @name}, or else the field of that name, or null. */
    public Slot attribute(String name) {
      for (int i = 0; i < names.length; i++) {
        if (names[i].length() == name.length() + 1
            && names[i].charAt(0) == '@'
            && names[i].endsWith(name)) {
          return fields.get(i);
        }
      }
      return field(name);
    }

    @Override
    public void open(int row) {
      if (count == there.length) {
        there = Arrays.copyOf(there, count * 2);
      }
      there[count++] = false;
      for (int i = 0; i < names.length; i++) {
        fields.get(i).open(row);
      }
    }

    @Override
    public boolean isSet() {
      return there[count - 1];
    }

    /** The value is there; its fields are null until they are set. */
    public void set() {
      there[count - 1] = true;
    }

    @Override
    void mark(int[] marks, int[] at) {
      marks[at[0]++] = count;
      for (int i = 0; i < names.length; i++) {
        fields.get(i).mark(marks, at);
      }
    }

    @Override
    void reset(int[] marks, int[] at) {
      count = marks[at[0]++];
      for (Slot field : fields) {
        field.reset(marks, at);
      }
    }

    @Override
    int slots() {
      return 1 + fields.stream().mapToInt(Slot::slots).sum();
    }

    @Override
    void clear() {
      count = 0;
      fields.forEach(Slot::clear);
    }

    @Override
    Column build(byte[] buffer, FieldFailures failures) {
      List<Column> out = new ArrayList<>();
      for (Slot field : fields) {
        out.add(field.build(buffer, failures));
      }
      long[] nulls = null;
      for (int i = 0; i < count; i++) {
        if (!there[i]) {
          nulls = nulls == null ? Bits.allocate(count) : nulls;
          Bits.set(nulls, i);
        }
      }
      return new StructColumn(type(), out, nulls, count);
    }
  }

  /** A list, or the entries of a map. */
  public static final class Sequence extends Slot {
    private final Slot element;
    private int[] offsets = new int[65];
    private boolean[] there = new boolean[64];
    private int row;

    Sequence(FieldRule rule, Slot element) {
      super(rule);
      this.element = element;
    }

    @Override
    public void open(int row) {
      if (count == there.length) {
        there = Arrays.copyOf(there, count * 2);
        offsets = Arrays.copyOf(offsets, count * 2 + 1);
      }
      this.row = row;
      there[count++] = false;
      offsets[count] = element.count;
    }

    @Override
    public boolean isSet() {
      return there[count - 1];
    }

    /** The value is there, without elements so far. */
    public void set() {
      there[count - 1] = true;
    }

    /** Makes room for one more element, and gives its slot. */
    public Slot add() {
      element.open(row);
      offsets[count] = element.count;
      return element;
    }

    @Override
    void mark(int[] marks, int[] at) {
      marks[at[0]++] = count;
      element.mark(marks, at);
    }

    @Override
    void reset(int[] marks, int[] at) {
      count = marks[at[0]++];
      element.reset(marks, at);
    }

    @Override
    int slots() {
      return 1 + element.slots();
    }

    @Override
    void clear() {
      count = 0;
      element.clear();
    }

    @Override
    Column build(byte[] buffer, FieldFailures failures) {
      long[] nulls = null;
      for (int i = 0; i < count; i++) {
        if (!there[i]) {
          nulls = nulls == null ? Bits.allocate(count) : nulls;
          Bits.set(nulls, i);
        }
      }
      return new ListColumn(
          type(), Arrays.copyOf(offsets, count + 1), element.build(buffer, failures), nulls, count);
    }
  }
}
