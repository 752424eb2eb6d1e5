package yardage.core.format.parquet;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import org.apache.iceberg.Schema;
import org.apache.iceberg.parquet.ParquetSchemaUtil;
import org.apache.iceberg.types.Types;
import org.apache.iceberg.types.Types.NestedField;
import org.apache.parquet.PlainReadOptions;
import org.apache.parquet.column.page.PageReadStore;
import org.apache.parquet.example.data.Group;
import org.apache.parquet.example.data.simple.convert.GroupRecordConverter;
import org.apache.parquet.hadoop.ParquetFileReader;
import org.apache.parquet.io.ColumnIOFactory;
import org.apache.parquet.io.LocalInputFile;
import org.apache.parquet.schema.MessageType;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.column.Column;
import yardage.core.column.Type;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.Rows;

/** Structs, lists and maps, written here and read here and by the library's own assembly. */
class NestedDataFileTest {
  private static final Type TYPE =
      Type.parse(
          "struct(id bigint, defects list(struct(kind varchar, spots list(int))), marks map(varchar, struct(n int)), loom struct(hall struct(no int)))");

  private static final Types.StructType ICEBERG =
      Types.StructType.of(
          NestedField.optional(2, "id", Types.LongType.get()),
          NestedField.optional(
              3,
              "defects",
              Types.ListType.ofOptional(
                  4,
                  Types.StructType.of(
                      NestedField.optional(5, "kind", Types.StringType.get()),
                      NestedField.optional(
                          6, "spots", Types.ListType.ofOptional(7, Types.IntegerType.get()))))),
          NestedField.optional(
              8,
              "marks",
              Types.MapType.ofOptional(
                  9,
                  10,
                  Types.StringType.get(),
                  Types.StructType.of(NestedField.optional(11, "n", Types.IntegerType.get())))),
          NestedField.optional(
              12,
              "loom",
              Types.StructType.of(
                  NestedField.optional(
                      13,
                      "hall",
                      Types.StructType.of(
                          NestedField.optional(14, "no", Types.IntegerType.get()))))));

  @TempDir Path folder;

  @Test
  void givesBackWhatWasWrittenHereAndToAnotherReader() throws IOException {
    long seed = Long.getLong("yardage.seed", 17);
    SplittableRandom random = new SplittableRandom(seed);
    for (int rows : new int[] {1, 2, 50, ChunkEncoder.PAGE_ROWS + 3, 40_000}) {
      List<Object> values = new ArrayList<>();
      for (int r = 0; r < rows; r++) {
        values.add(random(TYPE, random));
      }
      Column column = Rows.column(TYPE, values);
      MessageType schema =
          ParquetSchemaUtil.convert(new Schema(NestedField.optional(1, "v", ICEBERG)), "table");
      Path file = folder.resolve("nested-" + rows + ".parquet");
      try (DataFileWriter writer =
          new DataFileWriter(StoredOutput.output(LocalStorage.place(file)), schema)) {
        writer.write(RowGroup.encode(List.of(column), schema));
        writer.finish();
      }

      List<Object> ours = new ArrayList<>();
      try (DataFileReader reader = new DataFileReader(LocalStorage.place(file))) {
        reader.readRowGroup(
            0,
            List.of(new DataFileReader.Wanted(1, TYPE)),
            b -> Rows.rows(List.of(b)).forEach(r -> ours.add(r.get(0))));
      }

      assertEquals(values, ours, "seed " + seed);
      assertEquals(values, libraryReads(file, schema), "seed " + seed);
    }
  }

  @Test
  void nestedRowGroupsAreCopied() throws IOException {
    SplittableRandom random = new SplittableRandom(Long.getLong("yardage.seed", 17));
    MessageType schema =
        ParquetSchemaUtil.convert(new Schema(NestedField.optional(1, "v", ICEBERG)), "table");
    RowGroupMerge merge = new RowGroupMerge(schema);
    List<Object> values = new ArrayList<>();
    for (int rows : new int[] {2_000, ChunkEncoder.PAGE_ROWS + 4_000, 1_500}) {
      List<Object> own = new ArrayList<>();
      for (int r = 0; r < rows; r++) {
        own.add(random(TYPE, random));
      }
      values.addAll(own);
      Path file = folder.resolve("part-" + rows);
      try (DataFileWriter writer =
          new DataFileWriter(StoredOutput.output(LocalStorage.place(file)), schema)) {
        writer.write(RowGroup.encode(List.of(Rows.column(TYPE, own)), schema));
        writer.finish();
      }
      assertTrue(merge.take(LocalStorage.place(file)));
    }
    Path whole = folder.resolve("whole");
    try (DataFileWriter writer =
        new DataFileWriter(StoredOutput.output(LocalStorage.place(whole)), schema)) {
      writer.write(merge.finish());
      writer.finish();
    }

    assertEquals(values, libraryReads(whole, schema));
  }

  private static List<Object> libraryReads(Path file, MessageType schema) throws IOException {
    List<Object> out = new ArrayList<>();
    try (ParquetFileReader reader =
        ParquetFileReader.open(new LocalInputFile(file), new PlainReadOptions(new PageCodecs()))) {
      PageReadStore pages;
      while ((pages = reader.readNextRowGroup()) != null) {
        var records =
            new ColumnIOFactory()
                .getColumnIO(schema)
                .getRecordReader(pages, new GroupRecordConverter(schema));
        for (long r = pages.getRowCount(); r > 0; r--) {
          out.add(value(records.read(), 0, 0, TYPE));
        }
      }
    }
    return out;
  }

  private static Object value(Group holder, int field, int at, Type type) {
    if (at >= holder.getFieldRepetitionCount(field)) {
      return null;
    }
    switch (type.kind()) {
      case INT:
        return holder.getInteger(field, at);
      case BIGINT:
        return holder.getLong(field, at);
      case VARCHAR:
        return holder.getString(field, at);
      case STRUCT:
        Group struct = holder.getGroup(field, at);
        Map<String, Object> fields = new LinkedHashMap<>();
        for (int f = 0; f < type.parts().size(); f++) {
          fields.put(type.parts().get(f).name(), value(struct, f, 0, type.parts().get(f).type()));
        }
        return fields;
      default:
        Group repeated = holder.getGroup(field, at);
        List<Object> list = new ArrayList<>();
        Map<Object, Object> map = new LinkedHashMap<>();
        for (int i = 0; i < repeated.getFieldRepetitionCount(0); i++) {
          Group entry = repeated.getGroup(0, i);
          Object first = value(entry, 0, 0, type.parts().get(0).type());
          if (type.kind() == Type.Kind.LIST) {
            list.add(first);
          } else {
            map.put(first, value(entry, 1, 0, type.parts().get(1).type()));
          }
        }
        return type.kind() == Type.Kind.LIST ? list : map;
    }
  }

  private static Object random(Type type, SplittableRandom random) {
    if (random.nextInt(5) == 0) {
      return null;
    }
    switch (type.kind()) {
      case INT:
        return random.nextInt(1000);
      case BIGINT:
        return random.nextLong();
      case VARCHAR:
        return "défaut " + random.nextInt(20);
      case STRUCT:
        Map<String, Object> fields = new LinkedHashMap<>();
        type.parts().forEach(p -> fields.put(p.name(), random(p.type(), random)));
        return fields;
      case LIST:
        List<Object> list = new ArrayList<>();
        for (int i = random.nextInt(4); i > 0; i--) {
          list.add(random(type.element(), random));
        }
        return list;
      default:
        Map<Object, Object> map = new LinkedHashMap<>();
        for (int i = random.nextInt(3); i > 0; i--) {
          map.put("mark " + i, random(type.parts().get(1).type(), random));
        }
        return map;
    }
  }
}
