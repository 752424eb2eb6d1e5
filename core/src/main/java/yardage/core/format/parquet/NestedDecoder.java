package yardage.core.format.parquet;

import java.io.IOException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import org.apache.parquet.schema.Type.Repetition;
import yardage.core.column.Bits;
import yardage.core.column.Column;
import yardage.core.column.ListColumn;
import yardage.core.column.StructColumn;
import yardage.core.column.Type;
import yardage.core.format.FileFormatException;

/**
 * Puts a nested column together out of the striped pages of its leaves. The pages of all leaves of
 * a column end at the same rows, as our writer makes them.
 */
final class NestedDecoder extends PagedColumn {
  private final org.apache.parquet.schema.Type field;
  private final Type type;
  private final List<ChunkDecoder> leaves;

  NestedDecoder(org.apache.parquet.schema.Type field, Type type, List<ChunkDecoder> leaves) {
    super(type, field.getName());
    this.field = field;
    this.type = type;
    this.leaves = leaves;
  }

  /** The types of a type's leaves, in the order of a file's columns. */
  static List<Type> leafTypes(Type type) {
    return type.isNested()
        ? type.parts().stream().flatMap(p -> leafTypes(p.type()).stream()).toList()
        : List.of(type);
  }

  @Override
  Optional<Page> readPage() throws IOException {
    List<ChunkDecoder.LeafPage> pages = new ArrayList<>();
    for (ChunkDecoder leaf : leaves) {
      leaf.nextLeafPage().ifPresent(pages::add);
    }
    if (pages.isEmpty()) {
      return Optional.empty();
    }
    if (pages.size() < leaves.size()) {
      throw new FileFormatException(
          "The parts of column [%s] have different numbers of pages".formatted(field.getName()));
    }
    Column all = new Assembly(pages).part(field, type, 0, 0);
    return Optional.of(
        new Page() {
          @Override
          public int rows() {
            return all.size();
          }

          @Override
          public Column all() {
            return all;
          }
        });
  }

  /** Takes the leaves one after the other, as the type's parts come. */
  private static final class Assembly {
    private final List<ChunkDecoder.LeafPage> pages;
    private int next;

    Assembly(List<ChunkDecoder.LeafPage> pages) {
      this.pages = pages;
    }

    /**
     * The column of one part of the path.
     *
     * @param definition how far the path is defined where what holds this part is there
     * @param repetition the repeated parts above this one
     */
    Column part(org.apache.parquet.schema.Type field, Type type, int definition, int repetition) {
      int own = definition + (field.getRepetition() == Repetition.OPTIONAL ? 1 : 0);
      return switch (type.kind()) {
        case STRUCT -> struct(field, type, definition, own, repetition);
        case LIST, MAP -> list(field, type, definition, own, repetition);
        default -> leaf(definition, own, repetition);
      };
    }

    private Column leaf(int definition, int own, int repetition) {
      ChunkDecoder.LeafPage page = pages.get(next++);
      int[] rows = new int[page.count()];
      int n = 0;
      int value = 0;
      for (int i = 0; i < page.count(); i++) {
        boolean has = page.definitions()[i] == own;
        if (page.repetitions()[i] <= repetition && page.definitions()[i] >= definition) {
          rows[n++] = has ? value : -1;
        }
        value += has ? 1 : 0;
      }
      return page.values().gather(rows, n);
    }

    private Column struct(
        org.apache.parquet.schema.Type field, Type type, int definition, int own, int repetition) {
      ChunkDecoder.LeafPage page = pages.get(next);
      long[] nulls = Bits.allocate(page.count());
      boolean any = false;
      int n = 0;
      for (int i = 0; i < page.count(); i++) {
        if (page.repetitions()[i] <= repetition && page.definitions()[i] >= definition) {
          if (page.definitions()[i] < own) {
            Bits.set(nulls, n);
            any = true;
          }
          n++;
        }
      }
      List<Column> fields = new ArrayList<>();
      for (int f = 0; f < type.parts().size(); f++) {
        Column part =
            part(field.asGroupType().getType(f), type.parts().get(f).type(), own, repetition);
        // The parts have rows only where the struct is there; give them back the others.
        fields.add(any ? spread(part, nulls, n) : part);
      }
      return new StructColumn(type, fields, any ? Arrays.copyOf(nulls, n + 63 >>> 6) : null, n);
    }

    private static Column spread(Column part, long[] nulls, int rows) {
      int[] places = new int[rows];
      int at = 0;
      for (int r = 0; r < rows; r++) {
        places[r] = Bits.get(nulls, r) ? -1 : at++;
      }
      return part.gather(places, rows);
    }

    private Column list(
        org.apache.parquet.schema.Type field, Type type, int definition, int own, int repetition) {
      ChunkDecoder.LeafPage page = pages.get(next);
      int[] offsets = new int[page.count() + 1];
      long[] nulls = null;
      int n = 0;
      int elements = 0;
      for (int i = 0; i < page.count(); i++) {
        int d = page.definitions()[i];
        if (page.repetitions()[i] <= repetition && d >= definition) {
          if (d < own) {
            nulls = nulls == null ? Bits.allocate(page.count()) : nulls;
            Bits.set(nulls, n);
          }
          offsets[n++] = elements;
        }
        if (page.repetitions()[i] <= repetition + 1 && d > own) {
          elements++;
        }
      }
      offsets[n] = elements;
      org.apache.parquet.schema.GroupType repeated = field.asGroupType().getType(0).asGroupType();
      Column inside;
      if (type.kind() == Type.Kind.MAP) {
        List<Column> parts = new ArrayList<>();
        for (int f = 0; f < 2; f++) {
          parts.add(part(repeated.getType(f), type.parts().get(f).type(), own + 1, repetition + 1));
        }
        inside = new StructColumn(type.entry(), parts, null, elements);
      } else {
        inside = part(repeated.getType(0), type.element(), own + 1, repetition + 1);
      }
      return new ListColumn(
          type, offsets, inside, nulls == null ? null : Arrays.copyOf(nulls, n + 63 >>> 6), n);
    }
  }
}
