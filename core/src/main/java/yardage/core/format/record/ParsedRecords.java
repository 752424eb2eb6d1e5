package yardage.core.format.record;

import java.util.List;
import yardage.core.column.Column;

/**
 * Records read into columns, one for each rule (and one of strays, if they are kept), with the
 * fields that failed. Valid only while the output's call lasts: originals are read from the chunk.
 */
public record ParsedRecords(
    List<Column> columns, int rowCount, FieldFailures failures, Places places) {

  /** Where the records lie in their files. */
  public interface Places {
    /** The file, and the entry if it is an archive. */
    String file(int row);

    /** 1-based line on which the record starts. */
    long line(int row);

    /** 0-based number of the record in its file, or -1 where the format cannot tell. */
    long record(int row);

    /** 0-based offset of its first byte, in the file as inflated. */
    long byteOffset(int row);

    /** Its text as it arrived, without the line end. */
    String original(int row);
  }

  /** The text of a record as it arrived. */
  public String original(int row) {
    return places.original(row);
  }

  /** The record as it is set aside. */
  public RejectedRecord rejected(int row, List<RejectedRecord.Failure> why) {
    return new RejectedRecord(
        places.file(row), places.line(row), places.byteOffset(row), places.original(row), why);
  }
}
