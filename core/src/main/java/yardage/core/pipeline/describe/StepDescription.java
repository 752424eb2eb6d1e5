package yardage.core.pipeline.describe;

import java.util.List;
import java.util.Optional;

/**
 * One verb.
 *
 * @param about one sentence
 * @param inputs how many steps {@code from} names
 * @param value what stands right behind the verb, where that is no map of fields
 * @param fields the named values behind the verb
 * @param examples each the text behind the verb
 */
public record StepDescription(
    String verb,
    String about,
    Inputs inputs,
    Optional<Field> value,
    List<Field> fields,
    List<String> examples) {

  public StepDescription {
    fields = List.copyOf(fields);
    examples = List.copyOf(examples);
  }

  /** How many inputs a step has. */
  public enum Inputs {
    NONE,
    ONE,
    /** One, and another that a field names. */
    ONE_AND_ANOTHER,
    SEVERAL
  }

  /** What a field holds. */
  public enum Kind {
    /** Columns by name, pattern, type, place, or all but some. */
    COLUMN_CHOICE,
    COLUMN,
    COLUMNS,
    /** Columns, each perhaps with {@code desc}. */
    ORDER,
    /** Columns, or left names to right names. */
    KEYS,
    LISTS_OF_COLUMNS,
    /** Old names to new ones. */
    RENAMES,
    /** Column names to types. */
    TYPES,
    /** Column names to words. */
    COLUMN_WORDS,
    NEW_COLUMN,
    EXPRESSION,
    CONDITION,
    /** Names to values. */
    VALUES,
    /** New column names to expressions. */
    EXPRESSIONS,
    QUERY,
    TEXT,
    TEXTS,
    WORD,
    TRUTH,
    COUNT,
    SHARE,
    SIZE,
    STEP,
    FEED,
    TABLE,
    PARTITIONS,
    /** Named values of their own. */
    FIELDS,
    /** Names, each with the fields below. */
    NAMED_FIELDS
  }

  /**
   * One field.
   *
   * @param required whether the step is wrong without it
   * @param otherwise what counts when it is absent, in words; empty when nothing does
   * @param words what it may be, for {@link Kind#WORD} and {@link Kind#COLUMN_WORDS}
   * @param fields what it holds, for {@link Kind#FIELDS} and {@link Kind#NAMED_FIELDS}
   */
  public record Field(
      String name,
      Kind kind,
      boolean required,
      String otherwise,
      List<String> words,
      String help,
      List<Field> fields) {
    public Field {
      words = List.copyOf(words);
      fields = List.copyOf(fields);
    }

    static Field of(String name, Kind kind, String help) {
      return new Field(name, kind, false, "", List.of(), help, List.of());
    }

    Field needed() {
      return new Field(name, kind, true, otherwise, words, help, fields);
    }

    Field otherwise(String otherwise) {
      return new Field(name, kind, required, otherwise, words, help, fields);
    }

    Field words(String... words) {
      return new Field(name, kind, required, otherwise, List.of(words), help, fields);
    }

    Field holding(Field... fields) {
      return new Field(name, kind, required, otherwise, words, help, List.of(fields));
    }
  }
}
