package yardage.core.feed;

import java.util.Optional;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.document.Place;
import yardage.core.format.record.FieldRule;

/**
 * One column of a contract: where its values come from, how they are read, what they must meet.
 *
 * @param mayBeAbsent whether files may lack the field altogether, and its values are null then
 * @param check an SQL condition over the feed's columns; a row for which it is false does not fit
 */
public record FeedColumn(
    FieldRule rule, Source source, Optional<Check> check, boolean mayBeAbsent) {

  public FeedColumn(FieldRule rule, Source source, Optional<Check> check) {
    this(rule, source, check, false);
  }

  /** A condition as it stands in the document. */
  public record Check(String sql, Place place) {}

  /** Where values come from. Closed: each reader must know what to do with each. */
  public sealed interface Source {}

  /** A field of the record, by its name or path in the file; empty for the column's own name. */
  public record Named(Optional<String> path) implements Source {}

  /** Characters of a line, 1-based and inclusive. */
  public record Characters(int first, int last) implements Source {}

  /** The value of a folder written {@code name=value} in the file's path. */
  public record Folder(String name) implements Source {}

  /** Something that the engine knows. */
  public record Added(Addition what) implements Source {}

  /** What the engine can add to each row. */
  public enum Addition {
    FILE("file", Type.VARCHAR),
    LINE("line", Type.BIGINT),
    RECORD("record", Type.BIGINT),
    BYTE("byte", Type.BIGINT),
    TAKEN_AT("taken-at", Type.TIMESTAMP),
    RUN("run", Type.VARCHAR);

    private final String word;
    private final Type type;

    Addition(String word, Type type) {
      this.word = word;
      this.type = type;
    }

    public String word() {
      return word;
    }

    public Type type() {
      return type;
    }
  }

  public String name() {
    return rule.name();
  }

  /** Whether values are read out of the records, rather than known without them. */
  public boolean isField() {
    return source instanceof Named || source instanceof Characters;
  }

  /** The name that the file has for it. */
  public String fileName() {
    return source instanceof Named named ? named.path().orElse(rule.name()) : rule.name();
  }

  public Schema.Field field() {
    boolean nullable = isField() || source instanceof Folder;
    return new Schema.Field(rule.name(), rule.type(), nullable && !rule.required());
  }
}
