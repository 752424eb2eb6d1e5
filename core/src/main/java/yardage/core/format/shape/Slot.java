package yardage.core.format.shape;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import yardage.core.column.Bits;
import yardage.core.column.Column;
import yardage.core.column.ListColumn;
import yardage.core.column.StructColumn;
import yardage.core.column.Type;
import yardage.core.column.Values;
import yardage.core.format.record.FieldFailures;
import yardage.core.format.record.FieldParser;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.FieldSpans;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RejectedRecord;

/**
 * A place for the values of one part of a record. {@link #open} makes room for one value, which is
 * null until it is set; the slots below are opened with it, so that all of them stay in step. One
 * thread at a time.
 */
public abstract sealed class Slot {
  final FieldRule rule;
  private final String path;
  int count;

  Slot(FieldRule rule, String path) {
    this.rule = rule;
    this.path = path;
  }

  /**
   * A slot for values of the rule's type.
   *
   * @param path where in a record they are found, for those who read messages
   */
  static Slot of(FieldRule rule, int ordinal, String path) {
    return switch (rule.type().kind()) {
      case STRUCT -> new Struct(rule, ordinal, path);
      case LIST ->
          new Sequence(
              rule, of(part(rule, Type.ELEMENT, rule.type().element()), ordinal, path), path);
      case MAP ->
          new Sequence(
              rule,
              new Struct(rule.of(rule.name(), rule.type().entry(), false), ordinal, path),
              path);
      default -> new Leaf(rule, ordinal, path);
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

  /** Where in a record its values are found; those of a list's elements are found at the list. */
  public final String path() {
    return path;
  }

  /** Makes room for a value of record {@code row}. */
  public abstract void open(int row);

  /** Whether the value last made room for was set. */
  public abstract boolean isSet();

  /** Gives back all values but the first {@code kept}. */
  abstract void cut(int kept);

  abstract Column build(byte[] buffer, FieldFailures failures);

  /** A value without parts: a span of text. */
  public static final class Leaf extends Slot {
    private final FieldParser parser;
    private final FieldSpans spans = new FieldSpans();
    private final FieldFailures own = new FieldFailures();
    private final int ordinal;
    private int[] rows = new int[64];

    Leaf(FieldRule rule, int ordinal, String path) {
      super(rule, path);
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
    void cut(int kept) {
      count = kept;
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
      for (long n = own.cutOf(ordinal); n > 0; n--) {
        failures.cut(ordinal);
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
    private final Slot[] inOrder;
    private final String[] names;

    /** For each field of the form {@code @name} the name alone; else null. */
    private final String[] attributes;

    private final Slot ownText;
    private final PartNames byBytes;
    private boolean[] there = new boolean[64];
    private int likely;

    Struct(FieldRule rule, int ordinal, String path) {
      super(rule, path);
      List<String> all = rule.type().parts().stream().map(Type.Part::name).toList();
      for (Type.Part p : rule.type().parts()) {
        fields.add(Slot.of(part(rule, p.name(), p.type()), ordinal, path + "." + p.name()));
      }
      inOrder = fields.toArray(Slot[]::new);
      names = all.stream().map(String::intern).toArray(String[]::new);
      attributes =
          all.stream()
              .map(n -> n.startsWith("@") ? n.substring(1).intern() : null)
              .toArray(String[]::new);
      ownText = all.contains(".") ? inOrder[all.indexOf(".")] : null;
      byBytes = new PartNames(all);
    }

    public List<Slot> fields() {
      return fields;
    }

    /** The field of that name, or null; names mostly come in the order of the fields. */
    public Slot field(String name) {
      int at = likely;
      for (int i = 0; i < names.length; i++) {
        int next = at + 1 == names.length ? 0 : at + 1;
        if (names[at].equals(name)) {
          likely = next;
          return inOrder[at];
        }
        at = next;
      }
      return null;
    }

    /** The names of its fields, in their order. */
    public PartNames names() {
      return byBytes;
    }

    /** The field {@code @name}, or else the field of that name, or null. */
    public Slot attribute(String name) {
      for (int i = 0; i < attributes.length; i++) {
        if (name.equals(attributes[i])) {
          return inOrder[i];
        }
      }
      return field(name);
    }

    /** The field {@code .}, for the text of an element itself, or null. */
    public Slot ownText() {
      return ownText;
    }

    @Override
    public void open(int row) {
      if (count == there.length) {
        there = Arrays.copyOf(there, count * 2);
      }
      there[count++] = false;
      for (Slot field : inOrder) {
        field.open(row);
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
    void cut(int kept) {
      count = kept;
      for (Slot field : fields) {
        field.cut(kept);
      }
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
    private int[] rows = new int[64];
    private int row;

    Sequence(FieldRule rule, Slot element, String path) {
      super(rule, path);
      this.element = element;
    }

    @Override
    public void open(int row) {
      if (count == there.length) {
        there = Arrays.copyOf(there, count * 2);
        offsets = Arrays.copyOf(offsets, count * 2 + 1);
        rows = Arrays.copyOf(rows, count * 2);
      }
      this.row = row;
      rows[count] = row;
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
    void cut(int kept) {
      count = kept;
      element.cut(offsets[kept]);
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
      Column elements = element.build(buffer, failures);
      if (type().kind() == Type.Kind.MAP) {
        tellRepeated(((StructColumn) elements).fields().get(0), failures);
      }
      return new ListColumn(type(), Arrays.copyOf(offsets, count + 1), elements, nulls, count);
    }

    /** A key that is there twice has two values, and a map gives one. */
    private void tellRepeated(Column keys, FieldFailures failures) {
      Set<Object> seen = new HashSet<>();
      for (int i = 0; i < count; i++) {
        if (offsets[i + 1] - offsets[i] < 2) {
          continue;
        }
        seen.clear();
        for (int e = offsets[i]; e < offsets[i + 1]; e++) {
          if (!seen.add(keys.value(e))) {
            failures.add(
                rows[i],
                new RejectedRecord.Failure(
                    name(),
                    Reason.REPEATED_FIELD,
                    "the key [%s] is there more than once".formatted(Values.text(keys.value(e)))));
            break;
          }
        }
      }
    }
  }
}
