package yardage.core.format.record;

/** Reads the records of chunks. One thread at a time; it keeps its arrays from chunk to chunk. */
public interface RecordParser {
  void parse(Chunk chunk, RecordOutput out);
}
