package yardage.core.lake;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.ByteBuffer;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.TreeMap;
import org.apache.iceberg.BlobMetadata;
import org.apache.iceberg.GenericBlobMetadata;
import org.apache.iceberg.GenericStatisticsFile;
import org.apache.iceberg.Schema;
import org.apache.iceberg.Snapshot;
import org.apache.iceberg.SnapshotSummary;
import org.apache.iceberg.StatisticsFile;
import org.apache.iceberg.TableMetadata;
import org.apache.iceberg.io.FileIO;
import org.apache.iceberg.puffin.Blob;
import org.apache.iceberg.puffin.Puffin;
import org.apache.iceberg.puffin.PuffinReader;
import org.apache.iceberg.puffin.PuffinWriter;
import org.apache.iceberg.puffin.StandardBlobTypes;
import org.apache.iceberg.util.Pair;

/**
 * The statistics file of a state of a table (Puffin): for each column a sketch of its values, and
 * how many different ones that makes. A state without one is fine; nobody depends on it.
 */
final class TableStatistics {
  /** The property that says how many different values a sketch tells of (Puffin specification). */
  private static final String VALUES = "ndv";

  private TableStatistics() {}

  /** About how many different values a column has in a state; empty where nobody has counted. */
  static OptionalLong values(TableMetadata metadata, long snapshot, int field) {
    return of(metadata, snapshot).stream()
        .flatMap(file -> file.blobMetadata().stream())
        .filter(blob -> isSketch(blob) && blob.fields().equals(List.of(field)))
        .flatMap(blob -> Optional.ofNullable(blob.properties().get(VALUES)).stream())
        .filter(text -> text.matches("[0-9]{1,18}"))
        .mapToLong(Long::parseLong)
        .findFirst();
  }

  private static Optional<StatisticsFile> of(TableMetadata metadata, long snapshot) {
    return metadata.statisticsFiles().stream()
        .filter(file -> file.snapshotId() == snapshot)
        .findFirst();
  }

  private static boolean isSketch(BlobMetadata blob) {
    return blob.type().equals(StandardBlobTypes.APACHE_DATASKETCHES_THETA_V1);
  }

  /**
   * Gives the state that was just made its statistics: of what was written, and of what was there
   * before.
   *
   * @param before the state before, whose rows are there still; empty where none are
   */
  static void write(
      StagedOperations ops, Optional<Snapshot> before, List<ColumnSketches.Encoded> written) {
    Map<Integer, ValueSketch> sketches = new TreeMap<>();
    written.forEach(s -> sketches.put(s.field(), s.decoded()));
    if (before.isPresent() && rows(before.get()) > 0) {
      Optional<StatisticsFile> file = of(ops.current(), before.get().snapshotId());
      Map<Integer, ValueSketch> there = file.isEmpty() ? Map.of() : read(ops.io(), file.get());
      // A column of which some values are not known is better not told of. Of another type the
      // same values have other hashes.
      Schema then = LakeTable.columnsOf(ops.current(), before.get());
      Schema now = ops.current().schema();
      sketches
          .keySet()
          .removeIf(
              field ->
                  !there.containsKey(field)
                      || then.findType(field) == null
                      || !then.findType(field).equals(now.findType(field)));
      sketches.forEach((field, sketch) -> sketch.addAll(there.get(field)));
    }
    if (!sketches.isEmpty()) {
      put(ops, sketches);
    }
  }

  private static long rows(Snapshot snapshot) {
    return Long.parseLong(snapshot.summary().getOrDefault(SnapshotSummary.TOTAL_RECORDS_PROP, "0"));
  }

  /** Sketches that cannot be read are as if they had not been written. */
  private static Map<Integer, ValueSketch> read(FileIO io, StatisticsFile file) {
    Map<Integer, ValueSketch> out = new TreeMap<>();
    try (PuffinReader reader =
        Puffin.read(io.newInputFile(file.path()))
            .withFileSize(file.fileSizeInBytes())
            .withFooterSize(file.fileFooterSizeInBytes())
            .build()) {
      var sketches =
          reader.fileMetadata().blobs().stream()
              .filter(
                  blob ->
                      blob.type().equals(StandardBlobTypes.APACHE_DATASKETCHES_THETA_V1)
                          && blob.inputFields().size() == 1)
              .toList();
      for (Pair<org.apache.iceberg.puffin.BlobMetadata, ByteBuffer> blob :
          reader.readAll(sketches)) {
        byte[] bytes = new byte[blob.second().remaining()];
        blob.second().get(bytes);
        out.put(blob.first().inputFields().get(0), ValueSketch.of(bytes));
      }
    } catch (IOException | RuntimeException e) {
      return Map.of();
    }
    return out;
  }

  private static void put(StagedOperations ops, Map<Integer, ValueSketch> sketches) {
    Snapshot now = ops.current().currentSnapshot();
    String path =
        ops.metadataFileLocation("%d-%d.stats".formatted(now.sequenceNumber(), now.snapshotId()));
    try (PuffinWriter writer =
        Puffin.write(ops.io().newOutputFile(path)).createdBy("yardage").build()) {
      sketches.forEach(
          (field, sketch) ->
              writer.add(
                  new Blob(
                      StandardBlobTypes.APACHE_DATASKETCHES_THETA_V1,
                      List.of(field),
                      now.snapshotId(),
                      now.sequenceNumber(),
                      ByteBuffer.wrap(sketch.toBytes()),
                      null,
                      Map.of(VALUES, String.valueOf(sketch.estimate())))));
      writer.finish();
      set(
          ops,
          new GenericStatisticsFile(
              now.snapshotId(),
              path,
              writer.fileSize(),
              writer.footerSize(),
              writer.writtenBlobsMetadata().stream().map(GenericBlobMetadata::from).toList()));
    } catch (IOException e) {
      throw new UncheckedIOException("Cannot write [%s]: %s".formatted(path, e.getMessage()), e);
    }
  }

  /** The state that was just made has the rows of another, and so its statistics. */
  static void keep(StagedOperations ops, Snapshot before) {
    of(ops.current(), before.snapshotId())
        .ifPresent(
            file ->
                set(
                    ops,
                    new GenericStatisticsFile(
                        ops.current().currentSnapshot().snapshotId(),
                        file.path(),
                        file.fileSizeInBytes(),
                        file.fileFooterSizeInBytes(),
                        file.blobMetadata())));
  }

  private static void set(StagedOperations ops, StatisticsFile file) {
    TableMetadata now = ops.current();
    ops.commit(now, TableMetadata.buildFrom(now).setStatistics(file).build());
  }
}
