package yardage.core.expr;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.*;

/**
 * Gives columns a type that holds all of their values: wider numbers, and structs with more fields,
 * which are matched by name and are null where they are missing.
 */
public final class Conform {
  private Conform() {}

  /** Whether every value of {@code from} can be had as {@code to} without loss. */
  public static boolean fits(Type from, Type to) {
    if (from.equals(to)) {
      return true;
    }
    if (from.kind() != to.kind() && (from.isNested() || to.isNested())) {
      return false;
    }
    return switch (to.kind()) {
      case STRUCT ->
          from.parts().stream()
              .allMatch(
                  p ->
                      to.indexOf(p.name()) >= 0
                          && fits(p.type(), to.parts().get(to.indexOf(p.name())).type()));
      case LIST -> fits(from.element(), to.element());
      case MAP ->
          fits(from.parts().get(0).type(), to.parts().get(0).type())
              && fits(from.parts().get(1).type(), to.parts().get(1).type());
      case BIGINT -> from.kind() == Type.Kind.INT;
      case DOUBLE -> from.kind() == Type.Kind.FLOAT;
      case DECIMAL -> fitsDecimal(from, to);
      case TIMESTAMP -> from.kind() == Type.Kind.DATE;
      default -> false;
    };
  }

  private static boolean fitsDecimal(Type from, Type to) {
    return switch (from.kind()) {
      case INT, BIGINT, DECIMAL ->
          from.wholeDigits() <= to.wholeDigits() && from.scale() <= to.scale();
      default -> false;
    };
  }

  /** The values under a type that they {@link #fits}. */
  public static Column to(Column column, Type type) {
    if (column.type().equals(type)) {
      return column;
    }
    if (column instanceof StructColumn struct) {
      List<Column> fields = new ArrayList<>();
      for (Type.Part part : type.parts()) {
        int at = struct.type().indexOf(part.name());
        fields.add(
            at < 0
                ? Literal.of(part.type(), null).column(struct.size())
                : to(struct.fields().get(at), part.type()));
      }
      return new StructColumn(type, fields, struct.nulls(), struct.size());
    }
    if (column instanceof ListColumn list) {
      Type inside = type.kind() == Type.Kind.MAP ? type.entry() : type.element();
      return new ListColumn(
          type, list.offsets(), to(list.elements(), inside), list.nulls(), list.size());
    }
    return Cast.to(column, type);
  }
}
