package yardage.core.plan;

import java.util.List;
import yardage.core.column.Batch;
import yardage.core.column.FrameReader;
import yardage.core.column.FrameWriter;
import yardage.core.column.Schema;

/**
 * Rows that the plan itself has.
 *
 * @param frames batches as {@link FrameWriter} writes them; each is a split
 */
public record GivenRows(Schema schema, List<byte[]> frames) implements ScanDescription {
  public GivenRows {
    frames = List.copyOf(frames);
  }

  @Override
  public String words() {
    return "%d batches of given rows".formatted(frames.size());
  }

  public static GivenRows of(Schema schema, List<Batch> batches) {
    FrameWriter writer = new FrameWriter();
    return new GivenRows(schema, batches.stream().map(writer::write).toList());
  }

  public Batch batch(int frame) {
    return FrameReader.read(frames.get(frame), schema.types());
  }
}
