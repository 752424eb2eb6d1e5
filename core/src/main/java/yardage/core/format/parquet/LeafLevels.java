package yardage.core.format.parquet;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.apache.parquet.schema.GroupType;
import org.apache.parquet.schema.PrimitiveType;
import org.apache.parquet.schema.Type.Repetition;
import yardage.core.column.Column;
import yardage.core.column.ListColumn;
import yardage.core.column.StructColumn;

/**
 * One leaf of a nested column as a Parquet file holds it: for each entry how far the path to it is
 * defined, at which repeated part of the path it repeats, and which value it is (the striping of
 * Melnik and others, "Dremel", 2010).
 */
final class LeafLevels {
  final PrimitiveType type;
  final Column values;
  final int maxDefinition;
  final int maxRepetition;
  int count;
  int[] definitions;
  int[] repetitions;

  /** The row of {@link #values} of each entry, or -1 for an entry without a value. */
  int[] places;

  /**
   * @param rows how many entries may come beside those that have a value
   */
  private LeafLevels(
      PrimitiveType type, Column values, int maxDefinition, int maxRepetition, int rows) {
    this.type = type;
    this.values = values;
    this.maxDefinition = maxDefinition;
    this.maxRepetition = maxRepetition;
    int entries = 1 + (maxRepetition == 0 ? rows : rows + values.size());
    definitions = new int[entries];
    repetitions = new int[entries];
    places = new int[entries];
  }

  private void add(int definition, int repetition, int place) {
    if (count == definitions.length) {
      definitions = Arrays.copyOf(definitions, count * 2);
      repetitions = Arrays.copyOf(repetitions, count * 2);
      places = Arrays.copyOf(places, count * 2);
    }
    definitions[count] = definition;
    repetitions[count] = repetition;
    places[count++] = place;
  }

  /** Stripes a nested column into its leaves, in the order of the file's schema. */
  static List<LeafLevels> of(Column column, org.apache.parquet.schema.Type type) {
    Node root = node(column, type, 0, 0, column.size());
    for (int row = 0; row < column.size(); row++) {
      root.put(row, 0, 0);
    }
    List<LeafLevels> leaves = new ArrayList<>();
    root.leaves(leaves);
    return leaves;
  }

  /** A part of the path; {@code definition} and {@code repetition} are those of what holds it. */
  private interface Node {
    void put(int row, int definition, int repetition);

    /** The part is not there: every leaf below gets an entry without a value. */
    void putNothing(int definition, int repetition);

    void leaves(List<LeafLevels> out);
  }

  private static Node node(
      Column column,
      org.apache.parquet.schema.Type type,
      int definition,
      int repetition,
      int rows) {
    int own = definition + (type.getRepetition() == Repetition.OPTIONAL ? 1 : 0);
    if (column instanceof StructColumn struct) {
      return new StructNode(
          struct, children(struct, type.asGroupType(), own, repetition, rows), own - definition);
    }
    if (column instanceof ListColumn list) {
      GroupType repeated = type.asGroupType().getType(0).asGroupType();
      Node element =
          list.elements() instanceof StructColumn entries
                  && list.type().kind() == yardage.core.column.Type.Kind.MAP
              ? new StructNode(
                  entries, children(entries, repeated, own + 1, repetition + 1, rows), 0)
              : node(list.elements(), repeated.getType(0), own + 1, repetition + 1, rows);
      return new ListNode(list, element, own - definition, repetition + 1);
    }
    return new Leaf(new LeafLevels(type.asPrimitiveType(), column, own, repetition, rows));
  }

  private static List<Node> children(
      StructColumn struct, GroupType group, int definition, int repetition, int rows) {
    List<Node> out = new ArrayList<>();
    for (int f = 0; f < struct.fields().size(); f++) {
      out.add(node(struct.fields().get(f), group.getType(f), definition, repetition, rows));
    }
    return out;
  }

  private record Leaf(LeafLevels levels) implements Node {
    @Override
    public void put(int row, int definition, int repetition) {
      boolean isNull = levels.values.isNull(row);
      boolean optional = levels.type.getRepetition() == Repetition.OPTIONAL;
      if (isNull && !optional) {
        throw new IllegalArgumentException(
            "Column [%s] must not hold nulls".formatted(levels.type.getName()));
      }
      levels.add(isNull || !optional ? definition : definition + 1, repetition, isNull ? -1 : row);
    }

    @Override
    public void putNothing(int definition, int repetition) {
      levels.add(definition, repetition, -1);
    }

    @Override
    public void leaves(List<LeafLevels> out) {
      out.add(levels);
    }
  }

  /**
   * @param levels 1 where the struct may be null, else 0
   */
  private record StructNode(StructColumn struct, List<Node> fields, int levels) implements Node {
    @Override
    public void put(int row, int definition, int repetition) {
      if (struct.isNull(row)) {
        putNothing(definition, repetition);
        return;
      }
      int inside = definition + levels;
      for (int f = 0; f < fields.size(); f++) {
        fields.get(f).put(row, inside, repetition);
      }
    }

    @Override
    public void putNothing(int definition, int repetition) {
      for (int f = 0; f < fields.size(); f++) {
        fields.get(f).putNothing(definition, repetition);
      }
    }

    @Override
    public void leaves(List<LeafLevels> out) {
      fields.forEach(f -> f.leaves(out));
    }
  }

  /**
   * @param levels 1 where the list may be null, else 0
   */
  private record ListNode(ListColumn list, Node element, int levels, int elementRepetition)
      implements Node {
    @Override
    public void put(int row, int definition, int repetition) {
      if (list.isNull(row)) {
        element.putNothing(definition, repetition);
        return;
      }
      int from = list.offsets()[row];
      int to = list.offsets()[row + 1];
      if (from == to) {
        element.putNothing(definition + levels, repetition);
        return;
      }
      for (int i = from; i < to; i++) {
        element.put(i, definition + levels + 1, i == from ? repetition : elementRepetition);
      }
    }

    @Override
    public void putNothing(int definition, int repetition) {
      element.putNothing(definition, repetition);
    }

    @Override
    public void leaves(List<LeafLevels> out) {
      element.leaves(out);
    }
  }
}
